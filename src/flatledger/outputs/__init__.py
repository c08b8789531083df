"""From rows to bytes: one module per format."""

from .apart import check_apart
from .files import Target
from .formats import check_table, open_writer
from .names import Destination
from .writer import check_suffix

__all__ = ["Destination", "Target", "check_apart", "check_suffix", "check_table", "open_writer"]
