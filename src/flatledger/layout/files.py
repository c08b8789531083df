"""The files that a layout is made of: YAML, and lists (plain lines, or a column of CSV)."""

from __future__ import annotations

import csv
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from pathlib import Path

from ..errors import LayoutError, Problem
from .names import proposal
from .text import Item, read_yaml

SUFFIXES = {
    "layout": (".yaml", ".yml"),
    "conditions": (".yaml", ".yml"),
    "list": (".txt", ".csv"),
}


_DELIMITERS = ",;\t"
_met: ContextVar[set[Path] | None] = ContextVar("met", default=None)


@contextmanager
def files_met() -> Iterator[set[Path]]:
    """The files that are read for a layout meanwhile: what it is made of takes part in its runs."""
    outer, met = _met.get(), set[Path]()
    token = _met.set(met)
    try:
        yield met
    finally:
        _met.reset(token)
        if outer is not None:
            outer |= met


def take_note(path: Path) -> None:
    """Take note of a file that is read for a layout."""
    met = _met.get()
    if met is not None:
        met.add(path)


@contextmanager
def reading(path: Path) -> Iterator[None]:
    """Turn what can go wrong with a file into a LayoutError that names it; take note of it."""
    take_note(path)
    try:
        yield
    except UnicodeDecodeError as error:
        problem = Problem(f"byte {error.start} is not UTF-8; save it as UTF-8")
    except OSError as error:
        problem = Problem(f"the file can't be read: {error.strerror}")
    except csv.Error as error:
        problem = Problem(f"this is not CSV: {error}")
    except ValueError as error:  # a NUL in its name
        problem = Problem(f"the file can't be read: {error}")
    else:
        return
    raise LayoutError(str(path), [problem])


def read_items(path: Path) -> Item:
    """The items of a YAML file. Raises LayoutError where it can't be read."""
    with reading(path):
        text = path.read_text(encoding="utf-8-sig")
    return read_yaml(text, str(path))


def beside(name: str, folder: Path | None) -> Path:
    """A file that a layout names: beside or below itself. Raises LayoutError."""
    path = Path(name)
    if path.is_absolute() or ".." in path.parts:
        problem = Problem("a layout names files beside or below itself only")
        raise LayoutError(name, [problem])
    if folder is None:
        problem = Problem("a layout that is not in a file has nothing beside it; use the shelf")
        raise LayoutError(name, [problem])
    found = folder / path
    try:
        inside = found.resolve().is_relative_to(folder.resolve())
    except (OSError, RuntimeError, ValueError) as error:
        raise LayoutError(name, [Problem(f"the file can't be read: {error}")]) from None
    if not inside:
        problem = Problem("this is a link out of the layout's folder, which layouts do not follow")
        raise LayoutError(name, [problem])
    return found


def read_list(path: Path, heading: str | None = None) -> tuple[str, ...]:
    """The values of a list, each once, in order; blank lines and blanks around are left out.

    Of a CSV file (with a comma, semicolon or tab) it is the column under ``heading``, or the first
    one. Raises LayoutError where the file can't be read or has no such heading.
    """
    if path.suffix == ".csv":
        return values_of(_column(path, heading))
    with reading(path), path.open(encoding="utf-8-sig") as file:
        return values_of(file)


def csv_rows(path: Path) -> Iterator[tuple[int, list[str]]]:
    """The rows of a CSV file (with a comma, semicolon or tab), each with the line it ends on.

    The first is the header. Raises LayoutError where the file can't be read.
    """
    delimiter = delimiter_of(path)
    with reading(path), path.open(encoding="utf-8-sig", newline="") as file:
        rows = csv.reader(file, delimiter=delimiter)
        yield from ((rows.line_num, row) for row in rows)


def delimiter_of(path: Path) -> str:
    """A comma, semicolon or tab: what the first line that has one has most of."""
    with reading(path), path.open(encoding="utf-8-sig", newline="") as file:
        line = next((line for line in file if set(line) & set(_DELIMITERS)), "")
    return max(_DELIMITERS, key=line.count)


def values_of(lines: Iterable[str]) -> tuple[str, ...]:
    """What stands on lines: each value once, in order.

    >>> values_of(["R-1", "", " R-2 ", "R-1"])
    ('R-1', 'R-2')
    """
    values = dict.fromkeys(map(str.strip, lines))
    values.pop("", None)
    return tuple(values)


def _column(path: Path, heading: str | None) -> Iterator[str]:
    rows = csv_rows(path)
    _, headings = next(rows, (0, []))
    if heading is not None and heading not in headings:
        hint = proposal(heading, headings) or f"; there are {', '.join(headings)}"
        raise LayoutError(str(path), [Problem(f"no heading `{heading}`{hint}")])
    place = headings.index(heading) if heading is not None else 0
    yield from (row[place] for _, row in rows if place < len(row))
