"""Several files as one source: names, patterns, folders, archives."""
