"""JSON, JSON Lines and JSON text sequences."""
