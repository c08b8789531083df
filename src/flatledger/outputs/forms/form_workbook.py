"""A copy of a form that is a workbook, with the table below its headings.

Only the rows of the table are written anew: all else in the file (formats, widths, pictures, lists
to choose from, further sheets) is carried over as it is. The parts of the file are those of
ECMA-376 (Office Open XML), part 1, SpreadsheetML.
"""

from __future__ import annotations

import posixpath
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from typing import IO, Any
from zipfile import ZIP_DEFLATED, ZipFile

from lxml import etree

from ...errors import FlatLedgerError, OutputError
from ...layout.model.column import Column
from ...layout.model.model import LayoutParts, PublishedForm, SettledLayout
from ...plan.row_type import ColumnPlan
from ...run.balance import Balance
from ...run.protocols import Row
from ..cells.digits import Digits
from ..cells.finishing import Finisher, without_pattern
from ..places.files import Target
from ..sheets.sheet_shape import check_columns
from ..sheets.workbook import Workbook
from ..sheets.workbook_cells import CellWriter
from ..sheets.workbook_files import DAMAGED
from ..sheets.workbook_styles import PARSER, WorkbookStyles, as_bytes, tag
from .form_sheet import FormSheet

_OFFICE = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}"
_DOCUMENT, _STYLES, _TABLE, _SHEET = "/officeDocument", "/styles", "/table", "/worksheet"
_SHOWN = 80


def check_table(layout: LayoutParts, name: str) -> None:
    """Raise OutputError where a sheet can't hold the table."""
    check_columns(layout, name)


def open_writer(
    layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str
) -> Workbook | FormWorkbook:
    """A writer for a target; into a copy of the layout's form, if that is a workbook."""
    if layout.form is not None and layout.form.workbook:
        return FormWorkbook(layout.form, columns, layout.locale, target)
    return Workbook(layout, target, columns, source)


class FormWorkbook:
    """Writes rows into a copy of a form (a Writer)."""

    def __init__(
        self, form: PublishedForm, columns: Sequence[ColumnPlan], locale: str, target: Target
    ) -> None:
        self.rows = self.bytes = 0
        self._finisher = Finisher([without_pattern(column) for column in columns], locale)
        self._digits = Digits(columns, sheets=True)
        self._form = form
        self._target = target
        with self._telling():
            self._old = ZipFile(form.file)
        try:
            with self._telling():
                self._open([one.column for one in columns])
        except BaseException:
            self._old.close()
            raise

    def _open(self, columns: Sequence[Column]) -> None:
        """Read the parts of the form that are written anew."""
        form, target = self._form, self._target
        self._workbook = self._related("", _DOCUMENT)[0]
        self._book = self._xml(self._workbook)
        self._sheet_part = self._first_sheet()
        self._tables = self._related(self._sheet_part, _TABLE)
        styles = self._related(self._workbook, _STYLES)
        self._styles_part = styles[0] if styles else ""
        self._styles = WorkbookStyles(self._old.read(self._styles_part)) if styles else None
        properties = self._book.find(tag("workbookPr"))
        days = properties is not None and properties.get("date1904") in ("1", "true")
        self._cells = [CellWriter(column, from_1904=days) for column in columns]
        self._sheet = FormSheet(self._xml(self._sheet_part), form, self._cells, self._styles)
        self._new = ZipFile(target.file, "w", ZIP_DEFLATED)
        self._part: IO[bytes] | None = None

    def write(self, rows: list[Row]) -> None:
        """Write some rows."""
        assert self._part is not None
        with self._telling():
            shown = self._digits.fewer(rows)
            finished = self._finisher.finished(shown) if self._finisher.active else shown
            self._part.write(self._sheet.rows(finished).encode())
        self.rows += len(rows)

    def __enter__(self) -> FormWorkbook:
        try:
            with self._telling():
                self._copy_others()
                self._part = self._new.open(self._sheet_part, "w", force_zip64=True)
                self._part.write(self._sheet.head())
        except BaseException:
            self._abandon()
            raise
        return self

    def __exit__(self, kind: type[BaseException] | None, *error: object) -> None:
        try:
            if kind is None:
                with self._telling():
                    self._finish()
        finally:
            self._abandon()

    @contextmanager
    def _telling(self) -> Iterator[None]:
        try:
            yield
        except FlatLedgerError:
            raise
        except OSError as error:
            raise self._target.failed(error) from error
        except DAMAGED as error:
            why = f"{type(error).__name__}: {error}"[:_SHOWN]
            raise OutputError(
                f"{self._form.file}: this workbook is damaged, and can't be filled ({why}); "
                "open and save it again in a spreadsheet"
            ) from None

    def _finish(self) -> None:
        """Write what comes after the rows, and the parts that tell where they end."""
        assert self._part is not None
        self._part.write(self._sheet.tail())
        self._part.close()
        for name in self._tables:
            table = self._xml(name)
            for part in (table, *table.iter(tag("autoFilter"))):
                part.set("ref", self._sheet.drawn_out(part.get("ref"), self._form.header_row))
            self._new.writestr(name, as_bytes(table))
        if self._styles is not None:
            self._new.writestr(self._styles_part, as_bytes(self._styles.tree))
        self._new.writestr(self._workbook, as_bytes(self._recalculated()))
        self._new.close()
        self.bytes = self._target.file.tell()

    def _abandon(self) -> None:
        """Leave both archives; what is not whole by now is not completed either."""
        self._old.close()
        if self._new.fp is not None:
            with suppress(OSError, ValueError, OutputError):
                if self._part is not None:
                    self._part.close()
            self._new.fp = None

    def finish(self, balance: Balance) -> None:
        """A form has no place for a balance."""

    def notes(self) -> list[str]:
        """What a reader of the workbook should know."""
        return [note for cells in self._cells for note in cells.notes()]

    # ---- the parts of the file

    def _xml(self, name: str) -> Any:
        return etree.fromstring(self._old.read(name), PARSER)

    def _relations(self, part: str) -> Any:
        """What a part is related to; the whole file where it is blank."""
        folder, name = posixpath.split(part)
        place = posixpath.join(folder, "_rels", f"{name}.rels")
        return self._xml(place) if place in self._old.namelist() else []

    def _related(self, part: str, kind: str) -> list[str]:
        """The parts of one kind that a part is related to."""
        found = [one for one in self._relations(part) if one.get("Type", "").endswith(kind)]
        return [self._place(part, one.get("Target")) for one in found]

    def _place(self, part: str, target: str) -> str:
        whole = posixpath.join("/", posixpath.dirname(part), target)
        return posixpath.normpath(whole).lstrip("/")

    def _first_sheet(self) -> str:
        """The first sheet that has cells; a chart can be a sheet too."""
        places = {
            one.get("Id"): one.get("Target")
            for one in self._relations(self._workbook)
            if one.get("Type", "").endswith(_SHEET)
        }
        links = [sheet.get(f"{_OFFICE}id") for sheet in self._book.iter(tag("sheet"))]
        return self._place(self._workbook, next(places[link] for link in links if link in places))

    def _copy_others(self) -> None:
        own = {self._sheet_part, self._styles_part, self._workbook, *self._tables}
        for info in self._old.infolist():
            if info.filename not in own:
                self._new.writestr(info, self._old.read(info))

    def _recalculated(self) -> Any:
        """The workbook part, asking for its formulas to be calculated when it is opened."""
        calculation = self._book.find(tag("calcPr"))
        if calculation is None:
            calculation = etree.Element(tag("calcPr"))
            before = [
                self._book.find(tag(n)) for n in ("definedNames", "externalReferences", "sheets")
            ]
            next(one for one in before if one is not None).addnext(calculation)
        calculation.set("fullCalcOnLoad", "1")
        for name in self._book.iter(tag("definedName")):
            if name.get("name") == "_xlnm._FilterDatabase" and name.get("localSheetId") == "0":
                sheet, _, ref = (name.text or "").rpartition("!")
                name.text = f"{sheet}!{self._sheet.drawn_out(ref, self._form.header_row)}"
        return self._book
