"""Trees laid flat, and how far their nodes are opened."""
