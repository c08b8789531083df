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
from .run.protocols import Reader, Source
from .sources import AnySource, open_source
from .sources.enriched import EnrichedReader, EnrichedSource, Enrichment
from .sources.entry_files import CsvEntries
from .sources.ordered_entries import ORDERED, OrderedEntries
from .sources.side_list import LARGEST, HeldEntries, SideList
from .sources.splitting import Splitter
from .structure.levels import KnownLevels, known_levels
from .structure.structure import Place


def enriched(layout: Layout, source: Source, structure: Place | None = None) -> Source:
    """A source with what a layout adds to its records, if that is anything."""
    model = layout.model
    if not model.splits and not model.attachments:
        return source
    known = known_levels(model, expressions_in(model), structure is not None)

    def enrichments() -> list[Enrichment]:
        lists = (_side_list(one, known) for one in model.attachments)
        return [*(Splitter(one) for one in model.splits), *lists]

    return EnrichedSource(source, enrichments, structure)


def open_plain(
    layout: Layout, source: AnySource, strict: bool = False, keep: bool = False
) -> Source:
    """The source as it is, read as the layout says. Raises SourceError."""
    model = layout.model
    return open_source(
        source,
        model.records,
        double_keys=strict,
        largest_record=model.largest_record,
        keep=keep,
    )


def attached_counts(reader: Reader) -> list[AttachedCount]:
    """What became of the side lists, once the records have been read."""
    added = reader.enrichments if isinstance(reader, EnrichedReader) else ()
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
    with open_source(file).open() as reader:
        for batch in reader.batches():
            if batch.faults:
                raise SourceError(f"{file}: {batch.faults[0]}")
            yield from batch.records
