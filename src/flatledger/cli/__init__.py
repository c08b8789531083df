"""The commands; thin. Each loads what it needs when it is called, so that help answers at once."""

from .main import main

__all__ = ["main"]
