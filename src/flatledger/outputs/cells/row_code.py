"""Functions over rows of a certain width, written as one comprehension: each cell by its name."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cache
from typing import Any

from ...run.protocols import Row


def row_maker(changes: Sequence[Callable[[Any], Any] | None]) -> Callable[[list[Row]], list[Row]]:
    """A function that changes the cells of rows, each by its own function if it has one.

    >>> row_maker([None, str.upper])([(1, "oil"), (2, "wick")])
    [(1, 'OIL'), (2, 'WICK')]
    """
    code = [
        f"change_{at}({{}})" if change is not None else "{}" for at, change in enumerate(changes)
    ]
    named = {f"change_{at}": change for at, change in enumerate(changes) if change is not None}
    return _comprehension("rows", "", code, named)


@cache
def line_maker(width: int) -> Callable[[str, list[Row]], list[str]]:
    """A function that fills a form of the `%` operator with the cells of each row, a null as a
    blank.

    >>> line_maker(2)("%s;%s", [(1, None), (None, "None")])
    ['1;', ';None']
    """
    return _comprehension("line, rows", "line % ", ["'' if {0} is None else {0}"] * width, {})


def _comprehension(
    arguments: str, before: str, cells: Sequence[str], named: dict[str, Any]
) -> Callable[..., Any]:
    names = [f"cell_{place}" for place in range(len(cells))]
    made = "".join(f"{code.format(name)}, " for code, name in zip(cells, names, strict=True))
    text = f"lambda {arguments}: [{before}({made}) for {', '.join(names)}, in rows]"
    function: Callable[..., Any] = eval(text, {**named})
    return function
