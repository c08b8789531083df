"""From rows to bytes: one module per format."""

from .delimited import DelimitedWriter
from .files import Target

__all__ = ["DelimitedWriter", "Target"]
