"""What a cell holds: the value of a column with its own keys (rules 3, 13, 14 and 16)."""

from __future__ import annotations

import datetime as dt
from decimal import Decimal
from typing import Any

from ..bounds import DEEPEST_CELL
from ..language import nodes as n
from ..layout.model.column import Column, Conversion
from ..plan.kinds import DATATYPES
from ..values.cleaning import cleaned
from ..values.factors import scaled
from ..values.field_values import FieldDeclaration
from ..values.functions import text_of
from ..values.literals import Interval
from ..values.numbers import Unreadable
from ..values.parts import goes_deeper
from ..values.times import as_date, as_timestamp, working_time
from .exact import is_number, number_in, rounded
from .expressions import Expressions
from .faults import Raw, raw_of
from .plain import each_of, is_null
from .protocols import Here, levels_of


class Cells:
    """Works out the columns of a layout."""

    def __init__(self, expressions: Expressions) -> None:
        self._of = expressions
        expressions.column = self.value

    def value(self, column: Column, here: Here) -> Any:
        """A column's value in calculations: after `unit` and `decimals` (rule 14)."""
        if column.value is None:
            return column.text
        before, self._of.expression = self._of.expression, column.value.text
        try:
            node = column.value.node
            if self.is_numeric(column, here):
                return self._number(column, node, here)
            if self._is_typed(column, here):
                return self._typed(column, node, here)
            return self._of.value(node, here)
        finally:
            self._of.expression = before

    def cell(self, column: Column, here: Here) -> Any:
        """The value as it is written, but for what belongs to writing alone."""
        value = self._cell(column, here)
        translation = column.translate
        if translation is None or translation.otherwise != "fault" or value is None:
            return value
        if translation.finder(column.separator)(str(value)) is None:
            self._of.faults.tell(here[-1].where, column.heading, value, translation.reason)
        return value

    def _cell(self, column: Column, here: Here) -> Any:
        node = column.value.node if column.value is not None else None
        if node is None or self.is_numeric(column, here) or self._is_typed(column, here):
            return self.value(column, here)
        before, self._of.expression = self._of.expression, column.value.text if column.value else ""
        try:
            if column.total is not None and column.total.part:
                return self._of.present(node, here)
            return self.shown(column, node, here)
        finally:
            self._of.expression = before

    def key(self, node: n.Node, here: Here, text: str = "") -> Any:
        """A sort or group key: what a column would show (rule 22)."""
        before, self._of.expression = self._of.expression, text
        try:
            return self.shown(Column("", separator_in_value="quote"), node, here, key=True)
        finally:
            self._of.expression = before

    # ---- numbers

    def is_numeric(self, column: Column, here: Here) -> bool:
        """Whether a column's values are numbers, whatever the records hold."""
        if column.numeric or column.value is None:
            return column.numeric
        found: bool = self._of.paths.once(
            column.value.node,
            *("numeric", levels_of(here)),
            work=lambda: self._gives_numbers(column, here),
        )
        return found

    def _gives_numbers(self, column: Column, here: Here) -> bool:
        assert column.value is not None
        node = column.value.node
        joins = isinstance(node, n.FieldPath) and self.joins(node, here)
        read = bool(column.reads) and isinstance(node, n.FieldPath)
        return not joins and not read and self._of.kinds(here).of(node) == "number"

    def joins(self, path: n.FieldPath, here: Here) -> bool:
        """Whether a path stands for several values, which a column joins (rule 3)."""
        return self._of.paths.repeats(path, levels_of(here)) or not path.is_singular()

    def _is_typed(self, column: Column, here: Here) -> bool:
        node = column.value.node if column.inherited and column.value else None
        if isinstance(node, n.FieldPath) and self.joins(node, here):
            return bool(column.clean)
        return column.typed

    def _number(self, column: Column, node: n.Node, here: Here) -> Any:
        """A number, converted and rounded; of a field, what is none is shown all the same."""
        number = self._taken(column, node, here)
        field = isinstance(node, n.FieldPath)
        if number is None:
            return self._unread(column, node, here) if isinstance(node, n.FieldPath) else None
        if column.datatype == "integer" and isinstance(number, Decimal):
            if number != number.to_integral_value():
                where = self._of.where(node, here)
                self._of.faults.tell(where, self._of.called(node), number, "is no whole number")
                return Raw(format(number, "f")) if field else None
            number = int(number)
        exact = column.total is not None and column.total.exact
        if column.decimals is not None and not exact:
            return rounded(number, column.decimals, column.rounding)
        return number

    def _taken(self, column: Column, node: n.Node, here: Here) -> Any:
        how = column.conversion
        if how is not None and how.kind == "time":
            return self._converted(how, self._of.present(node, here), node, here)
        value = self._read(column, node, here) if column.reads else self._of.number(node, here)
        if how is not None and how.kind == "factor":
            return self._converted(how, value, node, here)
        return value

    def _converted(self, how: Conversion, value: Any, node: n.Node, here: Here) -> Any:
        if value is None:
            return None
        calendar = self._of.plan.layout.calendar
        hours, days = calendar.hours_per_day, calendar.days_per_week

        def convert() -> Any:
            if how.kind == "time":
                return working_time(value, how.unit, how.given, hours, days)
            return scaled(value, how.factor)

        path, where = self._of.called(node), self._of.where(node, here)
        return self._of.converting.guarded(convert, value, path, where)

    def _read(self, column: Column, node: n.Node, here: Here) -> Any:
        """A value out of a text as its sender writes it; of a field, out of its own text."""
        how, timed = column.conversion, column.datatype in DATATYPES
        declared = FieldDeclaration(
            datatype=(column.datatype or "") if timed else "decimal",
            reads=column.reads,
            locale=column.locale or self._of.plan.layout.locale or "en",
            unit="" if how and not how.factors else column.unit,
            factors=how.factors if how else {},
            typed=self._of.plan.chain.structure.types_moments,
        )
        if isinstance(node, n.FieldPath):
            raw = self._of.source(node, here)
        else:
            raw = self._of.present(node, here)
        return None if raw is None else self._of.read(node, raw, declared, here)

    def _unread(self, column: Column, path: n.FieldPath, here: Here) -> Any:
        """What a cell shows of a field that could not be read: its own text (rule 13)."""
        declared = self._of.declared(path, here)
        if declared is None or column.reads:
            return raw_of(self._of.source(path, here))
        return self._unread_as(path, declared, here)

    # ---- texts, dates, truth values

    def _typed(self, column: Column, node: n.Node, here: Here) -> Any:
        if column.datatype in DATATYPES:
            kind = DATATYPES[column.datatype]
            if column.reads:
                value = self._read(column, node, here)
            else:
                value = self._of.as_kind(kind, node, here)
            if value is None:
                return self._unread(column, node, here) if isinstance(node, n.FieldPath) else None
            if column.datatype == "date":
                return as_date(value)
            return as_timestamp(value) if column.datatype == "dateTime" else value
        declared = self._of.declared(node, here)
        if declared is not None and isinstance(node, n.FieldPath):
            text = declared.as_text()
            value = self._of.read(node, self._of.source(node, here), text, here)
            value = self._unread_as(node, text, here) if value is None else value
        else:
            value = self.shown(column, node, here)
        return cleaned(None if value is None else text_of(value), column.clean)

    def _unread_as(self, path: n.FieldPath, declared: FieldDeclaration, here: Here) -> Any:
        raw = self._of.source(path, here)
        return raw_of(raw) if raw is not None and self._of.is_unread(raw, declared) else None

    # ---- as a column shows whatever it is (rule 3)

    def shown(self, column: Column, node: n.Node, here: Here, *, key: bool = False) -> Any:
        """A value ready to be written; what repeats is joined."""
        declared = self._of.declared(node, here)
        if isinstance(node, n.FieldPath) and declared is not None:
            return self._declared(column, node, declared, here, key)
        if isinstance(node, n.FieldPath) and column.aligned:
            value = self._of.source(node, here, aligned=True)
        else:
            value = self._of.value(node, here)
            if self._of.kinds(here).of(node) != "any":
                return value
        return self._one_or_joined(column, value, node, here, key)

    def _declared(
        self, column: Column, path: n.FieldPath, declared: FieldDeclaration, here: Here, key: bool
    ) -> Any:
        """The values of a declared field, each read; of what can't be read its own text."""
        raw = self._of.source(path, here, aligned=column.aligned)
        if not isinstance(raw, list) or (not column.aligned and not self.joins(path, here)):
            value = self._of.read(path, raw, declared, here)
            return self._unread_as(path, declared, here) if value is None else value
        cells = []
        for one in each_of(raw):
            value = self._of.read(path, one, declared, here)
            unread = value is None and one is not None and self._of.is_unread(one, declared)
            cells.append(raw_of(one) if unread else value)
        if len(cells) == 1 and not column.aligned:
            return cells[0]
        texts = [cell if cell is None else text_of(cell) for cell in cells]
        return self._one_or_joined(column, texts, path, here, key)

    def _one_or_joined(
        self, column: Column, value: Any, node: n.Node, here: Here, key: bool
    ) -> Any:
        try:
            return self._of_any(column, value, node, here, key)
        except RecursionError:
            path, where = self._of.called(node), self._of.where(node, here)
            self._of.faults.tell(where, path, value, "is nested too deeply")
            return None

    def _of_any(self, column: Column, value: Any, node: n.Node, here: Here, key: bool) -> Any:
        path, where = self._of.called(node), self._of.where(node, here)
        if not isinstance(value, list | tuple):
            return self._single(value, path, where)
        parts = [self._single(one, path, where) for one in each_of(list(value))]
        present = [one for one in parts if one is not None]
        if len(present) > 1 and not key and not self._expects_several(column, node, here):
            self._of.faults.tell(where, path, value, "one value was expected")
        if not present or (len(present) == 1 and not column.aligned):
            return present[0] if present else None
        return self._joined(column, parts, path, where, key)

    def _expects_several(self, column: Column, node: n.Node, here: Here) -> bool:
        """Whether a column joins: it says so, or its path crosses a level (rules 1 and 3)."""
        if column.joined or column.aligned or not isinstance(node, n.FieldPath):
            return True
        known = self._of.plan.chain.known
        levels = levels_of(here)
        way = self._of.paths.way(node, levels)
        crossed = self._of.paths.level(node, levels)
        below = len(crossed) > len(levels[way.anchor])
        return below or not node.is_singular() or known.stated is None

    def _joined(
        self, column: Column, parts: list[Any], path: str, where: tuple[int, ...], key: bool
    ) -> str:
        """Several values as one text; one that holds the separator is told, or made harmless."""
        separator = "; " if key else column.separator
        texts = ["" if part is None else text_of(part) for part in parts]
        held = [text for text in texts if separator and separator in text]
        if held and not key:
            how = column.separator_in_value
            if how == "report":
                reason = f"holds the separator {separator!r}"
                self._of.faults.tell(where, path, held[0], reason)
            elif how == "quote":
                texts = [f'"{t.replace(chr(34), 2 * chr(34))}"' if t in held else t for t in texts]
            else:
                texts = [text.replace(separator, " ") for text in texts]
        return separator.join(text for text in texts if text or column.aligned)

    def _single(self, value: Any, path: str, where: tuple[int, ...]) -> Any:
        if is_null(value):
            return None
        if isinstance(value, float):
            number = number_in(repr(value))
            if number is None:
                self._of.faults.tell(where, path, value, "is not a number")
            return str(value) if number is None else number
        if isinstance(value, str | bool | dt.date | dt.time | Interval) or is_number(value):
            return value
        if isinstance(value, Unreadable):
            self._of.faults.tell(where, path, value, value.reason)
            return Raw(value.text) if value.text else None
        if goes_deeper(value, DEEPEST_CELL):
            raise RecursionError
        return text_of(value)
