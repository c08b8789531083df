"""A layout as data, and the text that it was read from."""
