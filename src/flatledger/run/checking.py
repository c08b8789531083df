"""Holding a sample of the records against what they are by definition."""

from __future__ import annotations

import decimal
from collections import Counter
from collections.abc import Iterator, Sequence
from decimal import Decimal
from typing import Any

from ..compile.functions.ledger import LedgerForm
from ..compile.functions.tallying import GroupTallies
from ..plan.groups import group_record
from ..plan.plan import Plan
from ..values.functions import text_of
from ..values.numbers import EXACT, Unreadable, digits_of
from .by_definition import Define, Definition, RecordRead
from .checks import CELLS_OF_FIRST, FIRST, MOST_CELLS, MOST_ROWS
from .groups import Groups
from .line_rows import line_of
from .protocols import Batch, TextForm
from .results import BatchResult, Checked
from .sample import Sample, part_of
from .step import Stepper
from .tallies import Tally, tally_of

MOST_CELLS_TOGETHER = 4_000_000  # of the rows of a piece, where each record gives one
LONGEST_SHOWN = 60  # letters of a value in a message


class CheckedSteps:
    """Takes batches through one plan, and looks at the records of the sample."""

    def __init__(
        self,
        stepper: Stepper,
        plan: Plan,
        define: Define | None,
        *,
        everything: bool = False,
        lines: TextForm | None = None,
    ) -> None:
        """Where rows carry ``lines``, these are held against the cells."""
        self._stepper = stepper
        self._width = len(plan.columns) + 1
        self._sample = Sample(plan, everything) if define is not None else None
        self._checker = Checker(plan, define, everything, lines) if define is not None else None

    @property
    def looks(self) -> bool:
        """Whether some records are looked at."""
        return self._checker is not None

    def keeps(self, number: int) -> bool:
        """Whether the plain data of a record may be asked for."""
        return self._sample is not None and self._sample.keeps(number)

    def of(self, batch: Batch) -> Iterator[BatchResult]:
        """What became of a batch, in one piece or several."""
        for piece in self._pieces(batch):
            yield from self._of(piece)

    def _pieces(self, batch: Batch) -> Iterator[Batch]:
        """The batch, in pieces where its rows would have too many cells together."""
        most, count = max(1, MOST_CELLS_TOGETHER // self._width), len(batch.records)
        if count <= most:
            yield batch
            return
        for start in range(0, count, most):
            yield part_of(batch, start, min(start + most, count))

    def _of(self, batch: Batch) -> Iterator[BatchResult]:
        if self._sample is None or self._checker is None:
            yield self._stepper.step(batch)
            return
        for part, shapes in self._sample.parts(batch):
            result = self._stepper.step(part, checked=shapes is not None)
            if shapes is not None:
                with decimal.localcontext(EXACT):
                    result.checked = self._checker.look(part, result, shapes)
                result.tallied = None  # the rows themselves are there
            yield result


class Checker:
    """Holds what became of some records against what they are by definition."""

    def __init__(
        self, plan: Plan, define: Define, everything: bool, lines: TextForm | None = None
    ) -> None:
        self._plan, self._everything, self._lines = plan, everything, lines
        self._definitions = define(plan)
        self._cells = self._cells_of_first = 0
        self._headings = [one.column.heading for one in plan.columns]
        totals = [one.column.total for one in plan.columns]
        self._places = [at for at, one in enumerate(totals) if one is None or not one.part]
        self._places += range(len(totals), len(totals) + len(plan.extra_keys))
        self._headings += [text_of_key(plan, at) for at in range(len(plan.extra_keys))]

    def look(self, part: Batch, result: BatchResult, shapes: dict[int, int]) -> list[Checked]:
        """The records of a part, as far as the limits go."""
        definition = self._definitions.of_records(None if self._everything else MOST_ROWS)
        found: list[Checked] = []
        read: list[RecordRead] = []
        rows = part.origin.rows() if part.origin.rows is not None else None
        for place, number in enumerate(part.numbers):
            if self._is_full(number):
                break
            try:
                plain = part.plain(place)
            except LookupError:  # it could not be kept whole
                break
            row = None if rows is None else rows[place]
            try:
                one = definition.read(number, plain, part.origin.file, part.origin.before, row)
            except Exception as error:
                what = f"{type(error).__name__}: {error}"
                told = (f"record {number:,} can't be read by definition ({what})",)
                return [*found, Checked(number, 0, shapes.get(number), told)]
            read.append(one)
            cells = len(one.rows) * len(self._places)
            self._cells += cells
            self._cells_of_first += cells if number <= FIRST else 0
            found.append(Checked(number, cells, shapes.get(number), ()))
        told_of = self._differences(part, result, definition, read)
        return [one._replace(told=tuple(told_of.get(place, ()))) for place, one in enumerate(found)]

    def _is_full(self, number: int) -> bool:
        if self._everything:
            return False
        return self._cells >= MOST_CELLS or (
            number <= FIRST and self._cells_of_first >= CELLS_OF_FIRST
        )

    def _differences(
        self, part: Batch, result: BatchResult, definition: Definition, read: Sequence[RecordRead]
    ) -> dict[int, list[str]]:
        """What differs, by the place of the record that it is told of."""
        told: dict[int, list[str]] = {}
        start, passed = 0, set(result.passed)
        rows = result.rows if result.cells is None else result.cells
        for place, one in enumerate(read):
            number = part.numbers[place]
            if one.passes is not (number in passed):
                ways = ("let through", "filtered out")
                ways = ways if number in passed else ways[::-1]
                text = f"record {number:,} was {ways[0]}, and by definition it is {ways[1]}"
                told.setdefault(place, []).append(text)
            told.setdefault(place, []).extend(self._cells_differ(number, one, rows, start))
            if self._lines is not None:
                end = start + one.many
                lines = self._lines_differ(
                    self._lines, number, result.rows[start:end], rows[start:end]
                )
                told[place].extend(lines)
            start += one.many
        if len(read) < len(part.numbers):
            return told
        further = told.setdefault(0, [])
        numbers = _numbers(part.numbers)
        if start != len(rows):
            further.append(
                f"{numbers}: {len(rows):,} rows were made, and by definition there are {start:,}"
            )
        further += self._counts_differ(numbers, result.counts, read)
        if result.tallied is not None:
            further += self._tallies_differ(numbers, rows, result.tallied)
        if all(one.whole for one in read):
            further += self._figures_differ(numbers, result, definition)
            further += self._groups_differ(numbers, rows, definition)
        return told

    def _cells_differ(
        self, number: int, one: RecordRead, rows: Sequence[Any], start: int
    ) -> Iterator[str]:
        """The cells of a record that are other ones by definition."""
        for at, cells in one.rows:
            if start + at >= len(rows):
                return  # how many there are is told of all together
            for place in self._places:
                cell, own = rows[start + at][place], cells[place]
                if not same(cell, own):
                    yield (
                        f"record {number:,}, {self._headings[place]}: the table has {shown(cell)}, "
                        f"and by definition it is {shown(own)}"
                    )

    def _lines_differ(
        self, form: TextForm, number: int, rows: Sequence[Any], cells: Sequence[Any]
    ) -> Iterator[str]:
        """The lines of a record that are not those of its cells."""
        width = len(self._plan.written)
        made = [line_of(row) for row in rows]
        if not made or any(line.__class__ is not str for line in made):
            return  # they carry cells
        for line, own in zip(made, form.lines_of([row[:width] for row in cells]), strict=True):
            if line != own:
                yield f"record {number:,}: the line is {shown(line)}, its cells are {shown(own)}"

    def _counts_differ(
        self, numbers: str, counts: Counter[str], read: Sequence[RecordRead]
    ) -> Iterator[str]:
        own: Counter[str] = sum((one.counts for one in read), Counter())
        for index, condition in enumerate(self._plan.conditions):
            for name, word in (("true", "true"), ("false", "false"), ("unknown", "not known")):
                key = f"{name}_{index}"
                if counts[key] != own[key]:
                    yield (
                        f"{numbers}: `{condition.condition.value.text}` was {word} for "
                        f"{counts[key]:,} entries, and by definition it is for {own[key]:,}"
                    )

    def _figures_differ(
        self, numbers: str, result: BatchResult, definition: Definition
    ) -> Iterator[str]:
        """The control sums of the records."""
        take = self._plan.layout.take
        by_record = take is not None and take.of == "records"
        if by_record or self._plan.over is not None:
            return
        tallies = [tally_of(one) for one in self._plan.totalled]
        form, grouped = LedgerForm(self._plan), set(self._plan.grouped_totals)
        by_group = [*map(form.read, result.sums.by_group.values())]
        for index, tally in enumerate(tallies):
            parts = [result.sums.sums[index]]
            if index in grouped:
                parts = [sums[index] for sums in by_group]
            for one in parts:
                if one is not None:
                    tally.grow(*one)
        for column, tally, own in zip(
            self._plan.totalled, tallies, definition.figures(), strict=True
        ):
            if not same(_figure(tally), own):
                yield (
                    f"{numbers}, {column.column.heading}: the control sum is "
                    f"{shown(_figure(tally))}, and by definition it is {shown(own)}"
                )

    def _tallies_differ(
        self, numbers: str, rows: Sequence[Any], tallied: GroupTallies
    ) -> Iterator[str]:
        """What was added up without making the rows."""
        made, added = Groups(self._plan), Groups(self._plan)
        made.add(list(rows))
        added.add_tallied(tallied)
        if _facts(made) != _facts(added) or tallied.rows != len(rows):
            yield f"{numbers}: the groups are not what their rows add up to"

    def _groups_differ(
        self, numbers: str, rows: Sequence[Any], definition: Definition
    ) -> Iterator[str]:
        """The groups of the records, and what their aggregates are."""
        if self._plan.over is None:
            return
        groups = Groups(self._plan)
        groups.add(list(rows))
        made = [self._record(groups, key) for key in groups.innermost()]
        own = [*definition.groups()]
        if len(made) != len(own):
            yield f"{numbers}: there are {len(made):,} groups, and by definition {len(own):,}"
            return
        for record, (key, values) in zip(made, own, strict=True):
            for text, value in values.items():
                if not same(record[text], value):
                    name = ", ".join("blank" if one is None else text_of(one) for one in key)
                    yield (
                        f"{numbers}, {text} for {name}: it was {shown(record[text])}, and by "
                        f"definition it is {shown(value)}"
                    )

    def _record(self, groups: Groups, key: Any) -> dict[str, Any]:
        """A group as the table of groups has it."""
        assert self._plan.over is not None
        tallies = groups.tallies(key)
        headings = [one.column.heading for one in tallies.columns]
        return group_record(self._plan.over, groups.shown(key), headings, tallies.tallies)


def _facts(groups: Groups) -> list[Any]:
    """The groups with their first rows, and what they add up to."""
    return [
        (key, groups.first(key), [(one.count, one.state) for one in groups.tallies(key).tallies])
        for key in groups.innermost()
    ]


def text_of_key(plan: Plan, at: int) -> str:
    """What a key that is no column is called."""
    place = len(plan.columns) + at
    texts = [key.text for key in (*plan.group, *plan.sort) if key.slot == place]
    return texts[0] if texts else "a key"


def _figure(tally: Tally) -> Any:
    name = tally.aggregate.name
    return tally.count if name == "count" else tally.result() if tally.count else None


def _numbers(numbers: Sequence[int]) -> str:
    first, last = numbers[0], numbers[-1]
    return f"record {first:,}" if first == last else f"records {first:,} to {last:,}"


def same(cell: Any, own: Any) -> bool:
    """Whether a cell is what it is by definition: of the same kind, with the same digits.

    >>> from decimal import Decimal
    >>> same(Decimal("2.50"), Decimal("2.50")), same(Decimal("2.50"), Decimal("2.5")), same(1, True)
    (True, False, False)
    """
    if isinstance(cell, Unreadable):  # of a group, what has no figure
        cell = cell.text or None
    if cell is None or own is None:
        return cell is own
    if isinstance(cell, list) and isinstance(own, list):
        return len(cell) == len(own) and all(map(same, cell, own))
    numbers = not isinstance(cell, bool | str) and not isinstance(own, bool | str)
    if numbers or isinstance(cell, str) is isinstance(own, str):
        return isinstance(cell, bool) is isinstance(own, bool) and _text(cell) == _text(own)
    return False


def _text(value: Any) -> str:
    """A value as text, integers of any length too."""
    number = isinstance(value, int | Decimal) and not isinstance(value, bool)
    return digits_of(value) if number else text_of(value)


def shown(value: Any) -> str:
    """A value in a message.

    >>> shown(None), shown("two words"), shown(2)
    ('nothing', '`two words`', '2')
    """
    if value is None:
        return "nothing"
    if isinstance(value, list):
        return ", ".join(map(shown, value))
    text = _text(value)
    text = text if len(text) <= LONGEST_SHOWN else f"{text[:LONGEST_SHOWN]}…"
    return f"`{text}`" if isinstance(value, str) else text
