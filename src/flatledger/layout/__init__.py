"""What is asked for: reading and checking a layout, and the model that comes of it."""

from .layout import Layout

__all__ = ["Layout"]
