"""Reading the text of a layout by declarations."""
