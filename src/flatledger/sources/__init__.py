"""From bytes to records: one module per format, found by content and name."""

from __future__ import annotations

import os
from collections.abc import Iterable
from os import PathLike
from typing import Any, BinaryIO, Protocol, cast

from ..errors import SourceError
from ..run.protocols import Source
from .files.options import USUAL, Options
from .files.reading import Bytestream, open_bytes
from .formats import ByteSource, format_found, format_named
from .objects.python_values import is_object, rows_of
from .objects.records import PythonSource
from .sets.found_files import files_of, folders_within


class ArrowStream(Protocol):
    """Whatever gives a stream by Arrow's C interface: tables, frames, relations."""

    def __arrow_c_stream__(self, requested_schema: Any = None) -> object:
        """The stream, as a PyCapsule."""
        ...


AnySource = str | PathLike[str] | BinaryIO | Iterable[Any] | ArrowStream


def format_of(source: AnySource) -> str:
    """The format of a file, or of the first of several, by how it begins and its name; blank of
    what is no file.

    Raises SourceError where none can be opened.
    """
    files = files_of(source)
    if files is None and not (isinstance(source, str | PathLike) and os.path.isfile(source)):
        return ""
    data = files[0].open() if files else open_bytes(cast(str, source))
    data.close()
    return format_found(data.head, data.name).name


def open_source(
    source: AnySource, options: Options = USUAL, *, format: str = "", keep: bool = False
) -> Source:
    """The source of a path (``-``: standard input), of several files (a list of paths, a pattern,
    a folder, a ZIP file), an open file, a database cursor, a data frame, or any iterable of
    records: mappings, or objects with members.

    A blank ``format`` is found. With ``keep`` standard input is kept while it is read, so that it
    can be read again. Raises SourceError.
    """
    stated = format_named(format) if format else None
    if (files := files_of(source)) is not None:
        from .sets.many_files import FilesSource

        return FilesSource(files, options, stated, folders_within(source))
    if isinstance(source, str | PathLike) or hasattr(source, "read"):
        return ByteSource(Bytestream(source, keep), options, stated)
    if (rows := rows_of(source)) is not None:
        return PythonSource(rows.records, manner=rows.manner, held=rows.held)
    if isinstance(source, dict) or is_object(source):
        raise SourceError("a single record is no list of records; put it into a list")
    if not isinstance(source, Iterable) or isinstance(source, bytes | bytearray):
        raise SourceError(
            f"a source is a path, an open file or some records, not {type(source).__name__}"
        )
    return PythonSource(source)
