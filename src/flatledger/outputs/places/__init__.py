"""Where outputs go: files in their place, locks, streams, what was written last."""
