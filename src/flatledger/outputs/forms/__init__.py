"""Forms that are filled, and blank tables that people fill in."""
