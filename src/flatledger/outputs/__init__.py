"""From rows to bytes: one module per format."""

from .delimited import DelimitedWriter
from .files import Target
from .writing import check_place, open_writer, with_values

__all__ = ["DelimitedWriter", "Target", "check_place", "open_writer", "with_values"]
