"""Where a run writes to, and whether it may."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from os import PathLike, fspath
from pathlib import Path
from typing import Any, NamedTuple, cast

from msgspec.structs import replace

from ..errors import OutputError
from ..layout.model.note import note_of
from ..layout.model.output_options import IfThere, Output
from ..outputs import Destination, Target, check_apart, check_suffix, check_table
from ..outputs.documents.csvw import SUFFIX
from ..outputs.formats import TEXTS, format_of, is_delimited
from ..outputs.places.apart import Apart
from ..outputs.places.names import aside, is_file, name_of
from ..sources import AnySource
from ..sources.sets.found_files import inputs_of, naming
from ..sources.tables.csvw_metadata import metadata_beside
from .layout import Layout

Tables = tuple[Destination, ...]


class OutputPlaces(NamedTuple):
    """The places of a run, and what becomes of files that are there."""

    tables: tuple[Destination, ...]
    faults: Destination | None
    report: Destination | None
    if_there: IfThere


def tables_of(to: Destination | Sequence[Destination] | None, output: Output) -> Tables:
    """Where the table goes: to one place or several, or where the layout says.

    Raises OutputError.
    """
    if to is None:
        return own_places(output)
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
    places: OutputPlaces, source: AnySource, layout: Layout, output: Output, *, learn: bool = False
) -> Apart:
    """What the run reads, apart from what it writes.

    Raises OutputError where a place can't be written to, before anything is read.
    """
    inputs = layout.taking_part()
    files = inputs_of(source)
    inputs += [file for one in (*files, *inputs) for file in _metadata_of(one)]
    outputs: list[tuple[str, Any]] = [*_tables_with_metadata(places.tables, output)]
    outputs += [("the faults", places.faults), ("the report", places.report)]
    unbalanced = [aside(Path(name_of(one)), "unbalanced") for one in places.tables if _is_path(one)]
    outputs += [
        ("the table, which is called so where it does not balance", place)
        for _, place in _tables_with_metadata(unbalanced, output)
    ]
    apart = Apart([*files, *inputs])
    apart.check(outputs)
    for table in places.tables:
        _check_not_among(table, source)
    if learn and layout.path is not None:
        note = note_of(layout.path)
        check_apart([*files, *(one for one in inputs if one != note)], [("the note", note)])
    for table in places.tables:
        check_table(replace(layout.request, output=output), name_of(table))
    if places.faults is not None:
        check_suffix(name_of(places.faults), TEXTS, "the table of faults")
    if places.report is not None:
        check_suffix(name_of(places.report), (".json", ".txt"), "the balance")
    return apart


def _tables_with_metadata(
    tables: Iterable[Destination], output: Output
) -> Iterator[tuple[str, Destination]]:
    """Tables, and the metadata that go beside them."""
    for table in tables:
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


def check_verified(places: OutputPlaces, output: Output) -> None:
    """Raise OutputError where a table can't be read again once it is written."""
    from ..outputs.checking.read_back import check_readable

    for table in places.tables:
        if not _is_path(table):
            raise OutputError(
                f"{name_of(table)} can't be read again, so it can't be verified; name a file"
            )
        check_readable(output, format_of(name_of(table), output.format).name)


def check_own_place(layout: Layout, source: AnySource, output: Output) -> None:
    """Make the checks of an export to the layout's own file, if it names one; nothing is left."""
    if not output.files:
        return
    tables = own_places(output)
    places = OutputPlaces(tables, None, None, output.if_there)
    check_places(places, source, layout, output)
    for table in tables:
        if is_file(table) or Path(table).is_dir():
            Target(table, places.if_there).abandon()
