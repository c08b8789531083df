"""Writing expressions as statements of Python."""
