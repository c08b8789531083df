"""The text of a layout for what a survey found: it runs as it is, with comments that teach."""
