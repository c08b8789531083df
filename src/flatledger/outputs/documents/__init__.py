"""Documents: JSON, Markdown, web pages, Arrow, metadata, lists of faults."""
