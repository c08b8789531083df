"""What a layout adds to the records of a source: entries of side lists, parts of texts."""

from __future__ import annotations

from pathlib import Path

from ..bounds import LARGEST_LIST_HELD
from ..errors import SourceError
from ..layout.model.declared import bare
from ..layout.model.model import LayoutParts, Lookup
from ..run.balance import LookupCount
from ..run.protocols import Reader
from ..sources.sets.list_files import OpenedList
from ..sources.shaping.enriched import EnrichedReader, Enrichment
from ..sources.shaping.ordered_entries import ORDERED, OrderedEntries
from ..sources.shaping.side_list import HeldEntries, SideList
from ..sources.shaping.splitting import Splitter
from ..structure.levels import KnownLevels
from ..values.field_values import FieldReader


def added(request: LayoutParts, known: KnownLevels) -> list[Enrichment]:
    """What adds to the records. Raises SourceError."""
    lists = (_side_list(one, known, _key_reader(one, request)) for one in request.lookups)
    return [*(Splitter(one, known) for one in request.splits), *lists]


def lookup_counts(reader: Reader) -> list[LookupCount]:
    """What became of the side lists, once the records have been read."""
    added = reader.enrichments if isinstance(reader, EnrichedReader) else ()
    return [one.count() for one in added if isinstance(one, SideList)]


def _key_reader(lookup: Lookup, request: LayoutParts) -> FieldReader | None:
    """What reads the keys of a side list, where the field is declared that it is matched by."""
    names = [*lookup.matched_by]
    fields = (one for one in request.fields if bare(one.names) == names)
    field = next((one for one in fields if one.declared.kind not in ("any", "text")), None)
    return field.in_locale(request.locale).reader() if field is not None else None


def _side_list(lookup: Lookup, known: KnownLevels, reader: FieldReader | None) -> SideList:
    """A side list, in memory where it is not too large. Raises SourceError."""
    path = Path(lookup.file)
    if path.stat().st_size > LARGEST_LIST_HELD:
        if reader is not None:
            raise SourceError(
                f"{path} is too large to be held in memory, and its keys can't be read as they are "
                f"declared; leave out what no record needs, or declare {lookup.key} as a string"
            )
        if path.suffix not in ORDERED:
            raise SourceError(
                f"{path} is too large to be held in memory; save it as CSV or JSON Lines, ordered "
                f"by `{lookup.key}`, or leave out what no record needs"
            )
        return SideList(lookup, OrderedEntries(path, lookup.key), known)
    with OpenedList(lookup.file, lookup.reading) as found:
        if found.double:
            raise SourceError(f"{path} has a heading twice: {', '.join(found.double)}")
        held = HeldEntries(lookup, found.entries, found.names, reader)
        return SideList(lookup, held, known, reader)
