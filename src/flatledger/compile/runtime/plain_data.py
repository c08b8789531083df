"""Plain data as generated code meets it: null and blank, steps through objects and lists, entries.

Missing, null and blank text are all null. A list is many values.
"""

from __future__ import annotations

from collections.abc import Hashable
from copy import copy
from functools import cache
from typing import Any, NamedTuple

import msgspec

from ...structure.record_types import Other
from ...structure.structure import MEMBERS
from ...values.faults import FaultText
from ...values.functions import text_of
from ...values.numbers import Unreadable
from ...values.own_texts import WITHIN
from ...values.parts import BLANKS, flattened

REPEAT = 1_000_000  # the mark of a row that repeats an entry which an earlier row has shown


class Joining(NamedTuple):
    """How what repeats becomes one text, and what is done where a value holds the separator."""

    separator: str = "; "
    aligned: bool = False
    in_value: str = "report"
    expected: bool = True  # several values; else they are a fault
    reckoned: bool = False  # the plan reckons with a list there, or it is watched for elsewhere

    def join(self, parts: list[Any]) -> tuple[str, str | None]:
        """Several values as one text, and the first of those that hold the separator, if that is to
        be told."""
        texts = ["" if part is None else text_of(part) for part in parts]
        held = None
        if self.separator and any(self.separator in text for text in texts):
            if self.in_value == "report":
                held = next(text for text in texts if self.separator in text)
            texts = [self.part(text) for text in texts]
        return self.separator.join(text for text in texts if text or self.aligned), held

    def part(self, text: str) -> str:
        """A value as it stands among the others."""
        if self.separator not in text or self.in_value in ("report", "keep"):
            return text
        if self.in_value == "quote":
            return '"' + text.replace('"', '""') + '"'
        return text.replace(self.separator, " ")


def raw_text(value: Any) -> FaultText | None:
    """What could not be read, as a cell shows it all the same."""
    blank = is_null(value) or (isinstance(value, Unreadable) and not value.text)
    return None if blank else FaultText(text_of(value))


def is_null(value: Any) -> bool:
    """Missing, null and blank text are null everywhere, and so is a list of nothing else."""
    if value is None:
        return True
    if isinstance(value, str):
        return not value.strip(BLANKS)
    return value.__class__ is list and all(
        item is None or (item.__class__ is str and not item.strip(BLANKS))
        for item in flattened(value)
    )


def walk(value: Any, names: tuple[str, ...]) -> Any:
    """Name steps through plain data; a step on a list goes to each of its entries.

    >>> walk({"payments": [{"amount": 3}, {}, {"amount": 5}]}, ("payments", "amount"))
    [3, 5]
    """
    found = walk_aligned(value, names)
    return [item for item in found if item is not None] if found.__class__ is list else found


def walk_aligned(value: Any, names: tuple[str, ...]) -> Any:
    """The same, with None for each entry that lacks the field.

    >>> walk_aligned({"payments": [{"amount": 3}, {}]}, ("payments", "amount"))
    [3, None]
    """
    for position, name in enumerate(names):
        if name == MEMBERS and value.__class__ is dict:
            value = [one for _, one in members(value)]
        elif value.__class__ is dict:
            value = value.get(name)
        elif value.__class__ is list:
            found: list[Any] = []
            for entry in flattened(value):
                inner = walk_aligned(entry, names[position:])
                found += inner if inner.__class__ is list else [inner]
            return found
        elif isinstance(value, msgspec.Struct):  # an entry of one of the row's own levels
            value = _member(value, name)
        else:
            return None
    return value


def spliced(found: list[Any]) -> list[Any]:
    """Values, where a list among them stands for its elements.

    >>> spliced([1, [2, None], 3])
    [1, 2, 3]
    """
    if list not in {*map(type, found)}:
        return found
    parts = [part for one in found for part in (one if one.__class__ is list else (one,))]
    return [part for part in parts if part is not None]


def alone(values: list[Any]) -> Any:
    """The one value of a level that has one entry at the most; several stay a list.

    >>> alone([None, 5]), alone([]), alone([1, 2])
    (5, None, [1, 2])
    """
    found = [value for value in flattened(values) if value is not None]
    return found if len(found) > 1 else found[0] if found else None


_OBJECTS = {dict}


def listed(value: Any) -> list[Any]:
    """The entries of a side level: a lone value is a list of one; nulls are no entries."""
    if value.__class__ is not list:
        return [] if is_null(value) else [value]
    if {*map(type, value)} == _OBJECTS:
        return value
    return [part for part in value if part is not None]


def siblings(value: Any) -> list[Any] | tuple[Any, ...]:
    """The entries of one list of nodes; a lone one is a list of one, and nulls are none."""
    if value.__class__ is not list:
        return () if is_null(value) else (value,)
    if any(one is None or one.__class__ is list for one in value):
        return [one for one in flattened(value) if not is_null(one)]
    return value


def as_structs(value: list[Any], struct: type) -> list[Any]:
    """Entries of a level with the objects among them as structs: they are plain where a list of
    one stands for an object on the way to them."""
    structs: list[Any] = msgspec.convert(value, _list_of(struct))
    return structs


@cache
def _list_of(struct: Any) -> Any:
    return list[struct | Other]


def with_entries(entry: Any, names: tuple[str, ...], kept: Any) -> Any:
    """An entry that has only the kept ones at a level below it; the entry itself stays as it is.

    >>> with_entries({"no": 1, "lines": [1, 2, 3]}, ("lines",), [2])
    {'no': 1, 'lines': [2]}
    """
    name, rest = names[0], names[1:]
    if isinstance(entry, dict):
        below = with_entries(entry.get(name), rest, kept) if rest else kept
        return {**entry, name: below} if not rest or below is not None else entry
    if not isinstance(entry, msgspec.Struct):
        return entry
    attribute, changed = _field(entry, name), copy(entry)
    below = with_entries(getattr(entry, attribute), rest, kept) if rest else kept
    setattr(changed, attribute, below)
    return changed


def with_changed(entry: Any, names: tuple[str, ...], changed: list[Any]) -> Any:
    """An entry in which those of a level below it are ``changed``, each in its place; what else
    stands there, and is no entry since it has no fields, stays.

    >>> with_changed({"x": ["a", {"y": [1, 2]}]}, ("x",), [{"y": [2]}])
    {'x': ['a', {'y': [2]}]}
    """
    there = entry
    for name in names:
        if isinstance(there, dict):
            there = there.get(name)
        elif isinstance(there, msgspec.Struct):
            there = getattr(there, _field(there, name))
        else:
            return with_entries(entry, names, changed)
    return with_entries(entry, names, _in_their_places(there, changed))


def _in_their_places(there: Any, changed: list[Any]) -> Any:
    """What stands at a level, with those of its entries that have fields as they were changed."""
    if there.__class__ is not list:
        return changed or there
    if len(there) == len(changed):
        return changed
    entries = [isinstance(one, dict | msgspec.Struct) for one in there]
    if sum(entries) != len(changed):
        return changed
    following = iter(changed)
    return [
        next(following) if is_entry else one for one, is_entry in zip(there, entries, strict=True)
    ]


def with_members(entry: Any, names: tuple[str, ...], kept: list[tuple[Any, Any]]) -> Any:
    """An entry that has only the kept members of a mapping below it, or of several."""
    members = dict(kept)
    if not names:  # it is the mapping itself
        return members if isinstance(entry, dict) else entry
    whole = members if len(members) == len(kept) else [{key: one} for key, one in kept]
    return with_entries(entry, names, whole)


def _field(struct: msgspec.Struct, name: str) -> str:
    places = zip(struct.__struct_encode_fields__, struct.__struct_fields__, strict=True)
    return dict(places)[name]


def _member(struct: msgspec.Struct, name: str) -> Any:
    has_it = name in struct.__struct_encode_fields__
    return getattr(struct, _field(struct, name)) if has_it else None


def members(value: Any) -> list[tuple[str, Any]]:
    """The members of a mapping, or of each of several: names with values."""
    if value.__class__ is list:
        return [member for entry in value for member in members(entry)]
    if value.__class__ is not dict:
        return []
    found = list(value.items())
    return [one for one in found if one[0] != WITHIN] if WITHIN in value else found


def below(kept: Any, depth: int) -> int:
    """How many kept entries there are ``depth`` levels below an entry."""
    if depth == 1:
        return len(kept[0])
    return sum(below(one, depth - 1) for one in kept[2])


def mark(seen: set[tuple[Hashable, ...]], keys: tuple[Hashable, ...]) -> int:
    """The smallest depth of groups in which an entry is new, REPEAT if it is new in none.

    Depth 0 is the whole table, depth 1 the outermost group. The entry's value is counted in every
    depth from the mark on, so it is once in each group and once in all.
    """
    for depth in range(len(keys) + 1):  # mutant: mark-depth
        if keys[:depth] not in seen:
            seen.update(keys[:length] for length in range(depth, len(keys) + 1))
            return depth
    return REPEAT
