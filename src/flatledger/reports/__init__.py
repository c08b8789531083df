"""Balance and tables as text."""
