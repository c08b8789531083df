"""The rows of a table, in a program."""

from __future__ import annotations

from collections.abc import Callable, Generator, Iterator, Mapping
from contextlib import suppress
from typing import TYPE_CHECKING, Any, Protocol, Self, TypeVar

from ..errors import TableClosedError, TableNotReadError, TableReadError
from ..extras import loaded
from ..outputs.cells.finishing import Finisher
from ..run.balance import Balance
from ..run.describing import TableColumn, described
from ..run.pipeline import TableRun
from ..run.protocols import GroupHeading, Progress, Row, TotalRow
from ..sources import AnySource
from ..structure.levels import LevelsDifferError
from . import logs
from .arguments import check_given
from .layout import AnyLayout, Layout
from .preparing import Preparation, given_for

if TYPE_CHECKING:
    import pandas as pd
    import pyarrow as pa


_SHOWN = 8  # headings
_Step = TypeVar("_Step")


class TableSupply(Protocol):
    """What gives the rows of a table: a reading of its own, or one that several share."""

    @property
    def prepared(self) -> Preparation: ...

    @property
    def run(self) -> TableRun: ...

    def blocks(self) -> Iterator[list[Row]]: ...

    def begin_again(self, wrong: LevelsDifferError, *, given: bool) -> None: ...

    def close(self) -> None: ...


class _Alone:
    """A reading for one table."""

    def __init__(self, prepared: Preparation, progress: Progress | None) -> None:
        self.prepared, self._progress = prepared, progress
        self.run = prepared.run(progress)

    def blocks(self) -> Iterator[list[Row]]:
        return self.run.blocks()

    def begin_again(self, wrong: LevelsDifferError, *, given: bool) -> None:
        self.prepared.begin_again(wrong, given=given)
        self.run = self.prepared.run(self._progress)

    def close(self) -> None:
        self.run.reader.close()


class Table(Iterator[Row]):
    """The rows of a table, one tuple each. They are taken once.

    To go through a table gives its rows; what sums them up comes by `totals`, or among them by
    ``rows(totals=True)`` (`TotalRow`). Where the layout has no detail, the rows are those of the
    innermost groups.

    Cells are values: ``str``, ``int``, ``Decimal``, ``bool``, ``date``, ``datetime``, ``time``,
    `Interval`, or ``None``; where a column states a code list, a pattern or a default, what that
    makes of them. What could not be read is its own text. It is a context: leaving it closes the
    source.

    >>> with Table({"columns": [{"No": "no"}]}, [{"no": 1}, {"no": 2}]) as numbers:
    ...     print(numbers.headings, next(numbers), next(numbers))
    ('No',) (1,) (2,)
    """

    def __init__(
        self,
        layout: AnyLayout,
        source: AnySource,
        *,
        ask: Mapping[str, Any] | None = None,
        progress: Progress | None = None,
        fields: Mapping[str, Any] | None = None,
        reading: Mapping[str, Any] | None = None,
    ) -> None:
        check_given(ask=ask, fields=fields, reading=reading)
        stated = Layout.of(layout).declaring(fields, reading)
        prepared = Preparation(stated, source, given_for(stated, ask))
        self._taken_from(_Alone(prepared, progress))

    def _taken_from(self, reading: TableSupply) -> None:
        """Give the rows of a reading."""
        self._reading, self._prepared = reading, reading.prepared
        self._blocks: Generator[list[Row]] | None = None
        self._rows: Iterator[Row] | None = None
        self._arrow_tables: dict[bool, pa.Table] = {}  # without and with total rows
        self._read = self._closed = False

    @property
    def _run(self) -> TableRun:
        return self._reading.run

    # ---- what it is

    @property
    def columns(self) -> tuple[TableColumn, ...]:
        """Its columns: headings, types, the level that values belong to, units, totals.

        >>> [one.level for one in table({"columns": [{"Qty": "sum(lines.qty)"}]}, [{}]).columns]
        ['record']
        """
        return described(self._run.plan)

    @property
    def headings(self) -> tuple[str, ...]:
        """The headings of its columns.

        >>> table({"columns": [{"Mass": {"value": "mass", "unit": "kg"}}]}, []).headings
        ('Mass, kg',)
        """
        return tuple(column.heading for column in self.columns)

    @property
    def balance(self) -> Balance:
        """The proof of the run. Raises TableNotReadError before all rows have been taken.

        >>> numbers = table({"columns": [{"No": "no"}]}, [{"no": 1}])
        >>> list(numbers), numbers.balance.balanced
        ([(1,)], True)
        """
        if not self._read:
            raise TableNotReadError(
                "the balance comes after the last row: take all rows first, as list(table) does"
            )
        return self._prepared.balance(self._run)

    def __repr__(self) -> str:
        how = "read" if self._read else "closed" if self._closed else "rows to be taken once"
        return f"<Table of {', '.join(self.headings[:_SHOWN])}: {how}>"

    def _repr_html_(self) -> str:
        """Its columns: its rows are taken by whoever asks for them."""
        from ..reports.notebook import table_fragment
        from ..reports.words import what_it_is

        rows = [(one.heading, what_it_is(one), one.level, one.total) for one in self.columns]
        return table_fragment(("column", "what it is", "level", "total"), rows, repr(self))

    # ---- its rows

    def __iter__(self) -> Self:
        """Raises TableReadError where all rows have been taken already."""
        if self._read:
            raise TableReadError(
                "the rows of this table have been taken; ask for the table again to have them again"
            )
        return self

    def __next__(self) -> Row:
        row = self._next()
        while self._sums_up(row):
            row = self._next()
        return row

    def _next(self) -> Row:
        """The next row, be it a total row. Raises StopIteration after the last."""
        if self._closed and not self._read:
            raise TableClosedError("the table has been closed; ask for it again")
        if self._rows is None:
            self._rows = (row for block in self._taken(self._finished) for row in block)
        row = self._step(self._rows)
        if row is not None:
            return row
        if self._read:
            raise StopIteration
        raise TableClosedError("the table ended in an error; ask for it again")

    def _step(self, generator: Iterator[_Step]) -> _Step | None:
        """What comes next; None at the end. Raises TableReadError where another thread is taking
        it at this moment."""
        try:
            return next(generator, None)
        except ValueError as error:
            self._stop_if_shared(error)
            raise

    def _stop_if_shared(self, error: ValueError) -> None:
        """Raise TableReadError where an error says that another thread is in a generator."""
        if "already executing" in str(error):
            raise TableReadError(
                "another thread is taking rows of this table; give each thread a table of its own"
            ) from None

    def _sums_up(self, row: Row) -> bool:
        """Whether a row sums up others of the table."""
        layout = self._prepared.layout
        if isinstance(row, GroupHeading) or (isinstance(row, TotalRow) and row.at):
            return True
        return isinstance(row, TotalRow) and (layout.totals.detail or row.depth < len(layout.group))

    def rows(self, *, totals: bool = False) -> Iterator[Row]:
        """The rows, as they come; with ``totals`` the total rows are among them, in their places.
        Raises TableReadError.

        >>> fees = {"columns": [{"Fee": {"value": "fee", "total": "sum"}}]}
        >>> list(table(fees, [{"fee": 1}, {"fee": 2}]).rows(totals=True))
        [(1,), (2,), (3,)]
        """
        rows = iter(self)
        return self._all() if totals else rows

    def _all(self) -> Generator[Row]:
        with suppress(StopIteration):
            while True:
                yield self._next()

    def totals(self) -> Iterator[TotalRow]:
        """What sums up rows, as it comes; the rows are passed over. Raises TableReadError.

        >>> fees = {"columns": [{"Fee": {"value": "fee", "total": "sum"}}]}
        >>> list(table(fees, [{"fee": 1}, {"fee": 2}]).totals())
        [(3,)]
        """
        rows = self.rows(totals=True)
        found = (row for row in rows if isinstance(row, TotalRow) and self._sums_up(row))
        return (row for row in found if not isinstance(row, GroupHeading))

    def dicts(self, *, totals: bool = False) -> Iterator[dict[str, Any]]:
        """The rows with their cells by heading; with ``totals`` total rows, too. Raises
        TableReadError.

        >>> list(table({"columns": [{"No": "no"}]}, [{"no": 1}]).dicts())
        [{'No': 1}]
        """
        headings = self.headings
        return (dict(zip(headings, row, strict=True)) for row in self.rows(totals=totals))

    def batches(self, *, totals: bool = False) -> Iterator[list[Row]]:
        """The rows, some at a time, as they come; with ``totals`` total rows, too. Raises
        TableReadError where some were taken.

        >>> list(table({"columns": [{"No": "no"}]}, [{"no": 1}, {"no": 2}]).batches())
        [[(1,), (2,)]]
        """
        return self._batches(self._taken(self._finished), totals)

    def _batches(self, blocks: Generator[list[Row]], totals: bool) -> Generator[list[Row]]:
        with self:
            while True:
                block = self._step(blocks)
                if block is None:
                    return
                rows = block if totals else [row for row in block if not self._sums_up(row)]
                if rows:
                    yield rows

    def _finished(self) -> Callable[[list[Row]], list[Row]]:
        finisher = Finisher(self._run.columns, self._prepared.layout.locale)
        return finisher.finished if finisher.active else list

    def _taken(
        self, finished: Callable[[], Callable[[list[Row]], list[Row]]]
    ) -> Generator[list[Row]]:
        """The blocks of rows, which can be taken once."""
        if self._closed:
            raise TableClosedError("the table has been closed; ask for it again")
        if self._blocks is not None:
            raise TableReadError(
                "rows of this table have been taken already; ask for the table again"
            )
        self._blocks = self._begun(finished)
        return self._blocks

    def _begun(
        self, finished: Callable[[], Callable[[list[Row]], list[Row]]]
    ) -> Generator[list[Row]]:
        given = False
        while True:
            try:
                finish = finished()
                for block in self._reading.blocks():
                    given = given or bool(block)
                    yield finish(block)
                self._prepared.check_names(self._run)
                self._read = True
                if logs.listening():
                    logs.ended(self._prepared.layout.name, self.balance)
                return
            except LevelsDifferError as wrong:
                self._reading.begin_again(wrong, given=given)

    def close(self) -> None:
        """Leave the table, however many rows have been taken; nothing of the source stays open.

        >>> table({"columns": [{"No": "no"}]}, [{"no": 1}]).close()
        """
        if self._blocks is not None:
            try:
                self._blocks.close()
            except ValueError as error:
                self._stop_if_shared(error)
                raise
        self._closed = True
        self._reading.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *error: object) -> None:
        self.close()

    # ---- handing it on

    def to_pandas(self, *, totals: bool = False) -> pd.DataFrame:
        """The table as a data frame, its columns of Arrow's types: decimals stay decimals.

        Units, code lists and rounding are as in the table; a pattern or a default is not, so that
        numbers stay numbers. Raises MissingExtraError where pandas is not installed, and
        OutputError for a number of more than 76 digits.

        >>> fees = {"columns": [{"Fee": {"value": "fee", "decimals": 2}}]}
        >>> table(fees, [{"fee": 1}, {"fee": 2}]).to_pandas()["Fee"].sum()
        Decimal('3.00')
        """
        pandas = loaded("pandas", "pandas", "a data frame")
        table = self.to_arrow(totals=totals)
        return table.to_pandas(types_mapper=pandas.ArrowDtype)

    def to_arrow(self, *, totals: bool = False) -> pa.Table:
        """The table as one of Arrow; the same however often it is asked for.

        It is held in memory as a whole, since the data tells a column's type where nothing else
        does. Raises MissingExtraError where pyarrow is not installed, and OutputError for a number
        of more than 76 digits.

        >>> table({"columns": [{"No": "no"}]}, [{"no": 1}, {"no": 2}]).to_arrow().num_rows
        2
        """
        if totals not in self._arrow_tables:
            self._arrow_tables[totals] = self._arrow(totals)
        return self._arrow_tables[totals]

    def __arrow_c_stream__(self, requested_schema: object = None) -> object:
        """The table without its total rows, by Arrow's interface for other libraries (a PyCapsule);
        as often as it is asked for. Raises MissingExtraError where pyarrow is not installed.
        """
        table: Any = self.to_arrow()
        return table.__arrow_c_stream__(requested_schema)

    def __array__(self, *_: object, **__: object) -> Any:
        """Raises TypeError: an array has one type, and a table's columns have one each."""
        raise TypeError(
            "the columns of a table have a type each, so that it is no array; use to_pandas(), "
            "to_arrow() or list(table)"
        )

    def _arrow(self, totals: bool) -> pa.Table:
        arrow: Any = loaded("flatledger.outputs.documents.arrow", "arrow", "an Arrow table")
        locale = self._prepared.layout.locale
        blocks = self._taken(lambda: arrow.finisher(self._run.columns, locale))
        rows = [row for block in self._batches(blocks, totals) for row in block]
        found: pa.Table = arrow.arrow_table(self.columns, rows)
        return found


def table(
    layout: AnyLayout,
    source: AnySource,
    *,
    ask: Mapping[str, Any] | None = None,
    progress: Progress | None = None,
    fields: Mapping[str, Any] | None = None,
    reading: Mapping[str, Any] | None = None,
) -> Table:
    """Flatten records into the rows of a table; nothing is written.

    ``layout`` is a path, a name on the shelf, a mapping, or a `Layout`. ``source`` is a path
    (``-``: standard input), several files (a list of paths, a pattern, a folder, a ZIP file), an
    open file, or any iterable of records. ``ask`` gives the values
    that the layout asks for; ``progress`` is called with how far it has come (`RunProgress`).
    ``fields`` declares further fields, ``reading`` says how the source is read, by the keys that
    stand under `source` in a layout. Raises ArgumentError, LayoutError, ShelfError, AnswerError and
    SourceError.

    >>> layout = {
    ...     "row-per": "lines",
    ...     "columns": [{"No": "no"}, {"Sum": {"value": "lines.qty * lines.each", "total": "sum"}}],
    ... }
    >>> records = [{"no": "R1", "lines": [{"qty": 2, "each": 3}, {"qty": 1, "each": 4}]}]
    >>> with table(layout, records) as lines:
    ...     list(lines.rows(totals=True))
    [('R1', 6), ('R1', 4), ('Grand total', 10)]
    >>> lines.balance.balanced, [(one.heading, one.level) for one in lines.columns]
    (True, [('No', 'record'), ('Sum', 'lines')])
    """
    return Table(layout, source, ask=ask, progress=progress, fields=fields, reading=reading)
