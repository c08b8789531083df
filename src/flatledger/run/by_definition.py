"""What a run is lent to hold itself against: records by definition."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from typing import Any, Protocol

from ..plan.plan import Plan


class RecordRead(Protocol):
    """What a record is by definition: whether it is let through, ``rows`` with the place of each
    among its ``many``, the verdicts of conditions (``counts``), and whether all rows are there
    (``whole``)."""

    @property
    def passes(self) -> bool: ...

    @property
    def rows(self) -> list[tuple[int, tuple[Any, ...]]]: ...

    @property
    def many(self) -> int: ...

    @property
    def counts(self) -> Counter[str]: ...

    @property
    def whole(self) -> bool: ...


class Definition(Protocol):
    """Reads records, and says what they add up to together."""

    def read(
        self, number: int, plain: Any, file: str, before: int, row: int | None
    ) -> RecordRead: ...

    def figures(self) -> list[Any]: ...

    def groups(self) -> list[tuple[tuple[Any, ...], dict[str, Any]]]: ...


class Definitions(Protocol):
    """Makes definitions by one plan: of each record so many rows at the most."""

    def of_records(self, most_rows: int | None) -> Definition: ...


Define = Callable[[Plan], Definitions]
