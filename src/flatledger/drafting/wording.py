"""Paths and texts as a draft writes them: headings, YAML texts, comments."""

from __future__ import annotations

import re
from itertools import groupby

_BETWEEN_WORDS = r"(?<=[a-z0-9])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])|[_\-./:]+"
_CAPITALS = frozenset("id uuid url uri isbn issn".split())  # noqa: SIM905
_ADDRESS_START = re.compile(r"(?<![a-z0-9+.-])[a-z][a-z0-9+.-]*+://(?:.*[/#])?(?=.)", re.DOTALL)


def is_members(path: str) -> bool:
    """Whether a path is that of all members of a mapping, whose keys are data."""
    return path.endswith(".*")


def last_name(path: str) -> str:
    """The last name of a path that is none for all."""
    return next((name for name in reversed(names_of(path)) if name != "*"), "")


def path_above(path: str) -> str:
    """The path of the place that one lies in; blank for a record's own.

    >>> path_above("line.option['@key']"), path_above("line.option"), path_above("line")
    ('line.option', 'line', '')
    """
    if path.endswith("']"):
        return path[: path.rindex("['")]
    return path.rpartition("$" if re.fullmatch(r"\d{3}\$.", path) else ".")[0]


def within(path: str, outer: str) -> bool:
    """Whether a path is a level itself or lies below it."""
    return path == outer or path.startswith((f"{outer}.", f"{outer}[", f"{outer}$"))


def names_of(path: str) -> list[str]:
    """The names of a path as a survey prints it."""
    found = re.findall(r"\['((?:[^'\\]|\\.)*)'\]|([^.\[\]]+)", path)
    names = [(bracketed or plain).replace("\\'", "'") for bracketed, plain in found if plain != "$"]
    return [_ADDRESS_START.sub("", name) or name for name in names]


def humanised(names: list[str]) -> str:
    """A heading from names: `unit_price` becomes Unit price.

    >>> humanised(["part", "unitPrice"])
    'Part unit price'
    >>> humanised(["ISOSpeed"]), humanised(["FNumber"])
    ('ISO speed', 'F number')
    >>> humanised(["station", "station"]), humanised(["line", "id"])
    ('Station', 'Line ID')
    """
    parts = [name.removeprefix("@") for name in names if name != "*"] or ["value"]
    words = " ".join(re.sub(_BETWEEN_WORDS, " ", name) for name in parts)
    said = [next(same) for _, same in groupby(words.split(), key=str.casefold)]
    said = [word.upper() if word.lower() in _CAPITALS else word for word in said]
    lowered = " ".join(word if word.isupper() else word.lower() for word in said)
    return (lowered[:1].upper() + lowered[1:]) or "Column"


def rooted(path: str) -> str:
    return f"${path}" if path.startswith("[") else path


def comment(line: str) -> str:
    """A line of comment, without what would end it."""
    return "".join(letter if letter.isprintable() else "·" for letter in line)
