"""Workbooks: XLSX and OpenDocument."""
