"""Opening a source with the side lists that a layout attaches to its records."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

from .engine.balance import AttachedCount
from .engine.protocols import Source
from .errors import SourceError
from .layout import Layout
from .layout.model import Attachment
from .sources import AnySource, open_source
from .sources.attached import Attached, SideList, read_side_list


def open_attached(layout: Layout, source: AnySource) -> Source:
    """The source, its records with the fields of the layout's side lists. Raises SourceError."""
    opened = open_source(source, layout.model.records)
    lists = [_side_list(one) for one in layout.model.attachments]
    return Attached(opened, lists) if lists else opened


def attached_counts(source: Source) -> list[AttachedCount]:
    """What became of the side lists, once the source has been read."""
    return source.counts() if isinstance(source, Attached) else []


def _side_list(attachment: Attachment) -> SideList:
    if Path(attachment.file).suffix == ".csv":
        return read_side_list(attachment, None)
    return read_side_list(attachment, _records(attachment.file))


def _records(file: str) -> Iterator[dict[str, Any]]:
    """The records of a side list; one that can't be read would silently match nothing."""
    for batch in open_source(file).batches(dict[str, Any]):
        if batch.faults:
            raise SourceError(f"{file}: {batch.faults[0]}")
        yield from batch.records
