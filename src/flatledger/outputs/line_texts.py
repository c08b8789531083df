"""Rows as lines of text, the cells as they are: what needs quotes is seen afterwards."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from typing import Any

from ..run.protocols import Row

Lines = Callable[[list[Row]], list[str]]


class LineTexts:
    """Makes the lines of rows.

    As long as no cell is blank one format does for a row; then each cell is looked at.

    >>> lines = LineTexts(";", "\\n")
    >>> lines.of([(1, "oil")]), lines.of([(2, None), (3, "None")])
    (['1;oil\\n'], ['2;\\n', '3;None\\n'])
    """

    def __init__(self, delimiter: str, line_end: str) -> None:
        self._delimiter = delimiter.replace("%", "%%")
        self._line_end = line_end
        self._blanks = False

    def of(self, rows: list[Row]) -> list[str]:
        """The line of each row; all have as many cells as the first."""
        width = len(rows[0])
        line = self._delimiter.join(["%s"] * width) + self._line_end
        if not self._blanks:
            lines = [line % row for row in rows]
            self._blanks = "None" in "".join(lines)
            if not self._blanks:
                return lines
        return _with_blanks(width)(line, rows)


@cache
def _with_blanks(width: int) -> Callable[[str, list[Row]], list[str]]:
    """What makes lines of rows of so many cells, where a null is a blank cell."""
    names = [f"c{place}" for place in range(width)]
    cells = "".join(f"'' if {name} is None else {name}, " for name in names)
    made: Any = eval(f"lambda line, rows: [line % ({cells}) for {', '.join(names)}, in rows]")
    return made  # type: ignore[no-any-return]
