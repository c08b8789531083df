"""Records of a catalogue as plain data: the fields in their order, and each by its tag.

`fields` are a level, with `tag`, `ind1`, `ind2`, `value`, and `subfields` with `code` and `value`.
Beside it each tag is a member with its fields, which have a member `$a` for each code. A field
stands for its text: its subfields in order, joined by a blank. What a layout asks for in the
trade's notation (`245$a$c`, `008/07-10`, `LDR/06`) is a member of the field too.
"""

from __future__ import annotations

import re
from collections.abc import Collection
from typing import Any

from ..values.element_texts import LEADER, TEXT
from .element_building import repeat
from .marc_records import CatalogueField, CatalogueRecord

_SPAN = re.compile(r"/(\d+)(?:-(\d+))?")
_CODES = re.compile(r"(?:\$.){2,}")


class RecordMaker:
    """Makes plain data of records; of what is ``asked`` for alone, where that is known."""

    def __init__(self, asked: Collection[str] | None, *, everything: bool = False) -> None:
        """``everything``: what is asked for in the notation, and all else too."""
        names = sorted(asked or ())
        asked = None if everything else asked
        self._asked = asked
        self._spans = [(one, m) for one in names if (m := _SPAN.fullmatch(one))]
        self._codes = [(one, one[1::2]) for one in names if _CODES.fullmatch(one)]
        self._whole = asked is None or "fields" in asked
        self._members = _Members(asked)

    def record(self, found: CatalogueRecord) -> dict[str, Any]:
        """A record as plain data."""
        made: dict[str, Any] = {"leader": found.leader}
        if self._whole:
            made["fields"] = [_plain(field) for field in found.fields]
        if self._wants(LEADER):
            made[LEADER] = self._member(CatalogueField(LEADER, found.leader))
        for field in found.fields:
            if self._wants(field.tag):
                _put(made, field.tag, self._member(field))
        return made

    def _wants(self, tag: str) -> bool:
        return self._asked is None or tag in self._asked

    def _member(self, field: CatalogueField) -> dict[str, Any]:
        """A field, as a member of its record by its tag."""
        if field.value is not None:
            spans = {name: _span(field.value, match) for name, match in self._spans}
            return {TEXT: field.value, **spans}
        made: dict[str, Any] = {
            TEXT: " ".join([value for _, value in field.subfields if value]).strip(),
            "ind1": field.ind1,
            "ind2": field.ind2,
        }
        members = self._members
        for code, value in field.subfields:
            if (name := members[code]) is not None:
                _put(made, name, value)
        for name, codes in self._codes:
            chosen = (value for code, value in field.subfields if code in codes and value.strip())
            made[name] = " ".join(chosen) or None
        return made


class _Members(dict[str, "str | None"]):
    """What the member of a subfield is called, by its code; None where nobody asks for it."""

    def __init__(self, asked: Collection[str] | None) -> None:
        self._asked = asked

    def __missing__(self, code: str) -> str | None:
        name = f"${code}"
        self[code] = found = name if self._asked is None or name in self._asked else None
        return found


def _put(made: dict[str, Any], name: str, value: Any) -> None:
    if name in made:
        repeat(made, name, value)
    else:
        made[name] = value


def _plain(field: CatalogueField) -> dict[str, Any]:
    if field.value is not None:
        return {"tag": field.tag, "value": field.value}
    subfields = [{"code": code, "value": value} for code, value in field.subfields]
    return {"tag": field.tag, "ind1": field.ind1, "ind2": field.ind2, "subfields": subfields}


def _span(text: str, match: re.Match[str]) -> str | None:
    """The characters at some positions, counted from 0; null where there are none."""
    first = int(match[1])
    return text[first : int(match[2] or first) + 1] or None
