"""What records look like: observed, surveyed, levels, the types they are decoded into."""
