"""Fuzzers: hostile input of every kind, by seeds, so that whatever they find can be had again."""
