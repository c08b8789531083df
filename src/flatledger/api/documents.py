"""A document that holds its records: which place they are at, where nobody has said so."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from io import IOBase
from itertools import islice
from os import PathLike
from typing import Any, TypeVar

import msgspec

from ..drafting.wording import last_name
from ..sources import AnySource
from ..structure.path_texts import path_of
from ..structure.profiles import PlaceProfile
from ..structure.survey import FieldSurvey, SurveyResult, settle
from ..values.visible import shell_quoted

LINES = (".jsonl", ".ndjson")  # in which a record stands on a line
Result = TypeVar("Result", bound=SurveyResult)


def may_be_document(
    source: AnySource, found: SurveyResult, records: str | None, fields: Mapping[str, Any] | None
) -> bool:
    """Whether what was read may be one document that holds the records, of which nobody has said
    where they are."""
    alone = found.records == 1 and found.complete and not found.faults
    alone = alone and "format" not in found.states  # one whose records are plain to see
    if not alone or records is not None or fields or isinstance(source, list | tuple):
        return False
    name = found.source.lower()
    return isinstance(source, str | PathLike | IOBase) and not name.endswith(LINES)


def records_within(top: PlaceProfile) -> tuple[str, PlaceProfile] | None:
    """The one list of objects in a document, with its path; None where there is none, or another,
    or a tree."""
    found = list(islice(_lists_of_objects(top, ""), 2))
    if len(found) != 1:
        return None
    path, profile = found[0]
    return (path, profile) if profile.entries > 1 and not profile.depths else None


def _lists_of_objects(profile: PlaceProfile, path: str) -> Iterator[tuple[str, PlaceProfile]]:
    """The outermost lists of objects."""
    for name, child in profile.children.items():
        below = path_of(path, name)
        settle(child)
        if child.lists and child.kinds["object"]:
            yield below, child
        elif child.kinds["object"]:
            yield from _lists_of_objects(child, below)


def as_records(found: Result, path: str, profile: PlaceProfile) -> Result:
    """The survey of the records that lie at a path in a document."""
    profile.top = True
    where, whole = typed_records(path, profile.has_own_texts), "'$'"
    states, manner = {**found.states, "records": path}, found.manner
    if profile.has_own_texts:
        whole, manner = str(found.states.get("records", "")), f"XML, each <{where}> a record"
        states["records"] = last_name(path)
    notice = (
        f"the records are taken to be the {profile.objects:,} of {where}, the only list of objects "
        f"in the document; --records {whole} takes the document as one record"
    )
    notices = [*found.notices, notice]
    return msgspec.structs.replace(
        found, records=profile.objects, states=states, notices=notices, manner=manner
    )


def point_at_records(found: SurveyResult, fields: Sequence[FieldSurvey], elements: bool) -> None:
    """Say of a document which of its places may hold the records, and which repeats most."""
    levels = [one for one in outermost_levels(fields) if not one.nested]
    for one in levels:
        typed = typed_records(one.path, elements)
        one.remarks.append(f"if these are the records: --records {typed}")
    if len(levels) > 1:
        most = max(levels, key=lambda one: one.entries)
        typed = typed_records(most.path, elements)
        what = f"it is one record; {most.path} repeats most ({most.entries:,} times)"
        found.notices.append(f"{what}: --records {typed} makes a record of each")


def typed_records(path: str, elements: bool) -> str:
    """What says in a shell that the records are at a path: of XML the name alone.

    >>> print(typed_records("data.items", False), typed_records("stores['s:item']", True))
    data.items s:item
    """
    said = last_name(path) if elements else path
    return said if re.fullmatch(r"[\w.*:-]+", said) else shell_quoted(said)


def outermost_levels(fields: Sequence[FieldSurvey]) -> Iterator[FieldSurvey]:
    """The levels of objects that lie in no other level."""
    deepest = None  # how deep the level is that one lies in
    for field in fields:
        deepest = None if deepest is not None and field.depth <= deepest else deepest
        if deepest is None and field.is_level:
            deepest = field.depth
            if field.kinds.get("object"):
                yield field
