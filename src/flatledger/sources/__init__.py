"""From bytes to records: one module per format, found by content and name."""

from __future__ import annotations

from collections.abc import Iterable
from os import PathLike
from typing import Any, BinaryIO

from ..bounds import LARGEST_RECORD
from ..errors import SourceError
from ..run.protocols import Source
from .formats import ByteSource, format_named
from .options import USUAL, Options
from .reading import Bytestream
from .records import PythonSource

AnySource = str | PathLike[str] | BinaryIO | Iterable[Any]


def open_source(
    source: AnySource, options: Options = USUAL, *, format: str = "", keep: bool = False
) -> Source:
    """The source of a path (``-``: standard input), an open file, or any iterable of records.

    A blank ``format`` is found. With ``keep`` standard input is kept while it is read, so that it
    can be read again. Raises SourceError.
    """
    stated = format_named(format) if format else None
    if isinstance(source, str | PathLike) or hasattr(source, "read"):
        return ByteSource(Bytestream(source, keep), options, stated)
    if isinstance(source, dict):
        raise SourceError("a single mapping is no list of records; put it into a list")
    if not isinstance(source, Iterable) or isinstance(source, bytes | bytearray):
        raise SourceError(
            f"a source is a path, an open file or some records, not {type(source).__name__}"
        )
    return PythonSource(source)


def options_of(
    records: str | None, largest_record: int = LARGEST_RECORD, *, double_keys: bool = False
) -> Options:
    """The options as a person gives them: a path of names, and megabytes.

    >>> options_of("data.items", 1)
    Options(records=('data', 'items'), double_keys=False, largest=1048576)
    """
    names = tuple(records.split(".")) if records else ()
    return Options(names, double_keys, largest_record << 20)
