"""The tables of a layout, in a program: by their names, from one reading."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any, Self

from ..run.balance import Balance
from ..run.pipeline import TableRun
from ..run.protocols import Progress, Row
from ..sources import AnySource
from ..structure.levels import LevelsDifferError
from .arguments import check_given
from .layout import AnyLayout, Layout
from .preparing import Preparation, given_for
from .preparing_tables import TablePreparations
from .spilling import TemporaryRows
from .table import Table


class Tables(Mapping[str, Table]):
    """The tables of a layout by their names, in its order. They share one reading: to go through
    one takes the rows of the others with it, which wait in temporary files.

    It is a context: leaving it closes the source.

    >>> stores = {
    ...     "tables": {
    ...         "lines": {"row-per": "lines", "columns": [{"Qty": "lines.qty"}]},
    ...         "records": {"columns": [{"No": "no"}]},
    ...     }
    ... }
    >>> with tables(stores, [{"no": 1, "lines": [{"qty": 2}, {"qty": 3}]}]) as found:
    ...     {name: list(table) for name, table in found.items()}
    {'lines': [(2,), (3,)], 'records': [(1,)]}
    >>> found.balance.read, found.balance.balanced
    (1, True)
    """

    def __init__(self, prepared: TablePreparations, progress: Progress | None) -> None:
        """`tables` makes them, of what was ``prepared``."""
        self._shared = _SharedReading(prepared, progress)
        parts = enumerate(prepared.parts)
        self._tables = {one.layout.name: self._table(at) for at, one in parts}

    def _table(self, at: int) -> Table:
        found = Table.__new__(Table)
        found._taken_from(_OneOf(self._shared, at))
        return found

    def __getitem__(self, name: str) -> Table:
        return self._tables[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._tables)

    def __len__(self) -> int:
        return len(self._tables)

    def __repr__(self) -> str:
        return f"<Tables {', '.join(self._tables)}>"

    @property
    def balance(self) -> Balance:
        """The proof of all tables, with a part for each. Raises TableNotReadError before all rows
        of each have been taken."""
        for table in self._tables.values():
            _ = table.balance
        return self._shared.prepared.balance(self._shared.run)

    def close(self) -> None:
        """Leave the tables, however many rows have been taken; nothing of the source stays open."""
        for table in self._tables.values():
            table.close()
        self._shared.run.reader.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *error: object) -> None:
        self.close()


class _SharedReading:
    """One reading for several tables. Rows of those that nobody takes at the time wait."""

    def __init__(self, prepared: TablePreparations, progress: Progress | None) -> None:
        self.prepared, self._progress = prepared, progress
        self._store = TemporaryRows()
        self.given = False  # whether rows of some table have been given
        self._begin()

    def _begin(self) -> None:
        self.run = self.prepared.run(self._progress)
        self._blocks = self.run.blocks()
        several = len(self.prepared.parts)
        self._waiting: list[deque[Callable[[], Iterator[Row]]]] = [deque() for _ in range(several)]
        self._ended: set[int] = set()

    def blocks(self, table: int) -> Iterator[list[Row]]:
        """The rows of a table, as far as they wait and then as they come."""
        while True:
            while self._waiting[table]:
                self.given = True
                yield list(self._waiting[table].popleft()())
            if table in self._ended:
                return
            at, block = next(self._blocks)
            if not block:
                self._ended.add(at)
            elif at == table:
                self.given = True
                yield block
            else:
                self._waiting[at].append(self._store.keep(block))

    def begin_again(self, wrong: LevelsDifferError) -> None:
        """Begin anew, knowing all levels. Raises LevelsError where rows were given already."""
        self.prepared.begin_again(wrong, given=self.given)
        self._begin()


class _OneOf:
    """What gives the rows of one of several tables."""

    def __init__(self, shared: _SharedReading, at: int) -> None:
        self._shared, self._at = shared, at

    @property
    def prepared(self) -> Preparation:
        return self._shared.prepared.parts[self._at]

    @property
    def run(self) -> TableRun:
        return self._shared.run.runs[self._at]

    def blocks(self) -> Iterator[list[Row]]:
        return self._shared.blocks(self._at)

    def begin_again(self, wrong: LevelsDifferError, *, given: bool) -> None:
        self._shared.begin_again(wrong)

    def close(self) -> None:
        """The reading is closed with all its tables."""


def tables(
    layout: AnyLayout,
    source: AnySource,
    *,
    names: Sequence[str] = (),
    ask: Mapping[str, Any] | None = None,
    progress: Progress | None = None,
    fields: Mapping[str, Any] | None = None,
    reading: Mapping[str, Any] | None = None,
) -> Tables:
    """Flatten records into the tables of a layout, by their names; nothing is written.

    Of several tables only those of ``names`` are made, where some are given. The other arguments
    are those of `table`, and so are the errors.

    >>> both = {"columns": [{"No": "no"}], "tables": {"all": {}, "high": {"only": ["no > 1"]}}}
    >>> found = tables(both, [{"no": 1}, {"no": 2}])
    >>> list(found), list(found["high"]), list(found["all"])
    (['all', 'high'], [(2,)], [(1,), (2,)])
    """
    check_given(ask=ask, fields=fields, reading=reading)
    stated = Layout.of(layout).declaring(fields, reading)
    given = given_for(stated, ask)
    prepared = TablePreparations(stated.of_tables(names), source, given, name=stated.name)
    return Tables(prepared, progress)
