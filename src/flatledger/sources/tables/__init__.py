"""Tables: delimited text, text of fixed widths, workbooks."""
