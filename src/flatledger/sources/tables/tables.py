"""Records that are rows of a table: each cell by its heading."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Sequence, Set
from functools import partial
from itertools import chain, starmap
from operator import itemgetter
from typing import Any, NamedTuple

import msgspec

from ...bounds import MOST_SOURCE_COLUMNS
from ...errors import SourceError
from ...layout.model.source_options import TableReading
from ...run.protocols import Account, Batch, Origin
from ...values.cleaning import on_one_line
from ...values.faults import Fault, shown
from ...values.formulas import without_guard
from ..files.reader import BaseReader
from ..json.json_values import LOOK_AHEAD
from ..json.neighbours import Neighbours
from .row_texts import RowBlock
from .total_rows import LabelWatch, TotalRowsDropped

Maker = Callable[[list[Sequence[Any]]], list[Any]]


class Headings(NamedTuple):
    """The names of fields, what to say of those that are not as they stood, and those that came
    more than once."""

    names: list[str]
    notes: Sequence[str] = ()
    double: Sequence[str] = ()


def headings_of(rows: Sequence[Sequence[str]], joiner: str) -> Headings:
    """The headings in one or several rows.

    Of several rows those of a column are joined; a blank one above goes on from the left, as under
    a heading that stands over several columns. Blank headings get a name, equal ones a number.

    >>> headings_of([["Lot", "", "Note"], ["Qty", "Price", ""]], " ").names
    ['Lot Qty', 'Lot Price', 'Note']
    >>> headings_of([["No", "No", ""]], " ")
    Headings(names=['No', 'No_2', 'column_3'], notes=['No_2 is the second column headed No', \
'column_3 has no heading'], double=['No'])
    """
    width = max(map(len, rows), default=0)
    if width > MOST_SOURCE_COLUMNS:
        raise SourceError(
            f"the row of headings has {width:,} cells, and {MOST_SOURCE_COLUMNS:,} are the most; "
            "is this a table, with this delimiter?"
        )
    parts: list[list[str]] = [[] for _ in range(width)]
    for number, row in enumerate(rows, 1):
        above = ""
        for place in range(width):
            cell = on_one_line(row[place].strip()) if place < len(row) else ""
            above = cell or above
            part = above if number < len(rows) else cell
            if part:
                parts[place].append(part)
    names, notes = list[str](), list[str]()
    plain = [joiner.join(part) for part in parts]
    met: Counter[str] = Counter()
    taken = {*plain}
    for place, name in enumerate(plain, 1):
        met[name] += 1
        own = name
        if not name:
            own = _free(f"column_{place}", taken)
            notes.append(f"{own} has no heading")
        elif met[name] > 1:
            own = _free(f"{name}_{met[name]}", taken)
            notes.append(f"{own} is the {_ordinal(met[name])} column headed {name}")
        names.append(own)
        taken.add(own)
    return Headings(names, notes, [name for name, count in met.items() if name and count > 1])


def _free(name: str, taken: Set[str]) -> str:
    while name in taken:
        name += "_"
    return name


def _ordinal(number: int) -> str:
    words = {2: "second", 3: "third", 4: "fourth", 5: "fifth"}
    return words.get(number, f"{number}th")


class TableReader(BaseReader):
    """Reads the rows of a table as records (a Reader). ``manner`` says how it is read.

    It makes records in the type that is asked for; where all cells are ``texts``, in an exact one
    too. ``nested`` headings are paths, and such records are plain data. ``double`` are headings
    that came more than once, and were numbered.
    """

    def __init__(
        self,
        name: str,
        headings: Sequence[str],
        blocks: Iterator[RowBlock],
        manner: str,
        *,
        close: Callable[[], None],
        double: Sequence[str] = (),
        nested: bool = False,
        texts: bool = True,
        value: Callable[[Any], Any] | None = None,
        stated: TableReading,
        notices: Sequence[str] = (),
    ) -> None:
        """``value`` makes of a cell what a record has, where that is not the cell itself."""
        self.name, self.manner = name, manner
        self.decodes = not nested
        self.headings = self._headings = list(headings)
        self.double = double
        self._notices = notices
        self._dropped, self._labels = None, None
        self._fills, self._short = stated.short_rows == "blank", 0
        total_rows = stated.total_rows
        if total_rows.said == "drop" and total_rows.drop and not total_rows.needs_look:
            self._dropped = TotalRowsDropped(total_rows, headings, name, self._is_row)
            blocks = self._dropped.of(blocks)
        elif total_rows.said != "keep" and not nested:
            self._labels = LabelWatch()
            blocks = self._labels.of(blocks)
        self._blocks = blocks
        self._close = close
        self._texts = texts
        self.types_moments = not texts
        self._value = value
        self._plain: Maker = _nested(self._headings, name) if nested else self._as_mappings
        if nested and value is not None:
            make = self._plain
            self._plain = lambda rows: make([list(map(value, row)) for row in rows])
        self._first: list[Any] | None = None

    def close(self) -> None:
        self._close()

    def peek(self) -> list[Any]:
        if self._first is None:
            seen, found = list[RowBlock](), list[Any]()
            for block in self._blocks:
                seen.append(block)
                fit = [row for row in block.rows if len(row) == len(self._headings)]
                found += self._plain(fit[: LOOK_AHEAD - len(found)])
                if len(found) >= LOOK_AHEAD:
                    break
            self._first = found
            self._blocks = chain(seen, self._blocks)
        return self._first

    def batches(self, record_type: Any = None, exact: Any = None) -> Iterator[Batch]:
        make, is_exact = self._maker(record_type, exact)
        number, readable, first_fault = 1, False, ""
        neighbours = Neighbours()
        for block in self._blocks:
            repeats = neighbours.repeats(block.rows, number)
            batch = self._batch(block, number, make)._replace(exact=is_exact, repeats=repeats)
            number += len(batch.records) + len(batch.faults)
            readable = readable or bool(batch.records)
            first_fault = first_fault or next((str(fault.reason) for fault in batch.faults), "")
            yield batch
        if first_fault and not readable:
            raise SourceError(f"{self.name}: nothing in it can be read; {first_fault}")

    def _is_row(self, row: Sequence[Any]) -> bool:
        """Whether a row has as many cells as there are headings, or as many are taken for blank."""
        width = len(self._headings)
        if len(row) >= width:
            return not any(row[width:])
        return self._fills and len(row) > 1

    @property
    def account(self) -> Account:  # type: ignore[override]
        """What there is to say of rows that are totals or end early, as far as was read."""
        left_out = self._dropped.told if self._dropped is not None else None
        labelled = self._labels.seen if self._labels is not None else ()
        return Account(self._notices, left_out=left_out, labelled=labelled, short_rows=self._short)

    def _maker(self, record_type: Any, exact: Any) -> tuple[Maker, bool]:
        if exact is not None and self._texts and _takes_texts(exact):
            return _structs(exact, self._headings), True
        if isinstance(record_type, type) and issubclass(record_type, msgspec.Struct):
            return _structs(record_type, self._headings, self._value), False
        return self._plain, False

    def _as_mappings(self, rows: list[Sequence[Any]]) -> list[Any]:
        names, value = self._headings, self._value
        if value is None:
            return [
                {name: cell or None for name, cell in zip(names, row, strict=False)} for row in rows
            ]
        return [dict(zip(names, map(value, row), strict=False)) for row in rows]

    def _batch(self, block: RowBlock, number: int, make: Maker) -> Batch:
        rows, width = block.rows, len(self._headings)
        places: list[int] | None = None
        numbers: Sequence[int] = range(number, number + len(rows))
        faults: list[Fault] = []
        remarks: list[Fault] = []
        if not block.even and (block.wrong or {*map(len, rows)} - {width}):
            rows, numbers, faults, places = self._parted(block, number)
        if block.odd:
            by_row = {id(row): at for row, at in zip(rows, numbers, strict=True)}
            for place, reason in block.odd:
                row = block.rows[place]
                if id(row) in by_row:
                    why = f"{reason} ({block.where(place)})"
                    remarks.append(Fault(by_row[id(row)], "", _line(row), why))
        origin = Origin(self.file, rows=partial(block.numbers, places))
        last = partial(self._plain, rows[-1:])
        made, plain = make(rows), lambda place: self._plain([rows[place]])[0]
        return Batch(made, numbers, faults, last, remarks, origin=origin, plain=plain)

    def _parted(
        self, block: RowBlock, number: int
    ) -> tuple[list[Sequence[Any]], list[int], list[Fault], list[int]]:
        """The rows that are whole with their numbers, the faults of the others, and at which places
        of the block they are.

        Blank cells beyond the last heading are passed over.
        """
        width = len(self._headings)
        rows: list[Sequence[Any]] = []
        numbers: list[int] = []
        faults: list[Fault] = []
        places: list[int] = []
        wrong = iter(block.wrong)
        next_wrong = next(wrong, None)
        for place in range(len(block.rows) + 1):
            while next_wrong is not None and next_wrong.before <= place:
                why = f"{next_wrong.reason} (line {next_wrong.line:,}); the record is left out"
                faults.append(Fault(number, "", shown(next_wrong.text[:200]), why))
                number += 1
                next_wrong = next(wrong, None)
            if place == len(block.rows):
                break
            row = block.rows[place]
            if len(row) > width and not any(row[width:]):
                row = row[:width]
            if 1 < len(row) < width:  # one cell alone is no row of the table
                self._short += 1
                if self._fills:
                    row = [*row, *[""] * (width - len(row))]
            if len(row) == width:
                rows.append(row)
                numbers.append(number)
                places.append(place)
            else:
                many = "too many" if len(row) > width else "too few"
                why = (
                    f"{many} cells: {len(row):,} under {width:,} headings ({block.where(place)}); "
                    "the record is left out"
                    + ("; `short-rows: blank` takes it" if 1 < len(row) < width else "")
                )
                faults.append(Fault(number, "", _line(row), why))
            number += 1
        return rows, numbers, faults, places


def unguarded(blocks: Iterator[RowBlock]) -> Iterator[RowBlock]:
    """Rows without the apostrophes that guard texts from being taken for formulas."""
    for block in blocks:
        for row in block.rows:
            for place, cell in enumerate(row):
                if cell.__class__ is str and cell[:1] == "'":
                    row[place] = without_guard(cell)
        yield block


def _line(row: Sequence[Any]) -> str:
    return shown(" | ".join("" if cell is None else str(cell) for cell in row)[:200])


def _takes_texts(shape: Any) -> bool:
    """Whether records whose cells are all texts fit a type of exact records."""
    if not (isinstance(shape, type) and issubclass(shape, msgspec.Struct)):
        return False
    return all(one.type in (Any, str | None) for one in msgspec.structs.fields(shape))


def _structs(shape: Any, headings: list[str], value: Callable[[Any], Any] | None = None) -> Maker:
    """A function that makes structs of rows: each field from the cell under its heading."""
    places = {name: place for place, name in enumerate(headings)}
    names = shape.__struct_encode_fields__
    if value is None and len(names) > 1 and places.keys() >= {*names}:
        cells_of = itemgetter(*(places[name] for name in names))
        return lambda rows: list(starmap(shape, map(cells_of, rows)))
    cell = "row[{}]"
    if value is not None:  # most cells are texts, which stay as they are
        cell = "cell if (cell := row[{}]).__class__ is str and cell else value(cell)"
    cells = [cell.format(places[name]) if name in places else "None" for name in names]
    code = f"lambda rows: [shape({', '.join(cells)}) for row in rows]"
    made: Maker = eval(code, {"shape": shape, "value": value})
    return made


def _nested(headings: list[str], name: str) -> Maker:
    """A function that makes objects within objects, by headings that are paths."""
    paths = [tuple(part.strip() for part in heading.split(".")) for heading in headings]
    objects = {path[:length] for path in paths for length in range(1, len(path))}
    for path in paths:
        if path in objects or not all(path):
            what = "is a value and holds others too" if all(path) else "has a blank part"
            raise SourceError(f"{name}: the heading {'.'.join(path)} {what}; rename it")

    def make(rows: list[Sequence[Any]]) -> list[Any]:
        found = []
        for row in rows:
            record: dict[str, Any] = {}
            for path, cell in zip(paths, row, strict=True):
                holder = record
                for part in path[:-1]:
                    holder = holder.setdefault(part, {})
                holder[path[-1]] = cell
            found.append(record)
        return found

    return make
