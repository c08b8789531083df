"""A survey of a catalogue: its places by their tags, each with its name."""

from __future__ import annotations

import re

import msgspec

from ...structure.survey import FieldSurvey
from .catalogue_names import CODED, LEADER, called


def in_notation(fields: list[FieldSurvey]) -> list[FieldSurvey]:
    """The places of records of a catalogue, called as the trade does: 245, 245$a, LDR; by their
    tags. What is the same by another way (`leader`, `fields`), and indicators that are blank
    everywhere, are left out."""
    found = []
    for field in fields:
        steps = _TAG_PATH.fullmatch(field.path)
        if steps and not (steps[4] and field.examples == [" "]):
            path = f"{steps[1] or steps[2]}{steps[3] or steps[4] or ''}"
            if steps[3] and not _NOTATION.fullmatch(path):  # CAT$h, 245$=: as a standard path
                path = field.path
            remarks = [one for one in field.remarks if not one.startswith(_NOT_TOLD)]
            if path == LEADER:  # it has the length of the record, and tells none apart by that
                remarks = [one for one in remarks if "identifier" not in one]
            name, codes = called(path), CODED.get(path, "")
            coded = [f"`translate: {codes}`"] if codes else []
            field = msgspec.structs.replace(field, path=path, name=name, code_list=codes)
            field.typing = field.proposal = None  # they are codes
            field.remarks = [*coded, *remarks]
            found.append(field)
    return sorted(found, key=lambda one: (one.path != LEADER, one.path.lstrip("['")[:3]))


_NOT_TOLD = (  # they are codes, and texts with commas in them
    *("whole numbers", "decimal numbers", "numbers", "codes with", "lists in one text"),
    *("dates", "times of day"),
)
_NOTATION = re.compile(r"[0-9]{3}\$[a-z0-9]")
_TAG_PATH = re.compile(r"(?:\['(\w{3})'\]|(\w{3}))(?:\['(\$.)'\]|(\.ind[12]))?")
