"""From bytes to records: one module per format, found by content and name."""

from __future__ import annotations

from collections.abc import Iterable
from os import PathLike
from typing import Any, BinaryIO

from ..errors import SourceError
from ..run.protocols import Source
from ..structure.levels import Names
from .json_source import JsonSource
from .json_text import LARGEST
from .reading import Bytestream
from .records import PythonSource

LARGEST_RECORD = LARGEST >> 20  # MB
AnySource = str | PathLike[str] | BinaryIO | Iterable[Any]


def open_source(
    source: AnySource,
    records: Names = (),
    *,
    double_keys: bool = False,
    largest_record: int = LARGEST_RECORD,
    keep: bool = False,
) -> Source:
    """The source of a path (``-``: standard input), an open file, or any iterable of records.

    ``records`` is the path of names to the records within a document. With ``double_keys`` a name
    that comes twice in an object is a fault. ``largest_record`` bounds each record, in MB. With
    ``keep`` standard input is kept while it is read, so that it can be read again. Raises
    SourceError.
    """
    if isinstance(source, str | PathLike) or hasattr(source, "read"):
        stream = Bytestream(source, keep)
        return JsonSource(stream, records, double_keys, largest_record << 20)
    if isinstance(source, dict):
        raise SourceError("a single mapping is no list of records; put it into a list")
    if not isinstance(source, Iterable) or isinstance(source, bytes | bytearray):
        raise SourceError(
            f"a source is a path, an open file or some records, not {type(source).__name__}"
        )
    return PythonSource(source)
