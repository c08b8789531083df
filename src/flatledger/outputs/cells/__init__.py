"""Cells before they are written: code lists, patterns, digits, texts, formulas."""
