"""From bytes to records: one module per format, found by content and name."""

from __future__ import annotations

import io
from collections.abc import Iterable
from os import PathLike
from typing import Any, BinaryIO

from ..engine.levels import Names
from ..engine.protocols import Source
from ..errors import SourceError
from .json_source import JsonRecords
from .reading import open_bytes
from .records import PythonRecords

AnySource = str | PathLike[str] | BinaryIO | Iterable[Any]


def open_source(source: AnySource, records: Names = (), *, double_keys: bool = False) -> Source:
    """Open a path (``-``: standard input), an open file, or any iterable of Python records.

    ``records`` is the path of names to the records within a document. With ``double_keys`` a name
    that comes twice in an object is a fault. Raises SourceError.
    """
    if isinstance(source, str | PathLike) or hasattr(source, "read"):
        return JsonRecords(open_bytes(_binary(source)), records, double_keys)
    if isinstance(source, dict):
        raise SourceError("a single mapping is no list of records; put it into a list")
    return PythonRecords(source)


def _binary(source: Any) -> Any:
    """A text file's bytes; anything else as it is."""
    if isinstance(source, io.TextIOBase):
        return getattr(source, "buffer", None) or io.BytesIO(source.read().encode())
    return source
