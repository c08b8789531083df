"""Objects of Python."""
