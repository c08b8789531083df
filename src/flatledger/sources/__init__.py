"""From bytes to records: one module per format, found by content and name."""

from __future__ import annotations

import io
from collections.abc import Iterable
from os import PathLike
from typing import Any, BinaryIO

import msgspec

from ..engine.levels import Names
from ..engine.protocols import Source
from ..errors import SourceError
from .json_document import JsonDocument
from .json_lines import JsonLines
from .reading import Bytes, open_bytes
from .records import PythonRecords

AnySource = str | PathLike[str] | BinaryIO | Iterable[Any]
_LINES = (".jsonl", ".ndjson", ".jsonl.gz", ".ndjson.gz")


def open_source(source: AnySource, records: Names = ()) -> Source:
    """Open a path (``-``: standard input), an open file, or any iterable of Python records.

    ``records`` is the path of names to the records within a document. Raises SourceError.
    """
    if isinstance(source, str | PathLike) or hasattr(source, "read"):
        data = open_bytes(_binary(source))
        if records and data.name.lower().endswith(_LINES):
            data.close()
            raise SourceError(
                f"{data.name} has a record on each line; `source: records` in the layout is for a "
                "document that holds a list, so leave it out"
            )
        return JsonLines(data) if _is_lines(data, records) else JsonDocument(data, records)
    if isinstance(source, dict):
        raise SourceError("a single mapping is no list of records; put it into a list")
    return PythonRecords(source)


def _binary(source: Any) -> Any:
    """A text file's bytes; anything else as it is."""
    if isinstance(source, io.TextIOBase):
        return getattr(source, "buffer", None) or io.BytesIO(source.read().encode())
    return source


def _is_lines(data: Bytes, records: Names) -> bool:
    """Whether the data is JSON Lines rather than one document."""
    if data.name.lower().endswith(_LINES):
        return True
    start = data.start.lstrip()
    if records or start[:1] == b"[":
        return False
    first, *rest = start.split(b"\n", 2)
    if not rest or not start.startswith(b"{"):  # one long line is a record, whole or not
        return True
    return _is_object(first) or _is_object(rest[0])


def _is_object(line: bytes) -> bool:
    try:
        return isinstance(msgspec.json.decode(line, type=dict[str, msgspec.Raw]), dict)
    except (msgspec.MsgspecError, UnicodeDecodeError):
        return False
