"""Opening a source with what a layout adds to its records: cells taken apart, side lists."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

from .errors import SourceError
from .layout import Layout
from .layout.model import Attachment
from .plan.plan import expressions_in
from .run.balance import AttachedCount
from .run.protocols import Source
from .sources import AnySource, open_source
from .sources.enriched import Enriched, Enrichment
from .sources.entry_files import CsvEntries
from .sources.ordered_entries import ORDERED, OrderedEntries
from .sources.side_list import LARGEST, HeldEntries, SideList
from .sources.splitting import Splitter
from .structure.levels import KnownLevels, known_levels
from .structure.structure import Place


def open_enriched(
    layout: Layout, source: AnySource, strict: bool = False, structure: Place | None = None
) -> Source:
    """The source, its records with what the layout adds to them. Raises SourceError.

    Where it is ``strict``, names that come twice in an object are looked for. ``structure`` is that
    of all its records, if they were looked at.
    """
    opened = open_plain(layout, source, strict)
    added: list[Enrichment] = [Splitter(one) for one in layout.model.splits]
    known = known_levels(layout.model, expressions_in(layout.model), structure is not None)
    added += [_side_list(one, known) for one in layout.model.attachments]
    return Enriched(opened, added, structure) if added else opened


def open_plain(layout: Layout, source: AnySource, strict: bool = False) -> Source:
    """The source as it is, read as the layout says. Raises SourceError."""
    model = layout.model
    return open_source(
        source, model.records, double_keys=strict, largest_record=model.largest_record
    )


def attached_counts(source: Source) -> list[AttachedCount]:
    """What became of the side lists, once the source has been read."""
    added = source.enrichments if isinstance(source, Enriched) else ()
    return [one.count() for one in added if isinstance(one, SideList)]


def _side_list(attachment: Attachment, known: KnownLevels) -> SideList:
    """A side list, in memory where it is not too large. Raises SourceError."""
    path = Path(attachment.file)
    if path.stat().st_size > LARGEST:
        if path.suffix not in ORDERED:
            raise SourceError(
                f"{path} is too large to be held in memory; save it as CSV or JSON Lines, ordered "
                f"by `{attachment.key}`, or leave out what no record needs"
            )
        return SideList(attachment, OrderedEntries(path, attachment.key), known)
    if path.suffix == ".csv":
        file = CsvEntries(path)
        rows = (entry for _, entry in file.read())
        return SideList(attachment, HeldEntries(attachment, rows, file.headings), known)
    return SideList(attachment, HeldEntries(attachment, _records(attachment.file)), known)


def _records(file: str) -> Iterator[dict[str, Any]]:
    """The records of a side list; one that can't be read would silently match nothing."""
    for batch in open_source(file).batches(dict[str, Any]):
        if batch.faults:
            raise SourceError(f"{file}: {batch.faults[0]}")
        yield from batch.records
