"""Choosing the writer of a table by where it goes."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import PurePath
from typing import Any, Protocol, Self

from msgspec.structs import replace

from ..errors import OutputError
from ..layout.form import WORKBOOK
from ..layout.model import LayoutModel
from ..plan.plan import ColumnPlan
from ..run.protocols import Row
from .delimited import DelimitedWriter
from .files import Target
from .rendering import Rendering

TABS = (".tsv", ".tab")
TEXTS = (".csv", ".txt", *TABS)


class Writer(Protocol):
    """A context in which the rows of a table are written, its header having been written.

    ``bytes`` counts up to its end, and ``notes`` are what its reader should know.
    """

    rows: int
    bytes: int

    def write(self, rows: list[Row]) -> None: ...

    def __enter__(self) -> Self: ...

    def __exit__(self, *error: Any) -> None: ...

    def notes(self) -> list[str]: ...


def check_format(name: str, suffixes: Sequence[str], what: str) -> None:
    """Raise OutputError where a file's name asks for a format that ``what`` is not written in.

    >>> check_format("report.json", (".json",), "a report")
    """
    suffix = PurePath(name).suffix.lower()
    if suffix and suffix not in suffixes:
        raise OutputError(
            f"{name}: {what} is not written as `{suffix}`; name a file that ends in "
            f"{', '.join(suffixes[:-1])}{' or ' if suffixes[1:] else ''}{suffixes[-1]}"
        )


def check_place(model: LayoutModel, name: str) -> None:
    """Raise OutputError where a table can't go to a file of this name, by its suffix."""
    if _suffix(name) == WORKBOOK and (model.form is None or not model.form.workbook):
        raise OutputError(
            f"{name}: a workbook is written as a copy of a form that is one (`fit-to`); without "
            "such a form, name a CSV file"
        )
    check_format(name, (*TEXTS, WORKBOOK) if model.form else TEXTS, "a table")
    delimiter = model.output.delimiter
    if _suffix(name) in TABS and delimiter not in ("", "\t"):
        raise OutputError(
            f"{name}: such a file has tabs between its cells, and the layout has another "
            "`delimiter`; leave that out, or name a file that ends in .csv or .txt"
        )


def _suffix(name: str) -> str:
    return PurePath(name).suffix.lower()


def open_writer(model: LayoutModel, target: Target, columns: Sequence[ColumnPlan]) -> Writer:
    """The writer for a target, the header written; ``columns`` are those of the rows."""
    if _suffix(target.name) == WORKBOOK:
        from .form_workbook import FormWorkbook

        assert model.form is not None
        return FormWorkbook(model.form, columns, model.locale, target)
    output = model.output
    if _suffix(target.name) in TABS:
        output = replace(output, delimiter="\t")
    writer = DelimitedWriter(output, target, model.written, Rendering(columns, model.locale))
    writer.header(model.header_rows)
    return writer
