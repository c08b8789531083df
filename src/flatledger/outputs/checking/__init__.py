"""A finished file, read back and held against what was written."""
