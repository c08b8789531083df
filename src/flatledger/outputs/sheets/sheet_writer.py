"""What writers of workbooks have in common, whatever the format: rows go to sheets, which end where
they are full, and what they can't hold is refused or goes on."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from typing import Any

from ...errors import OutputError
from ...layout.model.model import SettledLayout
from ...plan.row_type import ColumnPlan
from ...run.balance import Balance
from ...run.protocols import PartialRow, Row, TotalRow
from ..cells.arranging import Arrangement
from ..cells.cell_values import CellValues
from ..cells.digits import Digits
from ..cells.finishing import Finisher, without_pattern
from ..cells.page_breaks import PageBreaks
from ..places.files import Target
from .balance_sheets import SheetHeading, balance_rows, fault_rows
from .sheet_shape import LONG_TEXTS, MOST_ROWS, Folding, LongTexts, Widths, sheet_name


class SheetWriter:
    """Writes a table to sheets, or several one after another (the greater part of a TablesWriter).

    A format says how a sheet begins and ends, how a row and a further sheet are written, and how
    the whole is put together.
    """

    def __init__(
        self,
        layout: SettledLayout,
        target: Target,
        columns: Sequence[ColumnPlan],
        source: str,
        earliest: dt.datetime,
    ) -> None:
        """``earliest`` is the first moment that cells can have."""
        self.rows = self.bytes = 0
        self.target, self.source = target, source
        self.title, self.about = layout.name, layout.about
        self.long = LongTexts(continued=layout.output.beyond == "continue")
        self.names: list[str] = []
        self.wide = False  # whether some table is printed across
        self._earliest, self._told = earliest, list[str]()
        self._sheets: list[list[str]] = []  # of each table, their names
        self._with_balance = self.several = False
        self.take(layout, columns)

    def take(self, layout: SettledLayout, columns: Sequence[ColumnPlan]) -> None:
        """Rows are those of a table from now on."""
        self.layout = layout
        self.long.continued = layout.output.beyond == "continue"
        self._with_balance = self._with_balance or layout.output.with_balance
        self.columns = [one.column for one in columns]
        self.numeric = [one.numeric or one.kind == "number" for one in columns]
        self.values = [CellValues(column, self._earliest) for column in self.columns]
        self.arrangement, self.breaks = Arrangement(layout), PageBreaks(layout)
        self.widths, self.folding = Widths(self.columns, layout.places), Folding(layout)
        self.at = 0  # rows of the sheet so far
        self._finisher = Finisher([without_pattern(one) for one in columns], layout.locale)
        self._digits = Digits(columns, sheets=True)
        self._ended = False
        self._sheets.append([])

    # ---- several tables

    def begin_several(self, title: str) -> None:
        """Know that several tables will stand in it."""
        self.title, self.about, self.several = title, "", True

    def next_table(self, layout: SettledLayout, columns: Sequence[ColumnPlan]) -> None:
        """Go on with the next table, on a sheet of its own."""
        with self.telling():
            self._end_table()
            self._told += self._values_notes()
            self.take(layout, columns)
            self.begin_sheet()

    def sheets_of(self, place: int) -> Sequence[str]:
        """The sheets that the table at a place has."""
        return self._sheets[place]

    # ---- what a format says

    def begin_sheet(self) -> None:
        """Begin a sheet, with the rows above the table."""
        raise NotImplementedError

    def end_sheet(self) -> None:
        """End the sheet of the table."""
        raise NotImplementedError

    def row(self, row: Row, style: str, level: int, slots: Sequence[int]) -> None:
        """Write some cells of a row, of a style, that folds at a level."""
        raise NotImplementedError

    def heading_row(self, header: int, texts: Sequence[str]) -> None:
        """Write a row of headings, by its number, where the sheet has come to."""
        raise NotImplementedError

    def new_page(self) -> None:
        """Begin a page in print before the next row."""
        raise NotImplementedError

    def further(self, name: str, rows: Iterable[Row]) -> None:
        """Write a sheet beside that of the table."""
        raise NotImplementedError

    def put_together(self) -> None:
        """Write the whole to the target, and count its bytes."""
        raise NotImplementedError

    def abandon(self) -> None:
        """Leave what is not whole by now, and what it was made from."""
        raise NotImplementedError

    @contextmanager
    def telling(self) -> Iterator[None]:
        """Tell of failures as failures of the target."""
        try:
            yield
        except OSError as error:
            raise self.target.failed(error) from error

    # ---- the same for all

    def new_name(self, name: str) -> str:
        """A name for a sheet that no other has."""
        self.names.append(sheet_name(name, self.names))
        return self.names[-1]

    def table_name(self) -> str:
        """A name for a sheet of the table that is written."""
        self._sheets[-1].append(self.new_name(self.layout.output.sheet or self.layout.name))
        return self.names[-1]

    def long_part(self, text: str, row: int, title: str) -> str:
        """What of a text goes into its cell, in a row of a column; of several tables the sheet is
        named with it."""
        return self.long.part(text, row, f"{self.names[-1]}: {title}" if self.several else title)

    @property
    def above(self) -> int:
        """How many rows stand above the table."""
        return len(self.layout.output.preamble) + len(self.layout.header_rows)

    def write(self, rows: list[Row]) -> None:
        """Write some rows. Raises OutputError where a sheet can't hold them."""
        rows = self._digits.fewer(rows)
        finished = self._finisher.finished(rows) if self._finisher.active else rows
        self.widths.look_at(finished)
        with self.telling():
            for row in finished:
                if self.at == MOST_ROWS:
                    self._go_on()
                style = ("subtotal" if row.depth else "whole") if isinstance(row, TotalRow) else ""
                if self.breaks.before(row):
                    self.new_page()
                if self.arrangement.headed(row):
                    for header, texts in enumerate(self.layout.header_rows):
                        self.heading_row(header, texts)
                        self.at += 1
                for slots in self._slots(row):
                    self.row(row, style, self.folding.level(row), slots)
                    self.at += 1
                self.rows += 1

    def numeric_at(self, header: int, place: int) -> bool:
        """Whether what stands below a cell of a row of headings are figures."""
        if not self.arrangement.active:
            return self.numeric[place]
        slots = self.arrangement.slots[header]
        return any(self.numeric[at] for at in slots if self.arrangement.places[at] == place)

    def _slots(self, row: Row) -> Sequence[Sequence[int]]:
        """The columns whose cells are written of a row, in one row or in several."""
        if self.arrangement.active:
            return [slots for _, slots in self.arrangement.parts(row)]
        return [sorted(row.own) if isinstance(row, PartialRow) else range(len(row))]

    def _go_on(self) -> None:
        """Go on with another sheet. Raises OutputError where that is not wanted."""
        if self.layout.output.beyond == "refuse":
            raise OutputError(
                f"{self.target.name}: a sheet holds {MOST_ROWS:,} rows, and the table has more; "
                "`beyond: continue` under `output` goes on with another sheet"
            )
        self.end_sheet()
        self.begin_sheet()

    def finish(self, balance: Balance) -> None:
        """Add sheets for the balance and the faults, if they are wanted."""
        if not self._with_balance:
            return
        with self.telling():
            parts = [row for one in balance.tables for row in ((), *balance_rows(one))]
            self._beside("Balance", [*balance_rows(balance), *parts])
            if balance.fault_count:
                self._beside("Faults", fault_rows(balance))

    def _beside(self, name: str, rows: Iterable[Row]) -> None:
        self._end_table()
        self.further(self.new_name(name), rows)

    def _end_table(self) -> None:
        if not self._ended:
            self.end_sheet()
            self.wide = self.wide or self.widths.landscape
            self._ended = True

    def __enter__(self) -> Any:
        try:
            with self.telling():
                self.begin_sheet()
        except BaseException:
            self.abandon()
            raise
        return self

    def __exit__(self, kind: type[BaseException] | None, *error: object) -> None:
        try:
            if kind is None:
                with self.telling():
                    self._end_table()
                    if self.long.parts:
                        self._beside("Long texts", [SheetHeading(LONG_TEXTS), *self.long.parts])
                    self.put_together()
        finally:
            self.abandon()

    def notes(self) -> list[str]:
        """What a reader of the workbook should know."""
        return [*dict.fromkeys([*self._told, *self._values_notes()]), *self.long.notes()]

    def _values_notes(self) -> list[str]:
        return [note for values in self.values for note in values.notes()]
