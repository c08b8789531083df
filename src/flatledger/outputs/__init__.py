"""From rows to bytes: one module per format."""

from .apart import check_apart
from .delimited import DelimitedWriter
from .files import Place, Target
from .writing import check_format, check_place, open_writer

__all__ = [
    "DelimitedWriter",
    "Place",
    "Target",
    "check_apart",
    "check_format",
    "check_place",
    "open_writer",
]
