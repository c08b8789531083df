"""The levels of a survey, and which of them a row stands for unless somebody says."""

from __future__ import annotations

from collections.abc import Container, Mapping

from ..layout.model.source_options import CATALOGUE
from ..structure.survey import FURTHER, FieldSurvey, SurveyResult
from .wording import is_members, path_above, within

RECORD = "record"
MOST = 0.5  # a level that this share of the records has can be the row's
Levels = Mapping[str, FieldSurvey]


def levels_of(result: SurveyResult) -> dict[str, FieldSurvey]:
    """The places where entries stand, by their paths: lists of objects, and members whose keys are
    data; plain values that repeat are none."""
    outer = {path_above(field.path) for field in result.fields}
    lone = result.records == 1  # a document whose keys are data holds the entries
    return {
        one.path: one
        for one in result.fields
        if (one.is_level and (one.kinds.get("object") or one.path in outer))
        or (is_members(one.path) and FURTHER not in one.remarks and (lone or "object" in one.kinds))
    }


def level_of(field: FieldSurvey, levels: Levels) -> str:
    """The level that a field belongs to."""
    around = [path for path in levels if within(field.path, path)]
    return around[-1] if around else RECORD


def row_level(result: SurveyResult, levels: Levels) -> str:
    """The first level that repeats on the branch with most entries; a deeper one only where that
    has no values of its own. In a catalogue the records stand for themselves."""
    if result.states.get("format") == CATALOGUE:
        return RECORD
    homes = {
        level_of(field, levels) for field in result.fields if set(field.kinds) - {"object", "list"}
    }
    row = RECORD
    while True:
        below = [path for path in _next_below(row, levels) if _is_usual(path, row, result, levels)]
        if not below and result.records == 1:  # what has one entry may wrap what repeats
            below = _wrapping(row, levels, homes)
        if not below:
            return row
        row = max(below, key=lambda path: levels[path].entries)
        if row in homes and (levels[row].entries > 1 or not _next_below(row, levels)):
            return row


def _wrapping(row: str, levels: Levels, homes: Container[str]) -> list[str]:
    """The levels right below another that hold a level which repeats, or all there is."""
    below = _next_below(row, levels)
    return [
        path
        for path in below
        if row not in homes or any(levels[one].most > 1 for one in _next_below(path, levels))
    ]


def _next_below(row: str, levels: Levels) -> list[str]:
    """The levels right below another."""
    under = [path for path in levels if row == RECORD or (path != row and within(path, row))]
    return [path for path in under if not any(path != one and within(path, one) for one in under)]


def _is_usual(path: str, row: str, result: SurveyResult, levels: Levels) -> bool:
    """Whether a level repeats, and most of what it lies in has it."""
    field = levels[path]
    around = levels[row].entries if row != RECORD else result.records
    if is_members(path):
        return result.records == 1 and field.entries > around
    return field.filled >= MOST * max(around, 1) and field.most > 1
