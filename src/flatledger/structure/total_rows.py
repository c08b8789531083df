"""Rows of a table that sum up other rows of it: by their labels, their blanks, and their sums.

A row is a *candidate* if a word for a total stands in its first filled cell, at the beginning or
the end, and it is blank in every column that describes rows: one that is no figure, and is filled
in nine of ten of the others. A *figure* is a column of numbers that a total would make sense of; of
one that is called like an identifier (*Number*) the candidates tell, by having something there. A
candidate is a total row if each figure that it has is the sum of the rows that are no candidates
between it and some candidate before it, or the beginning.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from decimal import Decimal
from functools import lru_cache
from typing import Any, NamedTuple

import msgspec

from ..values.numbers import read_decimal
from .recognising import is_identifier

ENOUGH = 0.9
MOST = 5_000  # rows with a word for a total that are looked at
_WORDS = (  # of the languages that we know
    "grand total", "total", "totals", "subtotal", "subtotals", "sub-total", "sub total", "sum",
    "overall", "gesamtsumme", "zwischensumme", "summe", "gesamt", "insgesamt", "total général",
    "sous-total", "somme", "total general", "suma", "totaal", "subtotaal", "eindtotaal", "totale",
    "subtotale", "somma", "soma", "i alt", "totalt", "summa", "delsum", "delsumma", "yhteensä",
    "razem", "cyfanswm", "итого", "всего", "合計", "小計",
)  # fmt: skip
_WORD = "|".join(sorted(map(re.escape, _WORDS), key=len, reverse=True))
_STEMS: list[str] = []  # of which each word has one
for _one in sorted(map(str.casefold, _WORDS), key=len):
    if not any(stem in _one for stem in _STEMS):
        _STEMS.append(_one)
_LABEL = re.compile(rf"\W*(?:{_WORD})(?!\w)|(?:.*\W)?(?:{_WORD})\W*$", re.IGNORECASE | re.DOTALL)
_GROUPED = re.compile(r"[-+(]?\d{1,3}(?:,\d{3})+(?:\.\d+)?\)?|[-+(]?\d+(?:\.\d+)?\)?")
_WITH_COMMA = re.compile(r"[-+(]?\d{1,3}(?:[.\s\u00a0\u202f]\d{3})*,\d+\)?")
_STARTS = frozenset("0123456789.,-+(£$€¥ \u00a0")
_LONGEST = 40  # letters of a number
_SIGNS = re.compile(r"^[£$€¥]\s?|\s?(?:[£$€¥%]|[A-Z]{3})$")
_YEARS = frozenset(map(Decimal, range(1500, 2101)))
_FEWEST = 3  # rows that one without a label sums up
_CODE = re.compile(r"0\d")
_TOLERANCE = Decimal("1e-9")


class TotalCandidate(NamedTuple):
    """A candidate: the ``number`` of its row, its ``label``, and how many ``rows`` it sums up, 0
    being none."""

    number: int
    label: str
    rows: int


class TotalsFound(msgspec.Struct, frozen=True):
    """What was found: the candidates, and the columns that are ``blank`` in each of them; whether
    they stand ``before`` what they sum up. ``unlabelled`` rows have sums, and no word for it."""

    rows: tuple[TotalCandidate, ...] = ()
    blank: tuple[str, ...] = ()
    before: bool = False
    unlabelled: tuple[TotalCandidate, ...] = ()

    @property
    def all_sum_up(self) -> bool:
        """Whether there are candidates, and each sums up others."""
        return bool(self.rows) and all(one.rows for one in self.rows)


def is_label(text: Any) -> bool:
    """Whether a word for a total stands at the beginning or the end of a text.

    >>> is_label("TOTAL"), is_label("Total Brae Sound"), is_label("Totally")
    (True, True, False)
    """
    return isinstance(text, str) and _LABEL.match(text) is not None


@lru_cache(20_000)
def _number_in(text: str) -> Decimal | None:
    """The number that a text is, with the marks of thousands that it may have."""
    text = _SIGNS.sub("", text.strip())
    if _WITH_COMMA.fullmatch(text):
        text = re.sub(r"[.\s]", "", text).replace(",", ".")
    elif _GROUPED.fullmatch(text):
        text = text.replace(",", "")
    if text.startswith("(") and text.endswith(")"):
        text = f"-{text[1:-1]}"
    return read_decimal(text)


def number_of(cell: Any) -> Decimal | None:
    """The number in a cell, if it is one.

    >>> number_of("5,095.00"), number_of("4,95"), number_of(3), number_of("three")
    (Decimal('5095.00'), Decimal('4.95'), Decimal('3'), None)
    """
    if cell.__class__ is str:
        return _number_in(cell) if cell[:1] in _STARTS and len(cell) < _LONGEST else None
    if cell is None or isinstance(cell, bool):
        return None
    if isinstance(cell, int | Decimal):
        return Decimal(cell)
    return read_decimal(repr(cell)) if isinstance(cell, float) else None


def is_blank(cell: Any) -> bool:
    """Whether there is nothing in a cell."""
    return cell is None or (cell.__class__ is str and not cell.strip())


def labels_among(rows: Sequence[Sequence[Any]]) -> dict[int, str]:
    """The labels of the rows that have one, by their places."""
    first = [
        cell if (cell := row[0]).__class__ is str and cell and not cell.isspace() else _first(row)
        for row in rows
    ]
    together = "\n".join(first).casefold()
    if not any(stem in together for stem in _STEMS):
        return {}
    return {place: cell.strip() for place, cell in enumerate(first) if is_label(cell)}


def _first(row: Sequence[Any]) -> str:
    """The first filled cell of a row, where it is a text."""
    found = next((cell for cell in row if not is_blank(cell)), "")
    return found if isinstance(found, str) else ""


class Running:
    """The sums of columns down the rows of data, how many rows these are, and what both were at
    each candidate."""

    def __init__(self, width: int) -> None:
        self.rows = 0
        self.sums = [Decimal(0)] * width
        self.marks: list[RunningMark] = [RunningMark(0, tuple(self.sums))]

    def add(self, numbers: Iterable[tuple[int, Decimal]]) -> None:
        """Take in the numbers of a row, by their places."""
        self.rows += 1
        for at, number in numbers:
            self.sums[at] += number

    @property
    def here(self) -> RunningMark:
        """What it is now."""
        return RunningMark(self.rows, tuple(self.sums))

    def mark(self) -> None:
        """Take note of a candidate."""
        self.marks.append(self.here)


class RunningMark(NamedTuple):
    """How many rows of data stand before a place, and the sums of their columns."""

    rows: int
    sums: Sequence[Decimal]


def explained(
    here: RunningMark, marks: Iterable[RunningMark], figures: Mapping[int, Decimal]
) -> int:
    """How many rows between a place and one of some others have certain figures as their sums; 0
    where there are none.

    >>> here, start = RunningMark(2, [Decimal(5)]), RunningMark(0, [Decimal(0)])
    >>> explained(here, [start], {0: Decimal(5)}), explained(here, [start], {0: Decimal(6)})
    (2, 0)
    """
    for other in marks if figures else ():
        later, earlier = (here, other) if here.rows > other.rows else (other, here)
        rows = later.rows - earlier.rows
        if rows and all(
            _alike(later.sums[at] - earlier.sums[at], figure) for at, figure in figures.items()
        ):
            return rows
    return 0


def _alike(one: Decimal, other: Decimal) -> bool:
    return one == other or abs(one - other) <= _TOLERANCE * max(abs(one), Decimal(1))


class _Labelled(NamedTuple):
    """A row with a word for a total: its number, its label, its cells with the numbers in them, and
    what stands before it."""

    number: int
    label: str
    cells: tuple[Any, ...]
    numbers: dict[int, Decimal]
    before: RunningMark


class _Column:
    """What is known of a column, by the rows without a word for a total."""

    def __init__(self, name: str) -> None:
        self.name = name
        self.filled = self.numbers = self.years = self.codes = 0

    def add(self, cells: Sequence[Any], numbers: Sequence[Decimal | None]) -> None:
        """Take in cells, with the numbers in them."""
        self.filled += len(cells) - sum(map(is_blank, cells))
        met = [number for number in numbers if number is not None]
        if met:
            self.numbers += len(met)
            self.years += sum(number in _YEARS for number in met)
            self.codes += sum(
                cell.__class__ is str and _CODE.match(cell) is not None for cell in cells
            )

    @property
    def is_figure(self) -> bool:
        """Whether a total may make sense of it: numbers that are no codes or years."""
        mostly = self.filled > 0 and self.numbers >= ENOUGH * self.filled
        return mostly and not self.codes and self.years < self.numbers

    def describes(self, rows: int) -> bool:
        """Whether it is filled in nearly all rows, and no figure for sure."""
        sure = self.is_figure and not is_identifier(self.name)
        return not sure and self.filled >= ENOUGH * rows > 0


class TotalRowsLook:
    """Looks for total rows among the rows of one table, all of which it is given in order."""

    def __init__(self) -> None:
        self._columns: list[_Column] = []
        self._data = self._since = Running(0)
        self._labelled: list[_Labelled] = []
        self._unlabelled: list[int] = []

    def add(self, records: Sequence[Mapping[str, Any]], number: Callable[[int], int]) -> None:
        """Take in rows, each of which has a ``number`` by its place among them."""
        if not records:
            return
        if not self._columns:
            self._columns = [_Column(name) for name in records[0]]
            self._data, self._since = (Running(len(self._columns)) for _ in range(2))
        cells = [[record.get(one.name) for record in records] for one in self._columns]
        numbers = [[number_of(cell) for cell in column] for column in cells]
        labels = labels_among(list(zip(*cells, strict=True)))
        numeric = [at for at, found in enumerate(numbers) if any(n is not None for n in found)]
        for place in range(len(records)):
            own = [(at, n) for at in numeric if (n := numbers[at][place]) is not None]
            if place in labels:
                row = tuple(column[place] for column in cells)
                self._note(_Labelled(number(place), labels[place], row, dict(own), self._data.here))
                continue
            if self._since.rows >= _FEWEST and len(own) > 1 and self._is_sum(own):
                self._unlabelled.append(number(place))
                self._since = Running(len(self._columns))
            self._since.add(own)
            self._data.add(own)
        for at, column in enumerate(self._columns):
            if labels:
                cells[at] = [cell for place, cell in enumerate(cells[at]) if place not in labels]
                numbers[at] = [n for place, n in enumerate(numbers[at]) if place not in labels]
            column.add(cells[at], numbers[at])

    def _note(self, row: _Labelled) -> None:
        if len(self._labelled) < MOST:
            self._labelled.append(row)
        self._since = Running(len(self._columns))

    def _is_sum(self, numbers: Sequence[tuple[int, Decimal]]) -> bool:
        """Whether two or more figures are the sums of all rows since the last such one."""
        figures = [(at, one) for at, one in numbers if one]
        sums = self._since.sums
        return len(figures) > 1 and all(_alike(sums[at], number) for at, number in figures)

    def found(self) -> TotalsFound:
        """What was found, once all rows have been given."""
        columns, rows = self._columns, self._data.rows
        describing = [at for at, column in enumerate(columns) if column.describes(rows)]
        figures = {at for at, column in enumerate(columns) if column.is_figure}
        candidates, marks, end = self._candidates([at for at in describing if at not in figures])
        start = RunningMark(0, [Decimal(0)] * len(columns))
        after, before = list[int](), list[int]()
        for at, (one, here) in enumerate(zip(candidates, marks, strict=True)):
            own = {place: n for place, n in one.numbers.items() if place in figures}
            after.append(explained(here, [*marks[:at][::-1], start], own))
            before.append(explained(here, [*marks[at + 1 :], end], own))
        turned = sum(map(bool, before)) > sum(map(bool, after))
        told = [
            TotalCandidate(one.number, one.label, count)
            for one, count in zip(candidates, before if turned else after, strict=True)
        ]
        blank = [
            columns[at].name
            for at in describing
            if all(is_blank(one.cells[at]) for one in candidates)
        ]
        alone = [TotalCandidate(one, "", 1) for one in self._unlabelled if len(figures) > 1]
        return TotalsFound(tuple(told), tuple(blank if told else ()), turned, tuple(alone))

    def _candidates(
        self, describing: Sequence[int]
    ) -> tuple[list[_Labelled], list[RunningMark], RunningMark]:
        """The candidates, with what data stands before each, and at the end. Other rows with a word
        for a total are data."""
        found, marks = list[_Labelled](), list[RunningMark]()
        added = Running(len(self._columns))
        for one in self._labelled:
            first = next(at for at, cell in enumerate(one.cells) if not is_blank(cell))
            if all(at == first or is_blank(one.cells[at]) for at in describing):
                found.append(one)
                marks.append(_together(one.before, added.here))
            else:
                added.add(one.numbers.items())
        return found, marks, _together(self._data.here, added.here)


def _together(one: RunningMark, other: RunningMark) -> RunningMark:
    sums = [a + b for a, b in zip(one.sums, other.sums, strict=True)]
    return RunningMark(one.rows + other.rows, sums)
