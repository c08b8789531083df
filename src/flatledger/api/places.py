"""Where a run writes to, and whether it may."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from os import PathLike, fspath
from pathlib import Path
from typing import Any, NamedTuple, cast

from msgspec.structs import replace

from ..errors import OutputError
from ..layout.model.note import note_of
from ..layout.model.output_options import IfThere, Output
from ..layout.reading.read_tables import PLACE_OF_NAME
from ..outputs import Destination, Target, check_apart, check_suffix, check_table
from ..outputs.documents.csvw import SUFFIX
from ..outputs.formats import TEXTS, format_of, is_delimited
from ..outputs.places.apart import Apart
from ..outputs.places.names import aside, is_file, name_of
from ..sources import AnySource
from ..sources.sets.found_files import inputs_of, naming
from ..sources.tables.csvw_metadata import metadata_beside
from .layout import Layout


class TablePlace(NamedTuple):
    """Where tables go: one, or several that stand together in a document, by their numbers."""

    to: Destination
    tables: tuple[int, ...]


class OutputPlaces(NamedTuple):
    """The places of a run, and what becomes of files that are there, where that is said."""

    tables: tuple[TablePlace, ...]
    faults: Destination | None
    report: Destination | None
    if_there: IfThere | None


def tables_of(
    to: Destination | Sequence[Destination] | None,
    outputs: Sequence[Output],
    names: Sequence[str],
) -> tuple[TablePlace, ...]:
    """Where tables go that have these ``names``: to one place or several, or where each says.

    Raises OutputError.
    """
    own: list[tuple[Destination, int]]
    if to is None:
        own = [(place, at) for at, output in enumerate(outputs) for place in own_places(output)]
    else:
        listed = _listed(to)
        own = [(_named(place, name), at) for place in listed for at, name in enumerate(names)]
    found: dict[Any, TablePlace] = {}
    met: Counter[Any] = Counter()  # a place that is named twice is refused later on
    for place, at in own:
        called = fspath(place) if isinstance(place, str | PathLike) else id(place)
        met[called, at] += 1
        key = called, met[called, at]
        before = found.get(key, TablePlace(place, ()))
        found[key] = TablePlace(place, (*before.tables, at))
    for one in found.values():
        _check_several(one, outputs, names)
    return tuple(found.values())


def _named(place: Destination, name: str) -> Destination:
    """A place with the name of a table in its own."""
    if not isinstance(place, str | PathLike) or PLACE_OF_NAME not in fspath(place):
        return place
    return fspath(place).replace(PLACE_OF_NAME, name)


def _check_several(place: TablePlace, outputs: Sequence[Output], names: Sequence[str]) -> None:
    """Raise OutputError where several tables go to a place that takes one."""
    if len(place.tables) == 1:
        return
    name, called = name_of(place.to), [names[at] for at in place.tables]
    formats = {format_of(name, outputs[at].format) for at in place.tables}
    if len(formats) > 1:
        raise OutputError(f"{name}: {', '.join(called)} can't stand together in several formats")
    if _is_whole(place.to) and next(iter(formats)).several:
        return
    raise OutputError(
        f"{name} takes one table, and these are {len(called)} ({', '.join(called)}): put "
        f"{PLACE_OF_NAME} into the name of the file, choose one with `--table` (in Python "
        "layout.tables[…]), or write a workbook, a page or JSON"
    )


def _is_whole(place: Destination) -> bool:
    """Whether a place is a file, be it an open one, and no stream."""
    return not isinstance(place, str | PathLike) or is_file(place)


def _listed(to: Destination | Sequence[Destination]) -> tuple[Destination, ...]:
    several = isinstance(to, Sequence) and not isinstance(to, str | bytes)
    found = tuple(cast(Sequence[Destination], to)) if several else (cast(Destination, to),)
    if not found:
        raise OutputError("nowhere to write to: the list of places is empty")
    return found


def own_places(output: Output) -> tuple[str, ...]:
    """Where the layout says that its table goes: in the folder where it is run, or below.

    Raises OutputError.
    """
    if not output.files:
        raise OutputError("nowhere to write to: name a file, or put `output: file` in the layout")
    return tuple(map(_own_place, output.files))


def _own_place(file: str) -> str:
    try:
        inside = Path(file).resolve().is_relative_to(Path.cwd().resolve())
    except (OSError, RuntimeError) as error:
        raise OutputError(f"{file} can't be written: {error}") from error
    if not inside:
        raise OutputError(
            f"{file} is a link out of this folder, which a layout's `output: file` does not "
            "follow; name the file on the command line"
        )
    return file


def check_places(
    places: OutputPlaces,
    source: AnySource,
    layouts: Sequence[Layout],
    outputs: Sequence[Output],
    *,
    learn: bool = False,
) -> Apart:
    """What the run reads, apart from what it writes.

    Raises OutputError where a place can't be written to, before anything is read.
    """
    inputs = list(dict.fromkeys(file for layout in layouts for file in layout.taking_part()))
    files = inputs_of(source)
    inputs += [file for one in (*files, *inputs) for file in _metadata_of(one)]
    written: list[tuple[str, Any]] = [*_tables_with_metadata(places.tables, outputs)]
    written += [("the faults", places.faults), ("the report", places.report)]
    unbalanced = [
        one._replace(to=aside(Path(name_of(one.to)), "unbalanced"))
        for one in places.tables
        if _is_path(one.to)
    ]
    written += [
        ("the table, which is called so where it does not balance", place)
        for _, place in _tables_with_metadata(unbalanced, outputs)
    ]
    apart = Apart([*files, *inputs])
    apart.check(written)
    for table in places.tables:
        _check_not_among(table.to, source)
    path = layouts[0].path
    if learn and path is not None:
        note = note_of(path)
        check_apart([*files, *(one for one in inputs if one != note)], [("the note", note)])
    for table in places.tables:
        for at in table.tables:
            request = replace(layouts[at].request, output=outputs[at])
            check_table(request, name_of(table.to), together=len(table.tables) > 1)
    if places.faults is not None:
        check_suffix(name_of(places.faults), TEXTS, "the table of faults")
    if places.report is not None:
        check_suffix(name_of(places.report), (".json", ".txt"), "the balance")
    return apart


def _tables_with_metadata(
    tables: Iterable[TablePlace], outputs: Sequence[Output]
) -> Iterator[tuple[str, Destination]]:
    """Tables, and the metadata that go beside them."""
    for table, (first, *_) in tables:
        output = outputs[first]
        yield "the table", table
        if output.csvw and is_file(name_of(table)) and is_delimited(name_of(table), output.format):
            yield "the table", name_of(table) + SUFFIX


def _is_path(place: Destination) -> bool:
    return isinstance(place, str | PathLike) and is_file(place)


def _check_not_among(table: Destination, source: AnySource) -> None:
    """Raise OutputError for a table that the next run would read as one of its source's files."""
    name = name_of(table)
    among = naming(source, Path(name)) if table != "-" else ""
    if among and is_file(name):
        raise OutputError(
            f"{name} would be one of the files of {among} the next time; write it elsewhere"
        )


def _metadata_of(source: AnySource) -> list[Path]:
    """The metadata beside a source or a list, which take part in its reading."""
    return metadata_beside(fspath(source)) if isinstance(source, str | PathLike) else []


def check_verified(places: OutputPlaces, outputs: Sequence[Output]) -> None:
    """Raise OutputError where a table can't be read again once it is written."""
    from ..outputs.checking.read_back import check_readable

    for table, tables in places.tables:
        if not _is_path(table):
            raise OutputError(
                f"{name_of(table)} can't be read again, so it can't be verified; name a file"
            )
        for at in tables:
            check_readable(outputs[at], format_of(name_of(table), outputs[at].format).name)


def check_own_place(
    layouts: Sequence[Layout], source: AnySource, outputs: Sequence[Output]
) -> None:
    """Make the checks of an export to the layout's own files, if it names them; nothing is left."""
    if not all(output.files for output in outputs):
        return
    tables = tables_of(None, outputs, [one.name for one in layouts])
    check_places(OutputPlaces(tables, None, None, None), source, layouts, outputs)
    for table, (first, *_) in tables:
        assert isinstance(table, str)
        if is_file(table) or Path(table).is_dir():
            Target(table, outputs[first].if_there).abandon()
