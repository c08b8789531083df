"""Text: delimited, tabbed, of fixed widths, and lines made straight away."""
