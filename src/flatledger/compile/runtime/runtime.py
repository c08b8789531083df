"""What generated code calls for values that are not of the usual kind.

Missing, null and blank text are all null. A list is many values. What cannot be taken becomes a
fault and null; nothing here stops a run.
"""

from __future__ import annotations

import datetime as dt
from collections import defaultdict
from collections.abc import Callable
from decimal import Decimal
from time import perf_counter
from typing import Any

from ...bounds import DEEPEST_CELL, MOST_SECONDS
from ...errors import SlowPatternError
from ...language.selecting import Selection
from ...plan.row_order import in_order
from ...values import times
from ...values.aggregates import over
from ...values.amounts import UnitWatch
from ...values.cleaning import cleaned
from ...values.faults import Fault, FaultNotes, FaultText, shown
from ...values.field_values import FieldReader
from ...values.functions import FUNCTIONS, cast_value, text_of
from ...values.literals import Interval
from ...values.matching import like, like_regex, overlap
from ...values.numbers import QUOTIENT, Unreadable, ValueFaultError, plain, read_decimal
from ...values.own_texts import own_text, own_value
from ...values.parts import flattened, goes_deeper
from ...values.patterns import SECONDS, PatternTooSlowError
from ...values.periods import period_start
from ...values.text_values import NUMERALS
from .level_entries import Address, LevelEntries, Tell
from .plain_data import (
    Joining,
    alone,
    below,
    is_null,
    listed,
    mark,
    members,
    raw_text,
    spliced,
    walk,
    walk_aligned,
    with_changed,
    with_entries,
    with_members,
)
from .plain_values import (
    as_numbers,
    collected,
    fault_text,
    is_number,
    is_unread,
    is_whole_entry,
    taken_to_its_end,
)
from .stated_levels import StatedReading
from .subtrees import result_below
from .watches import ListsMet

SLOW = 0.01  # seconds of one match, from which on it counts


class Runtime:
    """The functions that generated code is given, bound to one log of faults."""

    def __init__(self, log: FaultNotes, lists: ListsMet) -> None:
        self._log = log
        self._lists = lists
        self._spent: defaultdict[str, float] = defaultdict(float)  # seconds, by pattern

    def _bounded(self, function: Callable[..., Any]) -> Callable[..., Any]:
        """The function; where a value is nested too deeply, a fault and null."""

        def call(*arguments: Any) -> Any:
            try:
                return function(*arguments)
            except RecursionError:
                *values, path, where = arguments
                self.fault(where, path, values[0], "is nested too deeply")
                return None

        return call

    def functions(self) -> dict[str, Callable[..., Any]]:
        """What generated code may call, by name: this, and nothing else."""
        own = (self.stray, self.as_number, self.as_text, self.as_truth, self.divide)
        fields = FieldReading(self.fault, self.one, self.cell, self._lists)
        read = (fields.read_field, fields.read_amounts, fault_text, is_unread, taken_to_its_end)
        stated = StatedReading(self.fault)
        levels = LevelEntries(self.fault)
        entries = (levels.entries, levels.member_entries, levels.fielded)
        deep = (self.cell, fields.read_cell, self.compare, self.among, self.select, self.gather)
        shared = (alone, walk, walk_aligned, plain, is_null, raw_text, mark, below, listed, spliced)
        guarded = {
            **{f"{name}_": function.call for name, function in FUNCTIONS.items()},
            **{f.__name__: f for f in (cast_value, overlap)},
            "compare_times": times.compare,
            "period_start": period_start,
            "calculate": times.calculate,
        }
        of_several: dict[str, Callable[..., Any]] = {"aggregate": over}
        of_several["result_below"] = result_below
        kinds: dict[str, Callable[[Any], Any]] = {
            "moment": times.as_moment,
            "time": times.as_time,
            "interval": times.as_interval,
            "when": times.as_when,
        }
        return {
            **{function.__name__: function for function in (*own, *entries, *read, *shared)},
            **{function.__name__: self._bounded(function) for function in deep},
            **{name: self._guarded(function) for name, function in guarded.items()},
            **{name: self._of_several(function) for name, function in of_several.items()},
            **{function.__name__: self._clocked(function) for function in (like, like_regex)},
            **{f"as_{kind}": self._converter(function) for kind, function in kinds.items()},
            "own_value": own_value,
            "own_text": own_text,
            "members": members,
            "with_changed": with_changed,
            "with_entries": with_entries,
            "with_members": with_members,
            "in_order": in_order,
            "text_of": text_of,
            "as_date": times.as_date,
            "as_timestamp": times.as_timestamp,
            "collected": collected,
            "cleaned": cleaned,
            "converted": self._guarded(lambda value, convert: convert(value)),
            "walk_stated": stated.walk,
            "unstated": stated.tell,
            "known_code": self.known_code,
            "whole": self.whole,
        }

    def _clocked(self, function: Callable[..., Any]) -> Callable[..., Any]:
        """A guarded function of a text and a pattern, whose time in all is bounded."""
        guarded = self._guarded(function)

        def call(*arguments: Any) -> Any:
            start = perf_counter()
            found = guarded(*arguments)
            self._spend(perf_counter() - start, str(arguments[1]))
            return found

        return call

    def _spend(self, seconds: float, pattern: str) -> None:
        """Add to the time that a pattern has taken on texts that it is slow for."""
        if seconds < SLOW:
            return
        self._spent[pattern] += seconds
        if self._spent[pattern] > MOST_SECONDS:
            raise SlowPatternError(
                f"the pattern `{pattern[:200]}` has taken more than {MOST_SECONDS} s on texts that "
                "it is slow for, so that the run would not end; have no repetition within another"
            )

    def _guarded(self, function: Callable[..., Any]) -> Callable[..., Any]:
        """The function with two more arguments, the path and the address for a fault."""

        def call(*arguments: Any) -> Any:
            *values, path, where = arguments
            try:
                return function(*values)
            except (ValueFaultError, PatternTooSlowError) as error:
                self.fault(where, path, values[0] if values else None, str(error))
                return None

        return call

    def _of_several(self, function: Callable[..., Any]) -> Callable[..., Any]:
        """The same of a function of many values, of which none is the one to name."""

        def call(*arguments: Any) -> Any:
            *values, path, where = arguments
            try:
                return function(*values)
            except ValueFaultError as error:
                self.fault(where, path, None, str(error))
                return None

        return call

    def _converter(self, function: Callable[[Any], Any]) -> Callable[[Any, str, Address], Any]:
        guarded = self._guarded(function)

        def convert(value: Any, path: str, where: Address) -> Any:
            value = self.one(value, path, where)
            return None if is_null(value) else guarded(value, path, where)

        return convert

    def fault(self, where: Address, path: str, value: object, reason: str) -> None:
        if value.__class__ is FaultText:  # it has been told where it was first met
            return
        number, *ordinals = where
        self._log.add(Fault(number, path, shown(value), reason, ordinals=tuple(ordinals)))

    def known_code(
        self, value: Any, find: Callable[[str], str | None], reason: str, path: str, where: Address
    ) -> None:
        """Tell of a code that is not on its list."""
        if find(str(value)) is None:
            self.fault(where, path, value, reason)

    def whole(self, value: Any, shown: bool, path: str, where: Address) -> Any:
        """A whole number; another is a fault and in no total, a field's text is still ``shown``."""
        if isinstance(value, Decimal):
            if value != value.to_integral_value():
                self.fault(where, path, value, "is no whole number")
                return FaultText(format(value, "f")) if shown else None
            return int(value)
        return value

    # ---- shapes

    def select(self, selection: Selection, value: Any, root: Any, path: str, where: Address) -> Any:
        """What further segments of a path select: one value, or a list of those found."""
        if value is None:
            return None
        try:
            found = selection.find(value, value if root is None else root)
        except PatternTooSlowError as error:
            self.fault(where, path, value, str(error))
            self._spend(SECONDS, path)
            return None
        if selection.singular and len(found) < 2:  # a plain name may have gone to several entries
            return found[0] if found else None
        return found

    def gather(
        self, found: list[Any], value: Any, convert: Any, nulls: bool, path: str, where: Address
    ) -> None:
        """Add the value, or each of several, to what an aggregate has found; one that can't be
        converted counts where ``nulls`` do."""
        for item in value if value.__class__ is list else (value,):
            if item.__class__ is list:
                self.gather(found, item, convert, nulls, path, where)
            elif not is_null(item):
                converted = item if convert is None else convert(item, path, where)
                if converted is not None or nulls:
                    found.append(converted)

    def stray(self, value: Any, names: tuple[str, ...], path: str, where: Address) -> Any:
        """Steps through what is neither the expected object nor missing."""
        if value.__class__ is list:
            self._lists.some = True
            return walk(value, names)
        if not is_null(value):
            self.fault(where, path, value, "fields were expected here")
        return None

    # ---- kinds

    def one(self, value: Any, path: str, where: Address) -> Any:
        """The one value among many, where one is needed; null where there is none."""
        while value.__class__ is list:
            self._lists.some = True
            present = [item for item in value if not is_null(item)]
            if len(present) > 1:  # mutant: several-values
                self.fault(where, path, value, "one value was expected")
                return None
            value = present[0] if present else None
        return value

    def as_number(self, value: Any, path: str, where: Address) -> int | Decimal | None:
        """A number as it is; text of digits is read."""
        if value.__class__ is str and (number := NUMERALS[value]) is not None:
            return number
        value = self.one(value, path, where)
        if is_null(value):
            return None
        if isinstance(value, int | Decimal) and not isinstance(value, bool):
            return value
        result = NUMERALS[value] if value.__class__ is str else None
        if isinstance(value, float):
            result = read_decimal(repr(value))
        if result is None:
            reason = value.reason if isinstance(value, Unreadable) else "is not a number"
            self.fault(where, path, value, reason)
        return result

    def as_text(self, value: Any, path: str, where: Address) -> str | None:
        """A value as text: a number as its digits, a truth value as true or false."""
        value = self.one(value, path, where)
        if isinstance(value, Unreadable):
            self.fault(where, path, value, value.reason)
        return None if is_null(value) else text_of(value)

    def as_truth(self, value: Any, path: str, where: Address) -> bool | None:
        """A truth value; of texts only true and false are one."""
        value = self.one(value, path, where)
        if is_null(value) or isinstance(value, bool):
            return value if isinstance(value, bool) else None
        if isinstance(value, str) and value.strip().lower() in ("true", "false"):
            return value.strip().lower() == "true"
        self.fault(where, path, value, "is neither true nor false")
        return None

    def cell(self, value: Any, joining: Joining, path: str, where: Address) -> Any:
        """A field as a cell shows it; what repeats is joined, aligned with a place for nulls."""
        if value is None or isinstance(value, int | Decimal | str):
            return value if not is_null(value) else None
        if isinstance(value, float):
            result = self.as_number(value, path, where)
            return str(value) if result is None else result
        if isinstance(value, dt.date | dt.time | Interval):  # calculated: records hold texts
            return value
        if isinstance(value, Unreadable):
            self.fault(where, path, value, value.reason)
            return FaultText(value.text) if value.text else None
        if isinstance(value, list | tuple):
            if not joining.reckoned:
                self._lists.some = True
            if value and {*map(type, value)} == {str} and min(value) >= "!":  # and none is blank
                parts = present = list(value)
            else:
                parts = [self.cell(item, joining, path, where) for item in flattened(value)]
                present = [part for part in parts if part is not None]
            if len(present) > 1 and not joining.expected:
                self.fault(where, path, value, "one value was expected")
            if not present or (len(present) == 1 and not joining.aligned):
                return present[0] if present else None
            return self._joined(parts, joining, path, where)
        if goes_deeper(value, DEEPEST_CELL):
            raise RecursionError
        return text_of(value)

    def _joined(self, parts: list[Any], joining: Joining, path: str, where: Address) -> str:
        """Several values as one text; one that holds the separator is told, or made harmless."""
        text, held = joining.join(parts)
        if held is not None:
            self.fault(where, path, held, f"holds the separator {joining.separator!r}")
        return text

    # ---- operations

    def divide(self, left: Any, right: Any, text: str, where: Address) -> Decimal | None:
        if right == 0:
            self.fault(where, text, None, "a division by zero")
            return None
        return plain(QUOTIENT.divide(left, right))  # mutant: quotient

    def among(
        self, value: Any, options: tuple[frozenset[str], frozenset[Any]], path: str, where: Address
    ) -> bool | None:
        """Whether a value is one of some texts; a number is, if one of them is that number."""
        value = self.one(value, path, where)
        if is_null(value):
            return None
        if is_number(value):
            value = read_decimal(repr(value)) if isinstance(value, float) else value
            return value in options[1]
        return text_of(value) in options[0]

    def compare(
        self, left: Any, sign: str, right: Any, watch: Any, path: str, where: Address
    ) -> bool | None:
        """Compare two values whose kinds only the data shows.

        A number and a text that is one are compared as numbers, two texts as texts. A number and
        another text are not equal, and have no order.
        """
        left, right = self.one(left, path, where), self.one(right, path, where)
        if is_null(left) or is_null(right):
            return None
        if sign not in ("==", "!=") and (is_whole_entry(left) or is_whole_entry(right)):
            whole = left if is_whole_entry(left) else right
            self.fault(where, path, whole, "whole entries can't be compared by size")
            return None
        if is_number(left) or is_number(right):
            if watch and watch.on and not isinstance(left, bool):
                watch.look((left,))
            pair = as_numbers(left, right)
            if pair is None and sign in ("==", "!="):
                return sign == "!="
            if pair is None:
                self.as_number(left, path, where)
                self.as_number(right, path, where)
                return None
            left, right = pair
        elif left.__class__ is not right.__class__:
            left, right = text_of(left), text_of(right)
        elif watch and watch.on and sign not in ("==", "!="):
            watch.look((left, right))
        return bool(times.COMPARISONS[sign](left, right))


# ---- reading values as their fields are declared, for generated code; what can't be read is told


class FieldReading:
    """Reads for generated code: ``one`` gives the one value among many, ``cell`` what a cell shows
    of several."""

    def __init__(
        self,
        tell: Tell,
        one: Callable[[Any, str, Address], Any],
        cell: Callable[[Any, Joining, str, Address], Any],
        lists: ListsMet,
    ) -> None:
        self._tell, self._one, self._cell, self._lists = tell, one, cell, lists

    def read_field(self, value: Any, reader: FieldReader, path: str, where: Address) -> Any:
        """A value read by a declaration: one, where there are several entries."""
        value = self._one(value, path, where)
        try:
            return reader.read(value) if value is not None else None
        except ValueFaultError as error:
            self._tell(where, path, value, str(error))
            return None

    def read_amounts(
        self, value: Any, reader: FieldReader, watch: UnitWatch, path: str, where: Address
    ) -> Any:
        """The same of amounts, whose units are noted."""
        value = self._one(value, path, where)
        read = self.read_field(value, reader, path, where)
        if read is not None:
            watch.note(reader.amount(value).unit if isinstance(value, str) else "", where[0])
        return read

    def read_cell(
        self, value: Any, reader: FieldReader, joining: Joining, path: str, where: Address
    ) -> Any:
        """The values of a declared field as a cell shows them: one, or several joined."""
        if value.__class__ is not list:
            read = self.read_field(value, reader, path, where)
            return fault_text(value, reader) if read is None else read
        if not joining.reckoned:
            self._lists.some = True
        cells = [self.read_cell(one, reader, joining, path, where) for one in flattened(value)]
        if len(cells) == 1 and not joining.aligned:
            return cells[0]
        texts = [cell if cell is None else text_of(cell) for cell in cells]
        return self._cell(texts, joining, path, where)
