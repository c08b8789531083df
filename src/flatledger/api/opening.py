"""Opening a source with what a layout adds to its records: cells taken apart, side lists."""

from __future__ import annotations

from collections.abc import Mapping
from os import PathLike
from pathlib import Path
from typing import Any

from ..bounds import LARGEST_LIST_HELD
from ..compile.definitions import Definitions
from ..errors import LayoutError, SourceError
from ..layout.declared import bare
from ..layout.model import LayoutParts, Lookup
from ..layout.read_source import SOURCE
from ..layout.reading import Reading
from ..layout.source_options import CATALOGUE, SourceOptions
from ..layout.text import from_data
from ..plan.plan import expressions_in, reads_everything
from ..run.balance import LookupCount
from ..run.protocols import Reader, Source
from ..sources import AnySource, is_of_format, open_source
from ..sources.bundled import BundledSource
from ..sources.enriched import EnrichedReader, EnrichedSource, Enrichment
from ..sources.options import Options
from ..sources.ordered_entries import ORDERED, OrderedEntries
from ..sources.side_list import HeldEntries, SideList
from ..sources.splitting import Splitter
from ..structure.known_levels import known_levels
from ..structure.levels import KnownLevels
from ..structure.structure import Place
from ..structure.wanted import names_wanted
from ..values.field_values import FieldReader
from .layout_files import FilesOf
from .shelf_folders import ShelfFolders


def open_as(
    source: AnySource,
    records: str | None,
    largest_record: int,
    reading: Mapping[str, Any] | None,
    *,
    double_keys: bool = False,
    asked: frozenset[str] | None = None,
    reads_all: bool = False,
) -> Source:
    """A source that is read as a person says, without a layout. Raises SourceError and LayoutError.

    ``reading`` has the keys that stand under `source` in a layout.
    """
    usual = {"largest-record": largest_record, **({"records": records} if records else {})}
    item = from_data({**usual, **(reading or {})})
    how = Reading(FilesOf(None, ShelfFolders()))
    found = SOURCE.read(item, "how the source is read", how)
    if how.problems:
        raise LayoutError("how the source is read", how.problems)
    options = Options.of(found, double_keys=double_keys, asked=asked, reads_all=reads_all)
    options = options._replace(whole_if_mixed=reads_all)
    return open_source(source, options, format=found.stated_format)


def is_catalogue(source: AnySource, reading: Mapping[str, Any] | None) -> bool:
    """Whether a source is a catalogue, whose paths have a notation of their own: as is stated, or
    as a file begins. Raises SourceError."""
    stated = (reading or {}).get("format")
    if stated is not None:
        return str(getattr(stated, "text", stated)) == CATALOGUE
    if not isinstance(source, str | PathLike | list | tuple) or source == "-":
        return False
    return is_of_format(source, CATALOGUE)


def open_plain(
    request: LayoutParts, source: AnySource, *, double_keys: bool = False, keep: bool = False
) -> Source:
    """The source as it is, read as the layout says. Raises SourceError."""
    how = request.source
    options = Options.of(
        how,
        double_keys=double_keys,
        asked=names_wanted(request),
        reads_all=reads_everything(request),
        declared=frozenset(".".join(one.names) for one in request.fields),
    )
    opened = open_source(source, options, format=how.stated_format, keep=keep)
    if request.nest is not None and not request.nest.of:
        return BundledSource(opened, request.nest)
    return opened


def definitions_of(request: LayoutParts, source: Source) -> Definitions | None:
    """The definitions by which nodes of a tree are opened, with what the layout adds to them: of a
    file, or the records themselves. Raises SourceError where none has the name it is named by."""
    by = request.opens_by
    if by is None:
        return None
    found = Definitions(by.file)
    if by.file:
        how = by.reading or SourceOptions()
        options = Options.of(how, asked=names_wanted(request), reads_all=reads_everything(request))
        opened = open_source(by.file, options, format=how.stated_format)
        source = enriched(request, opened)
    with source.open() as reader:
        for batch in reader.batches():
            if by.file and batch.faults:
                raise SourceError(
                    f"{by.file}: {batch.faults[0]}".replace("; the record is left out", "")
                )
            for record in batch.records:
                found.add(record, by.named_by, by.level)
    if not found.nodes and found.nameless:
        where = by.file or "the source"
        raise SourceError(f"`opens-by`: no record of {where} has a `{by.named_by}`")
    return found


def enriched(request: LayoutParts, source: Source, structure: Place | None = None) -> Source:
    """A source with what a layout adds to its records, if that is anything.

    ``structure`` is that of all records, where it is known.
    """
    if not request.splits and not request.lookups:
        return source
    known = known_levels(request, expressions_in(request), structure is not None)

    def enrichments() -> list[Enrichment]:
        lists = (_side_list(one, known, _key_reader(one, request)) for one in request.lookups)
        return [*(Splitter(one, known) for one in request.splits), *lists]

    return EnrichedSource(source, enrichments, structure)


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
    from ..sources.list_files import OpenedList

    with OpenedList(lookup.file, lookup.reading) as found:
        if found.double:
            raise SourceError(f"{path} has a heading twice: {', '.join(found.double)}")
        held = HeldEntries(lookup, found.entries, found.names, reader)
        return SideList(lookup, held, known, reader)
