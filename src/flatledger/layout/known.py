"""The note beside a layout: the structure that its data had when it was made or last learnt.

It is a text file, one path on each line as a survey prints it; a key that columns are made from
stands after `named-by`, what the layout names it by, and a colon. Lines that begin with # are
comments. No path begins in one of these ways.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

import msgspec
from msgspec import json

from ..errors import LayoutError, Problem
from .files import reading

SUFFIX = ".fields.txt"
_KEY = "named-by "
Keys = dict[str, tuple[str, ...]]


def note_of(layout: Path) -> Path:
    """Where the note of a layout stands.

    >>> note_of(Path("layouts/lines.yaml")).name
    'lines.fields.txt'
    """
    return layout.with_name(layout.stem + SUFFIX)


class Note(msgspec.Struct, frozen=True):
    """The fields that are known, and the keys in their order, by what they are named by."""

    fields: frozenset[str]
    keys: Keys = {}


def read_note(layout: Path) -> Note | None:
    """The note of a layout; None where there is none. Raises LayoutError."""
    path = note_of(layout)
    if not path.exists():
        return None
    with reading(path):
        lines = path.read_text(encoding="utf-8").split("\n")
    lines = [line for line in lines if line and not line.startswith("#")]
    keys: dict[str, list[str]] = {}
    for line in lines:
        if line.startswith(_KEY):
            named_by, mark, key = line.removeprefix(_KEY).rpartition(': "')
            with _decoding(path, line):
                keys.setdefault(named_by, []).append(json.decode(mark[2:] + key, type=str))
    fields = frozenset(line for line in lines if not line.startswith(_KEY))
    return Note(fields, {named_by: tuple(found) for named_by, found in keys.items()})


@contextmanager
def _decoding(path: Path, line: str) -> Iterator[None]:
    try:
        yield
    except msgspec.DecodeError:
        problem = Problem(f'`{line}` is no key; it would be `{_KEY}path: "key"`')
        raise LayoutError(str(path), [problem]) from None


def learnt(
    note: Path, layout: Path, fields: Iterable[str], keys: Mapping[str, Iterable[str]]
) -> str:
    """The text of a note that is there, with the fields and keys that it lacks below; a new one
    where there is none. What it says already stays as it is, comments too.
    """
    text = note_text(layout, fields, keys)
    if not note.exists():
        return text
    with reading(note):
        old = note.read_text(encoding="utf-8")
    lines = {*old.split("\n")}
    new = [line for line in text.split("\n")[1:] if line and line not in lines]
    return "".join([old, "" if old.endswith("\n") or not old else "\n", *(f"{n}\n" for n in new)])


def note_text(layout: Path, fields: Iterable[str], keys: Mapping[str, Iterable[str]]) -> str:
    """The text of a note.

    >>> keys = {"lines.options.key": ["voltage", "cap"]}
    >>> print(note_text(Path("lines.yaml"), ["no", "lines.qty"], keys), end="")
    # The fields that lines.yaml knows; a run tells of others. --learn takes them in.
    lines.qty
    no
    named-by lines.options.key: "voltage"
    named-by lines.options.key: "cap"
    """
    head = f"# The fields that {layout.name} knows; a run tells of others. --learn takes them in."
    met = [
        f"{_KEY}{named_by}: {json.encode(key).decode()}"
        for named_by, found in keys.items()
        for key in found
    ]
    return "\n".join([head, *sorted(fields), *met]) + "\n"
