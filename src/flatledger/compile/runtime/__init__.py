"""What generated functions call as they run."""
