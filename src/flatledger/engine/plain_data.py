"""Plain data as generated code meets it: null and blank, steps through objects and lists, entries.

Missing, null and blank text are all null. A list is many values.
"""

from __future__ import annotations

from collections.abc import Hashable
from typing import Any, NamedTuple

import msgspec

from .functions import text_of
from .numbers import Unreadable
from .structure import MEMBERS

REPEAT = 1_000_000  # the mark of a row that repeats an entry which an earlier row has shown
PART_SEPARATOR = ", "
BLANKS = " \t\r\n\f\v"  # generated code lets a text through that begins with anything beyond


class Held:
    """An entry of the row's chain that is plain data, and what the engine notes on it.

    The entry of a mapping has the key that it stood under.
    """

    __slots__ = ("kept", "key", "met", "ordinal", "whole")
    ordinal: int

    def __init__(self, whole: Any, key: str | None = None) -> None:
        self.whole = whole
        self.key = key


class Joining(NamedTuple):
    """How what repeats becomes one text, and what is done where a value holds the separator."""

    separator: str = "; "
    aligned: bool = False
    in_value: str = "report"
    expected: bool = True  # several values; else they are a fault

    def part(self, text: str) -> str:
        """A value as it stands among the others."""
        if self.separator not in text or self.in_value in ("report", "keep"):
            return text
        if self.in_value == "quote":
            return '"' + text.replace('"', '""') + '"'
        return text.replace(self.separator, " ")


class FaultText(str):
    """A value that could not be read, as a cell shows it all the same. It is in no total."""

    __slots__ = ()


def raw_text(value: Any) -> FaultText | None:
    """What could not be read, as a cell shows it all the same."""
    blank = is_null(value) or (isinstance(value, Unreadable) and not value.text)
    return None if blank else FaultText(text_of_parts(value))


def text_of_parts(value: Any) -> str:
    if isinstance(value, dict):
        value = list(value.values())
    elif isinstance(value, msgspec.Struct) and hasattr(value, "__struct_encode_fields__"):
        value = list(msgspec.structs.astuple(value))
    if isinstance(value, list | tuple):
        return PART_SEPARATOR.join(text_of_parts(part) for part in value if not is_null(part))
    return "" if value is None else text_of(value)


def is_null(value: Any) -> bool:
    """Missing, null and blank text are null everywhere, and so is a list of nothing else."""
    if value is None:
        return True
    if isinstance(value, str):
        return not value.strip(BLANKS)
    return value.__class__ is list and all(
        item is None or (item.__class__ is str and not item.strip(BLANKS)) for item in value
    )


def truth_text(value: bool | None) -> str | None:
    """A truth value as XML Schema and CSVW write it."""
    return None if value is None else "true" if value else "false"


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
            value = list(value.values())
        elif value.__class__ is dict:
            value = value.get(name)
        elif value.__class__ is list:
            found: list[Any] = []
            for entry in value:
                inner = walk_aligned(entry, names[position:])
                found += inner if inner.__class__ is list else [inner]
            return found
        else:
            return None
    return value


def listed(value: Any) -> list[Any]:
    """The entries of a side level: a lone value is a list of one; nulls are no entries."""
    if value.__class__ is not list:
        return [] if is_null(value) else [value]
    return [
        part
        for entry in value
        for part in (listed(entry) if entry.__class__ is list else [entry])
        if part is not None
    ]


def put_entries(entry: Any, names: tuple[str, ...], kept: Any) -> None:
    """Let an entry have only the kept ones at a side level below it."""
    entry = entry.whole if isinstance(entry, Held) else entry
    for name in names[:-1]:
        if isinstance(entry, msgspec.Struct):
            entry = getattr(entry, _field(entry, name))
        else:
            entry = entry.get(name) if isinstance(entry, dict) else None
    if isinstance(entry, dict):
        entry[names[-1]] = kept
    elif isinstance(entry, msgspec.Struct):
        setattr(entry, _field(entry, names[-1]), kept)


def put_kept(entry: Any, names: tuple[str, ...], kept: list[Held]) -> None:
    """Let the plain data of an entry have only the kept entries of a level of the chain."""
    if names[-1] == MEMBERS:
        put_members(entry, names[:-1], [(one.key, one.whole) for one in kept])
    else:
        put_entries(entry, names, [one.whole for one in kept])


def put_members(entry: Any, names: tuple[str, ...], kept: list[tuple[Any, Any]]) -> None:
    """Let an entry have only the kept members of a mapping below it, or of several."""
    members = dict(kept)
    if not names:  # it is the mapping itself
        whole = entry.whole if isinstance(entry, Held) else entry
        if isinstance(whole, dict):
            whole.clear()
            whole.update(members)
        return
    put_entries(
        entry, names, members if len(members) == len(kept) else [{key: one} for key, one in kept]
    )


def _field(struct: msgspec.Struct, name: str) -> str:
    places = zip(struct.__struct_encode_fields__, struct.__struct_fields__, strict=True)
    return dict(places)[name]


def members(value: Any) -> list[tuple[str, Any]]:
    """The members of a mapping, or of each of several: names with values."""
    if value.__class__ is list:
        return [member for entry in value for member in members(entry)]
    return list(value.items()) if value.__class__ is dict else []


def below(entries: list[Any], depth: int) -> int:
    """How many kept entries there are ``depth`` levels below some entries."""
    if depth == 0:
        return len(entries)
    return sum(below(entry.kept, depth - 1) for entry in entries)


def mark(seen: set[tuple[Hashable, ...]], keys: tuple[Hashable, ...]) -> int:
    """The smallest depth of groups in which an entry is new, REPEAT if it is new in none.

    Depth 0 is the whole table, depth 1 the outermost group. The entry's value is counted in every
    depth from the mark on, so it is once in each group and once in all.
    """
    for depth in range(len(keys) + 1):
        if keys[:depth] not in seen:
            seen.update(keys[:length] for length in range(depth, len(keys) + 1))
            return depth
    return REPEAT
