"""Opening a source with the side lists that a layout attaches to its records."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from .engine.balance import AttachedCount
from .engine.protocols import Source
from .layout import Layout
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


def _side_list(attachment: Any) -> SideList:
    if Path(attachment.file).suffix == ".csv":
        return read_side_list(attachment, None)
    batches = open_source(attachment.file).batches(dict[str, Any])
    return read_side_list(attachment, (record for batch in batches for record in batch.records))
