"""From rows to bytes: one module per format."""

from .cells.writer import check_suffix
from .formats import check_table, open_writer
from .places.apart import check_apart
from .places.files import Target
from .places.names import Destination

__all__ = ["Destination", "Target", "check_apart", "check_suffix", "check_table", "open_writer"]
