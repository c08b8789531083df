"""Opening a source with what a layout adds to its records: cells taken apart, side lists."""

from __future__ import annotations

from collections.abc import Mapping
from os import PathLike
from typing import Any

from ..errors import LayoutError, SourceError
from ..language.notations import Notation, notation_of
from ..layout.model.model import LayoutParts
from ..layout.model.source_options import SourceOptions
from ..layout.model.text import from_data
from ..layout.reading.read_source import SOURCE
from ..layout.reading.reading import Reading
from ..plan.plan import expressions_in, reads_everything
from ..run.protocols import NodeDefinitions, Source
from ..sources import AnySource, format_of, open_source
from ..sources.files.options import Options
from ..sources.shaping.bundled import BundledSource
from ..sources.shaping.enriched import EnrichedSource
from ..structure.known_levels import known_levels
from ..structure.structure import Place
from ..structure.wanted import names_wanted
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


def notation_for(source: AnySource, reading: Mapping[str, Any] | None) -> Notation | None:
    """The notation of the paths of a source, if it has one: of the format that is stated, or as a
    file begins. Raises SourceError."""
    stated = (reading or {}).get("format")
    if stated is not None:
        return notation_of(str(getattr(stated, "text", stated)))
    if not isinstance(source, str | PathLike | list | tuple) or source == "-":
        return None
    return notation_of(format_of(source))


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


def definitions_of(request: LayoutParts, source: Source) -> NodeDefinitions | None:
    """The definitions by which nodes of a tree are opened, with what the layout adds to them: of a
    file, or the records themselves. Raises SourceError where none has the name it is named by."""
    by = request.opens_by
    if by is None:
        return None
    found = NodeDefinitions(by.file)
    if by.file:
        how = by.reading or SourceOptions()
        options = Options.of(how, asked=names_wanted(request), reads_all=reads_everything(request))
        opened = open_source(by.file, options, format=how.stated_format)
        source = enriched(request, opened)
    with source.open() as reader:
        for batch in reader.batches():
            if by.file and batch.faults:
                from ..sources.sets.list_files import LEFT_OUT

                raise SourceError(f"{by.file}: {batch.faults[0]}".replace(LEFT_OUT, ""))
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
    from .side_lists import added

    known = known_levels(request, expressions_in(request), structure is not None)

    return EnrichedSource(source, lambda: added(request, known), structure)
