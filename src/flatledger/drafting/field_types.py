"""The `fields` of a draft: types that change nothing, and as comments those that would."""

from __future__ import annotations

import re
from collections.abc import Container, Iterable, Mapping
from typing import Any

from ..layout.model.text import from_data, scalar, write_yaml
from ..structure.survey import FieldSurvey
from .wording import comment, rooted, within

_PATTERN = re.compile(r"[A-Za-z](?:[A-Za-z./' -]|:(?=\S))*(?<!\s)")  # which YAML takes as it is
_SAYS = (
    "# What the texts are. Each type gives back every value that was read as it stands;",
    "# a later one that it would change is a fault, and is written as it came.",
)


def typed_fields(fields: Iterable[FieldSurvey], added_up: Container[str]) -> list[str]:
    """The paths of the fields that are typed, of which none is a part of another: those with a
    typing, and numbers that are ``added_up``, so that a text among them is a fault."""
    typed: list[str] = []
    for one in fields:
        is_typed = one.typing is not None or one.path in added_up
        if is_typed and not any(within(one.path, other) for other in typed):
            typed.append(one.path)
    return typed


def field_lines(
    fields: Iterable[FieldSurvey], typed: Iterable[str], declared: Mapping[str, Any]
) -> list[str]:
    """Lines for `fields`; what is ``declared`` already comes first and stands as it is."""
    said = write_yaml(from_data({"fields": declared})).splitlines() if declared else []
    known = {key.removeprefix("$") for key in declared}
    left = [one for one in fields if one.path not in known]
    active = [line for one in left if one.path in typed for line in [_line(one)]]
    others = [line for one in left if one.path not in typed for line in _proposed(one)]
    if not (said or active or others):
        return []
    start = said or (["fields:"] if active else ["# fields:"])
    return ["", *(_SAYS if active else ()), *start, *active, *others]


def _line(field: FieldSurvey) -> str:
    keys = field.typing.keys if field.typing is not None else {"datatype": "decimal"}
    count = sum(field.kinds.values())
    many = f"all {count:,} values" if count > 1 else "the one value"
    return f"  {_keys(field.path, keys)}   # {many}"


def _proposed(field: FieldSurvey) -> list[str]:
    """A declaration that would change values, as a comment that says what it does."""
    if field.proposal is None:
        return []
    why = f"   # {field.proposal.why}" if field.proposal.why else ""
    return [comment(f"#   {_keys(field.path, field.proposal.keys)}{why}")]


def _keys(path: str, keys: Mapping[str, str]) -> str:
    said = ", ".join(f"{key}: {pattern(text)}" for key, text in keys.items())
    return f"{scalar(rooted(path))}: {{{said}}}"


def pattern(text: str) -> str:
    """A pattern for YAML, in quotes only where it needs them.

    >>> print(pattern("yyyy-MM-dd'T'HH:mm"), pattern("5"))
    yyyy-MM-dd'T'HH:mm "5"
    """
    return text if _PATTERN.fullmatch(text) else scalar(text)
