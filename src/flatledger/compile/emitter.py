"""Emitting columns and keys: from expressions to statements of Python.

A value is emitted as statements that leave it in a variable. Whatever is unusual (text where a
number is meant, a list where one value is) is handed to `runtime`, so the usual stays short.
Paths are loaded once, at the level they start from; what is computed stands at its own level.
The layers: `emit_paths`, `emit_conditions`, `emit_values`, `emit_aggregates`, and this.
"""

from __future__ import annotations

from decimal import ROUND_HALF_EVEN, Decimal

import msgspec

from ..language import nodes as n
from ..layout.column import Column, Conversion
from ..plan.kinds import DATATYPES, Operand
from ..plan.known import access_of
from ..plan.plan import ColumnPlan, Plan
from ..values.amounts import ColumnReader, amount_reader
from ..values.reading_texts import DateReader
from .code import Constants
from .converting import converter
from .emit_aggregates import AggregateEmitter
from .plain_data import Joining

_MADE = {"date": "as_date", "dateTime": "as_timestamp"}  # of a moment, by the datatype


class Emitter(AggregateEmitter):
    """Emits the columns and keys of one function.

    With ``notes_units`` that function takes note of the units that amounts stand in.
    """

    def __init__(
        self, plan: Plan, constants: Constants, judging: int = 0, notes_units: bool = False
    ) -> None:
        super().__init__(plan, constants, judging)
        self._notes_units = notes_units

    def value(self, node: n.Node) -> Operand:
        if isinstance(node, n.Heading):
            return self._referred(self.plan.column(node.heading))
        return super().value(node)

    def column(self, plan: ColumnPlan) -> Operand:
        """The value of a column, after its decimals; computed once, at its home."""
        key = ("column", plan.column.heading)
        if key in self._known:
            return self._known[key]
        with self.at(plan.at) as block:
            value = self._column(plan)
            if not block.nested:
                self._known[key] = value
        return value

    def _referred(self, plan: ColumnPlan) -> Operand:
        """The value of a column in a calculation: what could not be read is none."""
        value = self.column(plan)
        if not (plan.column.numeric or plan.column.typed) or not value.nullable:
            return value
        code = f"None if {value.code}.__class__ is FaultText else {value.code}"
        return self.assign(code, value.kind)

    def cell(self, plan: ColumnPlan) -> Operand:
        """The value of a column as it is written."""
        value = plan.value
        if plan.column.translate and plan.column.translate.otherwise == "fault":
            return self._known_code(plan)
        if value is None or plan.numeric or plan.column.typed:
            return self.column(plan)
        with self.at(plan.at):
            if plan.column.total and plan.column.total.part:
                return self.present(value)
            return self._shown(value, self._joining(plan.column, value))

    def _joining(self, column: Column, node: n.Node) -> Joining:
        """How a column joins. A path that crosses no level has one value, where none is stated."""
        several = column.joined or column.aligned or not isinstance(node, n.Path)
        if isinstance(node, n.Path):
            access = access_of(node)
            several = several or access.side is not None or not node.is_singular()
        return Joining(column.separator, column.aligned, column.separator_in_value, several)

    def key(self, node: n.Node) -> Operand:
        """A sort or group key: the value as a column would show it, which tells of its faults."""
        return self._shown(node, Joining(in_value="keep"))

    def _column(self, plan: ColumnPlan) -> Operand:
        column = plan.column
        if column.text is not None:
            return self.literal(column.text)
        if plan.value is None:
            return Operand("None", "null")
        if plan.numeric:
            return self._numeric_column(plan, plan.value)
        if column.typed:
            return self._typed_column(column, plan.value)
        return self.value(plan.value)

    def _numeric_column(self, plan: ColumnPlan, node: n.Node) -> Operand:
        column = plan.column
        exact = column.total is not None and column.total.exact
        result = self.variable("number")
        value = self._taken(column, node)
        guard = f"{result} is not None"
        code = value.code
        if plan.shows_texts:  # what could not be read is still shown
            guard += f" and {result}.__class__ is not FaultText"
            code = f"{code} if {code} is not None else raw_text({self.value(node).code})"
        self.block.add(f"{result} = {code}")
        if column.datatype == "integer":
            call = f"whole({result}, {plan.shows_texts}, {self.told(node)})"
            self.block.add(f"{result} = {call}")
        if column.decimals is not None and not exact:
            self._round(result, guard, column.decimals, column.rounding)
        elif not plan.shows_texts:
            test = f"{guard} and {result}.__class__ is not int"
            self.block.add(f"if {test}: {result} = plain({result})")
        return Operand(result, "number")

    def _taken(self, column: Column, node: n.Node) -> Operand:
        """The number of a column, read and converted as it says."""
        how = column.conversion
        if how is not None and how.kind == "time":
            return self._converted(how, self.present(node), node)
        value = self._read(column, node) if column.reads else self.number(node)
        if how is not None and how.kind == "factor":
            return self._converted(how, value, node)
        return value

    def _converted(self, how: Conversion, value: Operand, node: n.Node) -> Operand:
        name = self.constants.name(converter(how, self.plan.model.calendar), "convert")
        code = f"converted({value.code}, {name}, {self.told(node)})"
        return self.unless_null((value,), code, "number")

    def _typed_column(self, column: Column, node: n.Node) -> Operand:
        """A value of one datatype; a field that can't be read as such is still shown."""
        if column.datatype in DATATYPES:
            kind = DATATYPES[column.datatype]
            value = self._read(column, node) if column.reads else self.as_kind(kind, node)
            value = self.held(value)
            raw = f"raw_text({self.value(node).code})" if isinstance(node, n.Path) else "None"
            made = value.code
            if column.datatype in _MADE:
                made = f"{_MADE[column.datatype]}({made})"
            return self.assign(f"{made} if {value.code} is not None else {raw}", kind)
        value = self.held(self._shown(node, self._joining(column, node)))
        code = f"cleaned(None if {value.code} is None else text_of({value.code}), {column.clean!r})"
        return self.assign(code, "text")

    def _read(self, column: Column, node: n.Node) -> Operand:
        """A value out of a text as its sender writes it; a number stays one."""
        locale = column.locale or self.plan.model.locale or "en"
        value = self.present(node)
        if column.reads != "amount":
            name = self.constants.name(DateReader(column.reads, locale), "reader")
            code = f"read_date({value.code}, {name}, {self.told(node)})"
            return self.unless_null((value,), code, "moment")
        how = column.conversion
        unit, factors = ("", how.factors) if how else (column.unit, None)
        reader = ColumnReader(amount_reader(locale), unit, factors)
        watch = "None"
        if self._notes_units and (not column.unit or how is not None):
            watch = self.constants.name(self.constants.watches.units_of(column.heading), "units")
        names = self.constants.name(reader, "reader"), watch
        code = f"read_amount({value.code}, {', '.join(names)}, {self.told(node)})"
        return self.unless_null((value,), code, "number")

    def _known_code(self, plan: ColumnPlan) -> Operand:
        """The value of a column whose codes are all on its list; another one is a fault."""
        unchecked = msgspec.structs.replace(plan.column, translate=None)
        value = self.cell(msgspec.structs.replace(plan, column=unchecked))
        translation = plan.column.translate
        assert translation is not None
        codes = self.constants.name(translation.finder(), "codes")
        site = self.constants.name(plan.column.heading, "site")
        with self.at(plan.at) as block:
            value = self.held(value)
            call = (
                f"known_code({value.code}, {codes}, {translation.reason!r}, {site}, {self.where})"
            )
            block.add(f"if {value.code} is not None: {call}")
        return value

    def _round(self, name: str, guard: str, decimals: int, rounding: str) -> None:
        unit = self.constants.name(Decimal(1).scaleb(-decimals), "unit")
        zero = self.constants.name(Decimal(0).scaleb(-decimals), "zero")
        how = "" if rounding == ROUND_HALF_EVEN else f", {rounding!r}"
        with self.block.below(f"if {guard}:"):
            there = f"{name}.__class__ is Decimal and {name}.same_quantum({unit})"
            rounded = f"Decimal({name}).quantize({unit}{how})"
            self.block.add(f"{name} = ({name} if {there} else {rounded}) or {zero}")
            if decimals > 6:  # its text could have an exponent
                self.block.add(f"{name} = plain({name})")

    def _shown(self, node: n.Node, joining: Joining) -> Operand:
        """A value ready to be written: what is usual at a path is let through at once."""
        value = self.aligned(node) if joining.aligned else self.value(node)
        if value.kind != "any":
            return value
        raw = value.code
        usual = {
            str: f'{raw}.__class__ is str and {raw} >= "!"',
            int: f"{raw}.__class__ is int",
            Decimal: f"{raw}.__class__ is Decimal",
        }
        tests = [f"{raw} is None", *(usual[one] for one in self.kinds_met(node) if one in usual)]
        how = self.constants.name(joining, "joining")
        slow = f"cell({raw}, {how}, {self.told(node)})"
        return self.assign(f"{raw} if {' or '.join(tests)} else {slow}", "any")
