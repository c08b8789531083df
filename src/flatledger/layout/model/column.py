"""A column of a layout, once it has been read and checked."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import partial
from typing import Literal

import msgspec

from ...errors import Problem
from ...language.nodes import Call, Node
from ...values.aggregates import AGGREGATES, DISTINCT, Aggregate
from ...values.code_lists import code_list
from ...values.factors import Factor
from .text import Scalar, TextPlace

DEFAULT_SEPARATOR = "; "
_WORDS = re.compile(r"[^\s,;()\[\]]+")  # in which a unit may be said already


class Expression(msgspec.Struct, frozen=True):
    """An expression with the place where it was typed."""

    scalar: Scalar
    node: Node

    @property
    def text(self) -> str:
        return self.scalar.text.strip()

    @property
    def quoted(self) -> bool:
        """Whether it stood in YAML's quotes, which are no quotes of a text."""
        return self.scalar.style in ("'", '"')

    def problem(self, message: str, position: int = 0) -> Problem:
        """A fault of this expression, placed in the layout."""
        return Problem(message, *self.scalar.place(position))


class ColumnTotal(msgspec.Struct, frozen=True):
    """How a column is totalled: by which aggregate. ``exact``: rounded once at the end, not entry
    by entry. ``part``: it is no total of a layout's, but a part of an aggregate over a group, which
    may be of ``distinct`` values, and may be ``gathered`` in lists. ``nodes`` are those of a tree
    that it takes: leaves, tops, or all; blank where the layout does not say.
    """

    name: str
    exact: bool = False
    part: bool = False
    distinct: bool = False
    gathered: bool = False
    nodes: Literal["", "leaves", "tops", "all"] = ""

    @property
    def aggregate(self) -> Aggregate:
        """The aggregate that makes the total."""
        return (DISTINCT if self.distinct else AGGREGATES)[self.name]


class Translation(msgspec.Struct, frozen=True):
    """What codes are called; a code that is not on the list is kept, left blank, or a fault.

    ``folded``: case and blanks around a code do not count. ``standard`` is the name of a code list
    of a standard.
    """

    codes: dict[str, str] = {}
    otherwise: Literal["keep", "blank", "fault"] = "keep"
    folded: bool = False
    reason: str = "is not on the code list"
    standard: str = ""

    def in_language(self, locale: str) -> Translation:
        """The same with the names of a standard's codes in the language of a locale."""
        if not self.standard:
            return self
        return msgspec.structs.replace(self, codes=code_list(self.standard, locale))

    def finder(self, separator: str = "") -> Callable[[str], str | None]:
        """A function from a code to what it is called, or None where it is not on the list.

        Of several codes that a ``separator`` joins it gives what each is called. One that is not on
        the list is kept or left out among them; where it is a fault, it is one of them all.

        >>> find = Translation({"w": "wick", "l": "lens"}).finder("; ")
        >>> find("w"), find("w; l; x"), find("x")
        ('wick', 'wick; lens; x', None)
        """
        find = self._finder()
        return partial(self._each, find, separator) if separator else find

    def _finder(self) -> Callable[[str], str | None]:
        if not self.folded:
            return self.codes.get
        folded = {code.strip().casefold(): wording for code, wording in self.codes.items()}
        return lambda code: folded.get(code.strip().casefold())

    def _each(self, find: Callable[[str], str | None], separator: str, joined: str) -> str | None:
        wording = find(joined)
        if wording is not None or separator not in joined:
            return wording
        pairs = [(code, find(code) if code else "") for code in joined.split(separator)]
        if self.otherwise == "keep":
            pairs = [(code, code if found is None else found) for code, found in pairs]
        elif self.otherwise == "fault" and None in (found for _, found in pairs):
            return None
        return separator.join(found for _, found in pairs if found is not None) or None


class Conversion(msgspec.Struct, frozen=True):
    """How a value comes into the unit of its column.

    ``time``: from one unit of time to another by the working calendar; ``factor``: multiplied;
    ``factors``: multiplied by that of the unit that stands with the number.
    """

    kind: Literal["time", "factor", "factors"]
    unit: str
    given: str = ""
    factor: Factor = Factor()
    factors: dict[str, Factor] = {}


class Spread(msgspec.Struct, frozen=True):
    """How one column becomes several: a column for each key of a level, or for each place in it.

    ``values`` are the values of each key, by a name that comes after the key in the heading;
    ``labels`` what stands for a key there.
    """

    level: Expression
    named_by: Expression
    values: tuple[tuple[str, Expression], ...]
    at_most: int = 200
    labels: dict[str, str] = {}

    @property
    def name(self) -> str:
        """What its columns are named by, on one line."""
        return " ".join(self.named_by.text.split())

    @property
    def numbered(self) -> bool:
        """Whether the columns are for places: named by `ordinal(level)`."""
        return isinstance(self.named_by.node, Call) and self.named_by.node.name == "ordinal"


class Column(msgspec.Struct, frozen=True):
    """One column: an expression, or the same ``text`` on every row, or blank (neither).

    ``decimals`` is the number of digits after the decimal mark, ``separator`` joins what repeats;
    ``aligned`` keeps a place for each entry that has no value. ``datatype``, ``reads`` (how its
    sender writes it), ``conversion`` (to its ``unit``) and ``clean`` say what a value becomes;
    ``translate``, ``format``, ``default`` and ``null`` only how it is written. ``titles`` are other
    names for the heading, and ``form_heading`` is what a published form calls it. ``width`` is in
    characters, ``align`` and ``fill`` say how a cell stands in it; ``required`` and ``allowed`` are
    for those who fill in a specimen.
    """

    heading: str
    value: Expression | None = None
    text: str | None = None
    decimals: int | None = None
    rounding: str = "ROUND_HALF_EVEN"
    total: ColumnTotal | None = None
    separator: str = DEFAULT_SEPARATOR
    joined: bool = False  # a separator is stated
    separator_in_value: Literal["report", "quote", "replace"] = "report"
    aligned: bool = False
    suppressed: bool = False
    datatype: str | None = None
    inherited: bool = False  # its datatype is that of the field that it shows
    reads: tuple[str, ...] = ()
    clean: tuple[str, ...] = ()
    unit: str = ""
    conversion: Conversion | None = None
    translate: Translation | None = None
    format: str | None = None
    locale: str = ""
    default: str | None = None
    null: str = ""
    titles: tuple[str, ...] = ()
    form_heading: str | None = None
    width: int | None = None
    align: Literal["", "left", "right", "center"] = ""
    fill: str = " "
    required: bool = False
    allowed: tuple[str, ...] | None = None
    level: int | None = None  # of columns by level: the place of its level in `row-per`
    called: str = ""  # its heading, where another level has a column of that name
    spread: Spread | None = None
    key: str = ""  # that it is made for, where a column is made for each key
    further_of: str = ""  # the heading of the column whose further total it is, in no cell of a row
    total_row: int = 0  # in which total row of a group its total stands: 0 is the first
    once: bool = False  # its total counts each entry of its value's level that shows it once
    checks: bool = False  # it is not the layout's, and tells of what other columns lack
    place: TextPlace = (0, 0, "")

    @property
    def title(self) -> str:
        """The heading as it is written: the form's, or its own with the unit."""
        if self.form_heading is not None:
            return self.form_heading
        heading = self.called or self.heading
        said = self.unit.casefold() in _WORDS.findall(heading.casefold())
        return f"{heading}, {self.unit}" if self.unit and not said else heading

    @property
    def adds(self) -> bool:
        """Whether its total adds or compares numbers."""
        if self.total is None or self.total.name == "count" or self.total.gathered:
            return False
        return self.total.aggregate.takes == "number" or not (self.typed or self.total.part)

    @property
    def numeric(self) -> bool:
        """Whether its values are numbers, whatever the data holds."""
        made = self.decimals is not None or self.conversion is not None
        return made or self.adds or self.datatype in ("integer", "decimal")

    @property
    def typed(self) -> bool:
        """Whether its values are made texts of one kind."""
        return bool(self.clean) or self.datatype not in (None, "integer", "decimal")

    def problem(self, message: str) -> Problem:
        """A fault of this column, placed at its heading."""
        return Problem(message, *self.place)
