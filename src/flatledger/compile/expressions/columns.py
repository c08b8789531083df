"""Emitting columns and keys: what stands in the cells of a row."""

from __future__ import annotations

from collections.abc import Callable
from decimal import ROUND_HALF_EVEN, Decimal
from typing import Any

import msgspec

from ...language import nodes as n
from ...layout.model.column import Column, Conversion
from ...layout.model.model import Calendar
from ...plan.kinds import DATATYPES, Operand
from ...plan.known import access_of, declared_of, known_of
from ...plan.row_type import ColumnPlan
from ...values.factors import scaled
from ...values.field_values import FieldDeclaration
from ...values.numbers import unit_of
from ...values.times import working_time
from ..runtime.plain_data import Joining
from .emission import Expressions
from .paths import Paths

_MADE = {"date": "as_date", "dateTime": "as_timestamp"}  # of a moment, by the datatype


class Columns:
    """Emits columns and keys; with ``notes_units`` the units that amounts stand in are noted."""

    def __init__(self, emit: Expressions, paths: Paths, notes_units: bool) -> None:
        self.emit, self.code = emit, emit.code
        self._paths = paths
        self._notes_units = notes_units

    def column(self, plan: ColumnPlan) -> Operand:
        """The value of a column, after its decimals; computed once, at its home."""
        key = ("column", plan.column.heading)
        known = self.code.known(key)
        if known is None:
            with self.code.at(plan.at):
                if plan.value is not None:
                    self.code.serves("column", plan.column.heading)
                known = self.code.note(key, self._column(plan))
        return known

    def referred(self, node: n.Heading) -> Operand:
        """The value of a column that an expression refers to."""
        return self._referred(self.code.plan.column(node.heading))

    def _referred(self, plan: ColumnPlan) -> Operand:
        """The value of a column in a calculation: what could not be read is none."""
        value = self.column(plan)
        if not (plan.column.numeric or plan.column.typed) or not value.nullable:
            return value
        code = f"None if {value.code}.__class__ is FaultText else {value.code}"
        return self.code.assign(code, value.kind)

    def cell(self, plan: ColumnPlan) -> Operand:
        """The value of a column as it is written."""
        value = plan.value
        if plan.column.translate and plan.column.translate.otherwise == "fault":
            return self._known_code(plan)
        if value is None or plan.numeric or plan.column.typed:
            return self.column(plan)
        with self.code.at(plan.at):
            self.code.serves("column", plan.column.heading)
            if plan.column.total and plan.column.total.part:
                return self.emit.present(value)
            return self._shown(value, self._joining(plan.column, value))

    def _joining(self, column: Column, node: n.Node) -> Joining:
        """How a column joins. A path that crosses no level has one value, where none is stated."""
        several = column.joined or column.aligned or not isinstance(node, n.FieldPath)
        if isinstance(node, n.FieldPath):
            access = access_of(node)
            several = several or access.crossed is not None or not node.is_singular()
            several = several or self.code.plan.chain.known.stated is None
        return Joining(column.separator, column.aligned, column.separator_in_value, several)

    def key(self, node: n.Node) -> Operand:
        """A sort or group key: the value as a column would show it, which tells of its faults."""
        return self._shown(node, Joining(in_value="keep"))

    def _column(self, plan: ColumnPlan) -> Operand:
        column = plan.column
        if column.text is not None:
            return self.code.literal(column.text)
        if plan.value is None:
            return Operand("None", "null")
        if plan.numeric:
            return self._numeric_column(plan, plan.value)
        if column.typed:
            return self._typed_column(column, plan.value)
        return self.emit.value(plan.value)

    def _numeric_column(self, plan: ColumnPlan, node: n.Node) -> Operand:
        column = plan.column
        exact = column.total is not None and column.total.exact
        result = self.code.variable("number")
        value = self._taken(column, node)
        guard = f"{result} is not None"
        code = value.code
        if self.is_integer(plan):
            self.code.add(f"{result} = {code}")
            if column.decimals is not None and not exact:
                self._round(result, guard, column.decimals, column.rounding)
            return Operand(result, "number")
        if plan.shows_texts:  # what could not be read is still shown
            guard += f" and {result}.__class__ is not FaultText"
            code = f"{code} if {code} is not None else {self._fault_text(column, node)}"
        self.code.add(f"{result} = {code}")
        if column.datatype == "integer":
            call = f"whole({result}, {plan.shows_texts}, {self.code.told(node)})"
            self.code.add(f"if {result}.__class__ is Decimal: {result} = {call}")
        if column.decimals is not None and not exact:
            self._round(result, guard, column.decimals, column.rounding)
        elif not plan.shows_texts:
            test = f"{guard} and {result}.__class__ is not int"
            self.code.add(f"if {test}: {result} = plain({result})")
        return Operand(result, "number")

    def is_integer(self, plan: ColumnPlan) -> bool:
        """Whether a column is a field that holds nothing but integers."""
        read = plan.column.reads or plan.column.conversion is not None
        return not read and plan.value is not None and self._paths.only(plan.value) is int

    def is_text(self, node: n.Node | None) -> bool:
        """Whether a node is a field that holds nothing but texts."""
        return node is not None and self._paths.only(node) is str

    def _taken(self, column: Column, node: n.Node) -> Operand:
        """The number of a column, read and converted as it says."""
        how = column.conversion
        if how is not None and how.kind == "time":
            return self._converted(how, self.emit.present(node), node)
        value = self._read(column, node) if column.reads else self.emit.number(node)
        if how is not None and how.kind == "factor":
            return self._converted(how, value, node)
        return value

    def _converted(self, how: Conversion, value: Operand, node: n.Node) -> Operand:
        name = self.code.constants.name(converter(how, self.code.plan.layout.calendar), "convert")
        code = f"converted({value.code}, {name}, {self.code.told(node)})"
        return self.code.unless_null((value,), code, "number")

    def _typed_column(self, column: Column, node: n.Node) -> Operand:
        """A value of one datatype; a field that can't be read as such is still shown."""
        if column.datatype in DATATYPES:
            kind = DATATYPES[column.datatype]
            value = self._read(column, node) if column.reads else self.emit.as_kind(kind, node)
            value = self.code.held(value)
            raw = self._fault_text(column, node)
            made = value.code
            if column.datatype in _MADE:
                made = f"{_MADE[column.datatype]}({made})"
            code = f"{made} if {value.code} is not None else {raw}"
            if column.datatype == "date":
                code = f"{value.code} if {value.code}.__class__ is date else {code}"
            return self.code.assign(code, kind)
        declared = declared_of(node)
        if declared is not None and isinstance(node, n.FieldPath):  # the text as it was read
            value = self._paths.read(node, declared.as_text())
            value = self.code.held(self._unless_unread(node, declared.as_text(), value))
        else:
            value = self.code.held(self._shown(node, self._joining(column, node)))
        text = f"None if {value.code} is None else text_of({value.code})"
        code = f"cleaned({text}, {column.clean!r})"
        return self.code.assign(code, "text")

    def _read(self, column: Column, node: n.Node) -> Operand:
        """A value out of a text as its sender writes it; of a field, out of its own text."""
        how = column.conversion
        locale = column.locale or self.code.plan.layout.locale or "en"
        timed = column.datatype in DATATYPES
        declared = FieldDeclaration(
            datatype=(column.datatype or "") if timed else "decimal",
            reads=column.reads,
            locale=locale,
            unit="" if how and not how.factors else column.unit,
            factors=how.factors if how else {},
            typed=self.code.plan.chain.structure.types_moments,
        )
        notes = self._notes_units and (not column.unit or how is not None)
        watch = f"column `{column.heading}`" if notes and "amount" in column.reads else ""
        if isinstance(node, n.FieldPath):
            return self._paths.read(node, declared, watch)
        return self._paths.read_value(node, self.emit.present(node).code, declared, watch)

    def _fault_text(self, column: Column, node: n.Node) -> str:
        """The code for what a cell shows of a value that is null: a field's own text, where that
        could not be read."""
        if not isinstance(node, n.FieldPath):
            return "None"
        raw, declared = self._paths.source(node).code, declared_of(node)
        if declared is None or column.reads:
            return f"raw_text({raw})"
        return f"fault_text({raw}, {self.code.constants.reader_name(declared)})"

    def _unless_unread(
        self, node: n.FieldPath, declared: FieldDeclaration, value: Operand
    ) -> Operand:
        """The value of a declared field as a cell shows it, also where it could not be read."""
        raw = self._paths.source(node).code
        text = f"fault_text({raw}, {self.code.constants.reader_name(declared)})"
        code = f"{value.code} if {value.code} is not None else {text}"
        return self.code.assign(code, value.kind)

    def _known_code(self, plan: ColumnPlan) -> Operand:
        """The value of a column whose codes are all on its list; another one is a fault."""
        unchecked = msgspec.structs.replace(plan.column, translate=None)
        value = self.cell(msgspec.structs.replace(plan, column=unchecked))
        translation = plan.column.translate
        assert translation is not None
        codes = self.code.constants.name(translation.finder(plan.column.separator), "codes")
        site = self.code.constants.name(plan.column.heading, "site")
        with self.code.at(plan.at):
            value = self.code.held(value)
            told = f"{translation.reason!r}, {site}, {self.code.where}"
            call = f"known_code({value.code}, {codes}, {told})"
            self.code.add(f"if {value.code} is not None: {call}")
        return value

    def _round(self, name: str, guard: str, decimals: int, rounding: str) -> None:
        unit = self.code.constants.name(unit_of(decimals), "unit")
        zero = self.code.constants.name(Decimal(0).scaleb(-decimals), "zero")
        how = "" if rounding == ROUND_HALF_EVEN else f", {rounding!r}"
        with self.code.below(f"if {guard}:"):
            there = f"{name}.__class__ is Decimal and {name}.same_quantum({unit})"
            rounded = f"Decimal({name}).quantize({unit}{how})"  # mutant: half-even
            self.code.add(f"{name} = ({name} if {there} else {rounded}) or {zero}")
            if decimals > 6:  # its text could have an exponent
                self.code.add(f"{name} = plain({name})")

    def _joined(self, texts: str, separator: str, slow: str) -> Operand:
        """A list of texts as one, where none is blank or holds the separator."""
        result = self.code.variable("joined")
        with self.code.below(f"if not {texts}:"):
            self.code.add(f"{result} = None")
        with self.code.below(f"elif len({texts}) == 1:"):
            self.code.add(f"{result} = {texts}[0]")
            self.code.add(f'if not {result} >= "!": {result} = {slow}')
        with self.code.below("else:"):
            self.code.add(f"{result} = {separator!r}.join({texts})")
            several = f"{result}.count({separator!r}) != len({texts}) - 1"
            blank = f'not min({texts}) >= "!"'
            self.code.add(f"if {several} or {blank}: {result} = {slow}")
        return Operand(result, "any")

    def _reckoned(self, node: n.Node) -> bool:
        """Whether a list at a node tells nothing new: it is at a level, or `watch` looks there."""
        if not isinstance(node, n.FieldPath) or access_of(node).rest:
            return True
        place = self._paths.field_of(node)
        if place is not None and place.only is not None:
            return True
        names = (*known_of(node).start, *access_of(node).names)
        return self.code.plan.chain.is_level(names)

    def _shown_as_declared(
        self, node: n.FieldPath, declared: FieldDeclaration, joining: Joining
    ) -> Operand:
        """The value of a declared field as a cell shows it; several are joined."""
        access = access_of(node)
        one = node.is_singular() and (access.crossed is None or access.alone)
        if one and not joining.aligned:
            return self._unless_unread(node, declared, self._paths.value(node))
        raw = self._paths.aligned(node) if joining.aligned else self._paths.source(node)
        reader = self.code.constants.reader_name(declared)
        how = self.code.constants.name(joining._replace(reckoned=self._reckoned(node)), "joining")
        call = f"read_cell({raw.code}, {reader}, {how}, {self.code.told(node)})"
        return self.code.assign(call, "any")

    def _shown(self, node: n.Node, joining: Joining) -> Operand:
        """A value ready to be written: what is usual at a path is let through at once."""
        declared = declared_of(node)
        if declared is not None and isinstance(node, n.FieldPath):
            return self._shown_as_declared(node, declared, joining)
        value = self._paths.aligned(node) if joining.aligned else self.emit.value(node)
        if value.kind != "any":
            return value
        reckoned = self._reckoned(node)
        if not reckoned:
            self.code.note_test(node)
        raw, only = value.code, self._paths.only(node)
        if only in (int, bool):
            return value
        usual = {
            str: f'{raw}.__class__ is str and {raw} >= "!"',
            int: f"{raw}.__class__ is int",
            Decimal: f"{raw}.__class__ is Decimal",
        }
        met = [one for one in self._paths.kinds_met(node) if one in usual] or [str]
        tests = [f"{raw} is None", *(usual[one] for one in met)]
        if only is str:
            tests[1:] = [f'{raw} >= "!"']
        joining = joining._replace(reckoned=reckoned)
        how = self.code.constants.name(joining, "joining")
        slow = f"cell({raw}, {how}, {self.code.told(node)})"
        joins = joining.expected and joining.separator and not joining.aligned
        if joins and self._paths.lists_texts(node):
            return self._joined(raw, joining.separator, slow)
        return self.code.assign(f"{raw} if {' or '.join(tests)} else {slow}", "any")


# ---- converting values into the unit of their column


def converter(conversion: Conversion, calendar: Calendar) -> Callable[[Any], Any]:
    """A function from a value to the number in the wanted unit.

    >>> from flatledger.layout.model.column import Conversion
    >>> from flatledger.layout.model.model import Calendar
    >>> converter(Conversion("time", "hours", "minutes"), Calendar())(90)
    Decimal('1.5')
    """
    if conversion.kind == "time":
        wanted, given = conversion.unit, conversion.given
        hours, days = calendar.hours_per_day, calendar.days_per_week
        return lambda value: working_time(value, wanted, given, hours, days)
    return lambda value: scaled(value, conversion.factor)
