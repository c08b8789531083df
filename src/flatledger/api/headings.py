"""Whether the first row of a table, which is taken for its headings, is one of its rows."""

from __future__ import annotations

from collections.abc import Sequence

from ..structure.path_texts import path_of
from ..structure.survey import FieldSurvey
from ..values.numbers import read_decimal

_YEARS = range(1500, 2101)


def first_row_told(headings: Sequence[str], fields: Sequence[FieldSurvey]) -> list[str]:
    """What to point out where each column of numbers or dates is headed by such a value. Years are
    what columns of figures are headed by.

    >>> from flatledger import survey
    >>> first_row_told(["12", "oak"], survey([{"12": "13", "oak": "elm"}]).fields)[0][:40]
    'the first row looks like the rows below '
    """
    by_path = {field.path: field for field in fields}
    typed = [
        (name, field)
        for name in headings
        if (field := by_path.get(path_of("", name))) is not None and _is_typed(field)
    ]
    alike = [name for name, field in typed if _fits(name, field)]
    years = all(name.isdigit() and int(name) in _YEARS for name in alike)
    if not alike or len(alike) < len(typed) or years:
        return []
    return [
        f"the first row looks like the rows below it ({', '.join(alike[:3])}); if it is one of "
        "them: `source: {header-row-count: 0}`"
    ]


def _is_typed(field: FieldSurvey) -> bool:
    numbers = field.kinds and set(field.kinds) <= {"integer", "decimal"}
    return bool(numbers) or (field.typing is not None and field.typing.datatype != "string")


def _fits(name: str, field: FieldSurvey) -> bool:
    if field.typing is not None:
        return field.typing.gives_back(name)
    return read_decimal(name) is not None
