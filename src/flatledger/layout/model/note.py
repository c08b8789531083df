"""The note beside a layout: the structure that its data had when it was made or last learnt.

It is a text file, one path on each line as a survey prints it; a key that columns are made from
stands after `named-by`, what the layout names it by, and a colon. Lines that begin with # are
comments. No path begins in one of these ways.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from pathlib import Path

import msgspec
from msgspec import json

from ...errors import LayoutError, Problem

SUFFIX = ".note.txt"
FORMER = ".fields.txt"  # what it was called before
_KEY = "named-by "


def note_of(layout: Path) -> Path:
    """Where the note of a layout stands.

    >>> note_of(Path("layouts/lines.yaml")).name
    'lines.note.txt'
    """
    return layout.with_name(layout.stem + SUFFIX)


class Note(msgspec.Struct, frozen=True):
    """The fields that are known, and the keys in their order, by what they are named by."""

    fields: frozenset[str]
    keys: dict[str, tuple[str, ...]] = {}


def parse_note(text: str, name: str) -> Note:
    r"""The note of a text; ``name`` stands in messages. Raises LayoutError.

    >>> parse_note('# known\nno\nnamed-by options.key: "cap"\n', "a note").keys
    {'options.key': ('cap',)}
    """
    lines = [line for line in text.split("\n") if line and not line.startswith("#")]
    keys: dict[str, list[str]] = {}
    for line in lines:
        if line.startswith(_KEY):
            named_by, mark, key = line.removeprefix(_KEY).rpartition(': "')
            try:
                keys.setdefault(named_by, []).append(json.decode(mark[2:] + key, type=str))
            except msgspec.DecodeError:
                problem = Problem(f'`{line}` is no key; it would be `{_KEY}path: "key"`')
                raise LayoutError(name, [problem]) from None
    fields = frozenset(line for line in lines if not line.startswith(_KEY))
    return Note(fields, {named_by: tuple(found) for named_by, found in keys.items()})


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


def with_more(text: str, note: str) -> str:
    r"""The text of a note that is there, with what another one has more below; what it says
    already stays as it is, comments too.

    >>> with_more("# mine\nno", "# new\nno\nqty\n")
    '# mine\nno\nqty\n'
    """
    lines = {*text.split("\n")}
    new = [line for line in note.split("\n")[1:] if line and line not in lines]
    end = "" if text.endswith("\n") or not text else "\n"
    return "".join([text, end, *(f"{line}\n" for line in new)])
