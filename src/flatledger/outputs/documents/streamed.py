"""What writers of text have in common that write one piece after another, in UTF-8."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Self

from ...layout.model.model import SettledLayout
from ...plan.row_type import ColumnPlan
from ...run.balance import Balance
from ...run.protocols import Row
from ..places.files import Target

_UNFIT = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\ud800-\udfff\ufffe\uffff]")
_INSTEAD = "\ufffd"


class StreamedWriter:
    """A writer that puts texts into its target (a Writer)."""

    def __init__(
        self, layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str
    ) -> None:
        self.rows = self.bytes = 0
        self.layout, self.columns, self.source = layout, columns, source
        self._target = target
        self._replaced = 0

    def begin(self) -> None:
        """Write what stands before the rows."""

    def end(self) -> None:
        """Write what stands after them."""

    def write(self, rows: list[Row]) -> None:
        """Write some rows."""
        raise NotImplementedError

    def put(self, text: str) -> None:
        """Put a text into the target."""
        data = text.encode()
        self._target.write(data)
        self.bytes += len(data)

    def fit(self, text: str) -> str:
        """A text with what markup can't hold replaced, which is counted."""
        text, count = _UNFIT.subn(_INSTEAD, text)
        self._replaced += count
        return text

    def sheets_of(self, place: int) -> Sequence[str]:
        """It has no sheets, whatever tables stand in it."""
        return ()

    def finish(self, balance: Balance) -> None:
        """There is no place for a balance in it."""

    def __enter__(self) -> Self:
        self.begin()
        return self

    def __exit__(self, kind: type[BaseException] | None, *error: object) -> None:
        if kind is None:
            self.end()

    def notes(self) -> list[str]:
        """What a reader of the table should know."""
        if not self._replaced:
            return []
        letters = "1 character" if self._replaced == 1 else f"{self._replaced:,} characters"
        return [f"{letters} that can't stand there became {_INSTEAD} (control characters)"]
