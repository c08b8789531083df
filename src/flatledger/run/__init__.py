"""Batches through a plan: filter, unfold, fill; group, sort, total, limit; the proof of it all."""
