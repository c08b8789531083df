"""Surveying records: every place with how often it is filled, how it repeats, and what it holds.

Memory is bounded whatever the records hold: so many keys at a place, so many distinct values, so
many examples, so deep. What lies beyond is counted together.
"""

from __future__ import annotations

import re
from collections import Counter
from decimal import Decimal
from typing import Any, Self

import msgspec

from ..visible import steerless_json
from .faults import Fault
from .recognising import recognise

MOST_KEYS = 3_000  # tables of hundreds of columns are normal
MOST_VALUES = 1_000
EXAMPLES = 3
DEEPEST = 60
LONGEST_VALUE = 200
_KINDS = {
    str: "text",
    int: "integer",
    bool: "truth",
    Decimal: "decimal",
    dict: "object",
    list: "list",
}
_NUMBER = re.compile(r"-?\d+(?:\.\d+)?")
_SHORTHAND = re.compile(r"[A-Za-z_\u0080-\U0010FFFF][0-9A-Za-z_\u0080-\U0010FFFF]*")


class FieldSurvey(msgspec.Struct):
    """What is known of one place.

    ``path`` is as a layout takes it. ``filled`` of ``parents`` entries of the level above have a
    value that is not null. A place with ``lists`` repeats: its lists have from ``least`` to
    ``most`` entries, ``entries`` in all; ``lone`` values stood where others have lists. Numbers
    have up to ``decimals`` digits after the decimal mark, and not all the same if ``uneven``.
    """

    path: str
    depth: int
    parents: int
    filled: int
    lists: int
    lone: int
    entries: int
    least: int
    most: int
    kinds: dict[str, int]
    distinct: int
    distinct_is_bound: bool
    longest: int
    decimals: int
    uneven: bool
    examples: list[str]
    remarks: list[str]

    @property
    def is_level(self) -> bool:
        """Whether it repeats: a list of two or more was met there."""
        return self.most > 1

    @property
    def mean(self) -> Decimal:
        """How many entries it has on average, where it is filled."""
        return Decimal(self.entries) / (self.lists + self.lone) if self.filled else Decimal(0)


class Spot:
    """Gathers what is met at one place."""

    def __init__(self) -> None:
        self.filled = self.lists = self.lone = self.entries = self.longest = self.objects = 0
        self.least: int | None = None
        self.most = 0
        self.kinds: Counter[str] = Counter()
        self.values: Counter[str] = Counter()  # the first so many texts, with their counts
        self.overflow = False
        self.children: dict[str, Spot] = {}
        self.others: Spot | None = None
        self.deeper = False
        self.other_keys = 0

    def add(self, value: Any, depth: int = 0) -> None:
        """Take note of the value of one entry of the level above."""
        if value is None or value == "":
            return
        self.filled += 1
        if value.__class__ is not list:
            self.lone += 1
            self.entries += 1
            self._entry(value, depth)
            return
        length = len(value)
        self.lists += 1
        self.entries += length
        self.least = length if self.least is None else min(self.least, length)
        self.most = max(self.most, length)
        for entry in value:
            self._entry(entry, depth)

    def _entry(self, value: Any, depth: int) -> None:
        kind = _KINDS.get(value.__class__) or kind_name(value)
        self.kinds[kind] += 1
        if kind == "text":
            self._text(value)
        elif kind == "object":
            self.objects += 1
            if depth >= DEEPEST:
                self.deeper = True
                return
            children = self.children
            for key, below in value.items():
                (children.get(key) or self._child(key)).add(below, depth + 1)
        elif kind == "list":
            if depth >= DEEPEST:
                self.deeper = True
                return
            for entry in value:
                self._entry(entry, depth + 1)
        else:
            self._text(text_of_value(value))

    def _child(self, key: str) -> Spot:
        child = self.children.get(key)
        if child is None and len(self.children) < MOST_KEYS:
            child = self.children[key] = Spot()
        if child is None:
            self.other_keys += 1
            self.others = child = self.others or Spot()
        return child

    def _text(self, text: str) -> None:
        length = len(text)
        if length > self.longest:
            self.longest = length
        if length > LONGEST_VALUE:
            text = text[:LONGEST_VALUE]
        values = self.values
        if text in values:
            values[text] += 1
        elif len(values) < MOST_VALUES:
            values[text] = 1
        else:
            self.overflow = True


def text_of_value(value: Any) -> str:
    """A plain value as text."""
    if isinstance(value, bool):
        return "true" if value else "false"
    return format(value, "f") if isinstance(value, Decimal) else str(value)


def kind_name(value: Any) -> str:
    """The kind of a plain value in a word."""
    if value is None or value == "":
        return "blank"
    if isinstance(value, bool):
        return "truth"
    if isinstance(value, int):
        return "integer"
    if isinstance(value, Decimal | float):
        return "decimal"
    if isinstance(value, str):
        return "text"
    return "object" if isinstance(value, dict) else "list" if isinstance(value, list) else "other"


def path_of(parent: str, name: str) -> str:
    """A step further, as a layout takes it: names that are no shorthand are bracketed.

    >>> path_of("lines", "qty"), path_of("lines", "unit-price"), path_of("", "dc:title")
    ('lines.qty', "lines['unit-price']", "['dc:title']")
    """
    if _SHORTHAND.fullmatch(name):
        reserved = not parent and name.lower() in ("not", "case", "null", "true", "false")
        start = parent or ("$" if reserved else "")
        return f"{start}.{name}" if start else name
    escaped = name.replace("\\", "\\\\").replace("'", "\\'")
    escaped = re.sub(r"[\x00-\x1f]", lambda found: f"\\u{ord(found[0]):04x}", escaped)
    return f"{parent}['{steerless_json(escaped)}']"


class SurveyResult(msgspec.Struct):
    """A survey: how many records were read, whether these are all, and every place met.

    ``faults`` counts the records that could not be read; ``told`` are these and whatever else is
    wrong with the text of the source, as far as they are kept.
    """

    source: str
    records: int
    complete: bool
    faults: int
    fields: list[FieldSurvey]
    told: list[Fault] = []
    told_count: int = 0

    def field(self, path: str) -> FieldSurvey:
        """The place with a path. Raises KeyError."""
        for field in self.fields:
            if field.path == path:
                return field
        raise KeyError(path)

    def under(self, path: str) -> Self:
        """The same for one place and what lies below it."""
        fields = [
            field
            for field in self.fields
            if field.path == path or field.path.startswith((f"{path}.", f"{path}["))
        ]
        return msgspec.structs.replace(self, fields=fields)


def fields_of(spot: Spot, path: str = "", depth: int = 0) -> list[FieldSurvey]:
    """The places below one, each before what lies below it, in the order they were met."""
    fields: list[FieldSurvey] = []
    remarks = recognise(spot, path)
    if remarks.members:  # its keys are data: its members are looked at together
        merged = _merged(spot)
        fields.append(_field(merged, f"{path}.*", depth, spot.objects))
        return fields + fields_of(merged, f"{path}.*", depth + 1)
    for name, child in spot.children.items():
        below = path_of(path, name)
        fields.append(_field(child, below, depth, spot.objects))
        fields += fields_of(child, below, depth + 1)
    if spot.others is not None:
        fields.append(_field(spot.others, f"{path or '$'}.*", depth, spot.objects))
    return fields


def _digits(spot: Spot) -> set[int]:
    """How many digits after the decimal mark the numbers have; whole numbers have none."""
    numbers = (text for text in spot.values if _NUMBER.fullmatch(text))
    return {len(text.partition(".")[2]) for text in numbers}


def _merged(spot: Spot) -> Spot:
    """The members of a mapping as one place: each member counts as an entry."""
    merged = Spot()
    for child in [*spot.children.values(), *([spot.others] if spot.others else [])]:
        merged.kinds.update(child.kinds)
        merged.values.update(dict(child.values.most_common(MOST_VALUES - len(merged.values))))
        merged.longest = max(merged.longest, child.longest)
        merged.entries += child.entries
        merged.objects += child.objects
        merged.overflow = merged.overflow or child.overflow
        for name, below in child.children.items():
            merged.children.setdefault(name, below)
    merged.filled = spot.objects
    return merged


def _field(spot: Spot, path: str, depth: int, parents: int) -> FieldSurvey:
    digits = _digits(spot) if spot.kinds["decimal"] else {0}
    return FieldSurvey(
        path=path,
        depth=depth,
        parents=parents,
        filled=spot.filled,
        lists=spot.lists,
        lone=spot.lone,
        entries=spot.entries,
        least=spot.least or 0,
        most=max(spot.most, min(spot.lone, 1)),
        kinds=dict(spot.kinds.most_common()),
        distinct=len(spot.values),
        distinct_is_bound=spot.overflow,
        longest=spot.longest,
        decimals=max(digits, default=0),
        uneven=len(digits) > 1,
        examples=list(spot.values)[:EXAMPLES],
        remarks=recognise(spot, path).texts(parents),
    )
