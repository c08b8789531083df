"""Writing `lines`, which turns kept records into rows that carry their line of text.

What is of a level is put into text once for each of its entries, and each row is one f-string. The
cells are put in as they are: whoever asked for lines looks at the text of all of them together, and
takes cells where it does not fit.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator
from itertools import groupby
from typing import Any, Protocol

from ...plan.line_rows import places_beside
from ...plan.plan import Plan
from ..expressions.blocks import listed_codes
from ..expressions.constants import Constants
from .unfolding import Unfolding


class LineForm(Protocol):
    """How cells stand in a line: as Python writes them, but for nulls, and for the cells of
    ``careful`` columns."""

    delimiter: str
    end: str

    @property
    def careful(self) -> Collection[int]:
        """The columns, by their places, whose cells are written one by one."""
        ...

    def written(self, place: int) -> Callable[[Any], str]:
        """What makes a cell of a column the text that stands in a line."""
        ...

    def blank(self, place: int) -> str:
        """What stands for a null in a column that is not careful."""
        ...


class LineUnfolding(Unfolding):
    """Writes `lines`. ``truths``: a line may hold a truth value as Python writes it."""

    name = "lines"
    results = "rows, ({counts}), classes"

    def __init__(
        self, plan: Plan, constants: Constants, form: LineForm, unmet: Collection[int]
    ) -> None:
        super().__init__(plan, constants, unmet=unmet)
        self._form = form
        self._beside = places_beside(plan)
        self._beside += range(len(plan.columns), len(plan.columns) + len(plan.extra_keys))
        self.truths = False
        self._texts = [self._text(place) for place in range(len(plan.written))]
        self._runs = list(self._joined_above())

    def _text(self, place: int) -> str:
        """What stands for the cell of a column in an f-string."""
        form, column, operand = self._form, self.plan.columns[place], self.operands[place]
        if column.column.text is not None:
            return self._fixed(place, column.column.text)
        if operand.code == "None":
            return literal(form.blank(place))
        with self.emitter.code.at(column.at):
            code = self.emitter.code.held(operand).code
        if place in form.careful:
            written = self.constants.name(form.written(place), "written")
            return f"{{{written}({code})}}"
        if not operand.nullable:
            return f"{{{code}!s}}"
        columns = self.emitter.columns
        plain = not (column.numeric or column.column.typed)
        is_text = plain and columns.is_text(column.value)
        if is_text and not form.blank(place):
            return f'{{{code} or ""}}'
        blank = self.constants.name(form.blank(place), "blank") if form.blank(place) else '""'
        if is_text or (column.numeric and columns.is_integer(column)):
            return f"{{{blank} if {code} is None else {code}}}"
        self.truths = self.truths or column.kind == "any"
        return f"{{({blank} if {code} is None else {code})!s}}"

    def _fixed(self, place: int, text: str) -> str:
        """The same of a text that stands in each row: written once, unless that changes it, which
        the form has to know of each line."""
        write = self._form.written(place)
        if write(text) == text:
            return literal(text)
        written, given = self.constants.name(write, "written"), self.constants.name(text, "text")
        return f"{{{written}({given})}}"

    def _joined_above(self) -> Iterator[tuple[int, range]]:
        """The columns that follow one another and are of one level: that, and their places."""
        rows = self.plan.row_type
        stood = [(one.at, rows.home_row(one), one.everywhere) for one in self.plan.written]
        for (level, *_), run in groupby(range(len(stood)), stood.__getitem__):
            places = list(run)
            yield level, range(places[0], places[-1] + 1)

    def known(self, level: int) -> list[str]:
        lines = super().known(level)
        if level < self.plan.chain.row:
            lines += [
                f"piece_{places.start} = f'{self._delimited(map(self._texts.__getitem__, places))}'"
                for at, places in self._runs
                if at == level
            ]
        return lines

    def row(self, level: int, marks: list[str]) -> str:
        row, parts = self.plan.chain.row, list[str]()
        for at, places in self._runs:
            if at > level or not self.plan.row_type.shows(self.plan.columns[places.start], level):
                parts += map(self._without_entry, places)
            elif at < row:
                parts.append(f"{{piece_{places.start}}}")
            else:
                parts += map(self._texts.__getitem__, places)
        line = f"f'{self._delimited(parts)}{literal(self._form.end)}'"
        codes = self.codes(level)
        beside = [*(codes[place] for place in self._beside), *marks, *self.address(level)]
        return f"({listed_codes([*beside, line])})" if beside else line

    def _without_entry(self, place: int) -> str:
        """What stands in a row that has no entry of a column's level."""
        if self.plan.columns[place].column.text is not None:
            return self._texts[place]
        written = self._form.written(place)
        return literal(written(None) if place in self._form.careful else self._form.blank(place))

    def _delimited(self, parts: Any) -> str:
        return literal(self._form.delimiter).join(parts)


def literal(text: str) -> str:
    r"""A text as it stands in an f-string between single quotes.

    >>> print(literal("{'\n"))
    {{\'\n
    """
    escaped = text.encode("unicode_escape").decode("ascii").replace("'", "\\'")
    return escaped.replace("{", "{{").replace("}", "}}")
