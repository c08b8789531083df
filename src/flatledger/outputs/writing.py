"""Choosing the writer of a table by where it goes."""

from __future__ import annotations

from pathlib import Path
from typing import Any, Protocol, Self

from msgspec.structs import replace

from ..engine.protocols import Row
from ..errors import OutputError
from ..layout.column import Column
from ..layout.form import WORKBOOK
from ..layout.model import LayoutModel
from .delimited import DelimitedWriter
from .files import Target


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


def goes_to_workbook(name: str) -> bool:
    """Whether a file is a workbook, by its name."""
    return Path(name).suffix.lower() == WORKBOOK


def check_place(model: LayoutModel, name: str) -> None:
    """Raises OutputError where a table can't go to a file of this name."""
    form = model.form
    if form is not None and Path(name).exists() and Path(name).samefile(form.file):
        raise OutputError(f"{name} is the form itself; name another file")
    if goes_to_workbook(name) and (form is None or not form.workbook):
        raise OutputError(
            f"{name}: a workbook is written as a copy of a form that is one (`fit-to`); without "
            "such a form, name a CSV file"
        )


def open_writer(model: LayoutModel, target: Target) -> Writer:
    """The writer for a target, the header written."""
    if goes_to_workbook(target.name):
        from .form_workbook import FormWorkbook

        assert model.form is not None
        return FormWorkbook(model.form, model.written, target)
    writer = DelimitedWriter(model.output, target)
    writer.header(model.header_rows)
    return writer


def with_values(model: LayoutModel, name: str) -> LayoutModel:
    """The model whose cells a writer takes: a workbook has values, and formats of its own."""
    if not goes_to_workbook(name):
        return model
    return replace(model, columns=tuple(map(_without_pattern, model.columns)))


def _without_pattern(column: Column) -> Column:
    boolean = column.datatype == "boolean"
    return column if boolean else replace(column, format=None)
