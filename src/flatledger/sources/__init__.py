"""From bytes to records: one module per format, found by content and name."""

from __future__ import annotations

import io
from collections.abc import Iterable
from os import PathLike
from typing import Any, BinaryIO

from ..errors import SourceError
from ..run.protocols import Source
from ..structure.levels import Names
from .json_source import JsonRecords
from .json_text import LARGEST
from .reading import open_bytes
from .records import PythonRecords

LARGEST_RECORD = LARGEST >> 20  # MB
AnySource = str | PathLike[str] | BinaryIO | Iterable[Any]


def open_source(
    source: AnySource,
    records: Names = (),
    *,
    double_keys: bool = False,
    largest_record: int = LARGEST_RECORD,
) -> Source:
    """Open a path (``-``: standard input), an open file, or any iterable of Python records.

    ``records`` is the path of names to the records within a document. With ``double_keys`` a name
    that comes twice in an object is a fault. ``largest_record`` bounds each record, in MB. Raises
    SourceError.
    """
    if isinstance(source, str | PathLike) or hasattr(source, "read"):
        opened = open_bytes(_binary(source))
        return JsonRecords(opened, records, double_keys, largest_record << 20)
    if isinstance(source, dict):
        raise SourceError("a single mapping is no list of records; put it into a list")
    if not isinstance(source, Iterable) or isinstance(source, bytes | bytearray):
        raise SourceError(
            f"a source is a path, an open file or some records, not {type(source).__name__}"
        )
    return PythonRecords(source)


def _binary(source: Any) -> Any:
    """A text file's bytes; anything else as it is."""
    if isinstance(source, io.TextIOBase):
        return getattr(source, "buffer", None) or io.BytesIO(source.read().encode())
    return source
