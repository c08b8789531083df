"""Looking at a table before it is written: its columns, the plan in words, the counts."""

from __future__ import annotations

import datetime as dt
import io
from collections.abc import Iterator, Mapping
from contextlib import ExitStack
from decimal import Decimal
from typing import Any, BinaryIO, cast

from ..layout.model.output_options import Output
from ..layout.settling.settling import output_of
from ..outputs import Target, open_writer
from ..outputs.cells.digits import Digits
from ..outputs.cells.finishing import Finisher
from ..outputs.formats import format_of
from ..plan.explaining import explained
from ..run.balance import FileCount
from ..run.describing import TableColumn, described
from ..run.preview import ColumnPreview, PreviewResult
from ..run.protocols import Progress, Row, TotalRow
from ..sources import AnySource
from ..structure.levels import LevelsDifferError
from ..values.functions import text_of
from ..values.literals import Interval
from .arguments import check_count, check_given
from .layout import AnyLayout, Layout
from .places import check_own_place
from .preparing import Preparation, given_for

ROWS = 10
EXAMPLES = 3
SAMPLE = 1_000
LONGEST = 200


class Preview(PreviewResult):
    """What an export will give; a notebook shows it as a page would.

    >>> look = preview({"columns": [{"No": "no"}]}, [{"no": 1}, {"no": 2}])
    >>> look.first, look.rows, look.balance.read
    ([(1,), (2,)], 2, 2)
    """

    def __repr__(self) -> str:
        return f"<Preview of {self.layout}: {len(self.columns):,} columns, {self.rows:,} rows>"

    def _repr_html_(self) -> str:
        from ..reports.preview_page import preview_fragment

        return preview_fragment(self)


def preview(
    layout: AnyLayout,
    source: AnySource,
    *,
    sample: bool = False,
    rows: int = ROWS,
    ask: Mapping[str, Any] | None = None,
    progress: Progress | None = None,
    fields: Mapping[str, Any] | None = None,
    reading: Mapping[str, Any] | None = None,
) -> Preview:
    """Run a layout without writing; count over the whole source, or over its first 1,000 records.

    So many ``rows`` are kept as the first ones.

    ``layout`` is a path, a name on the shelf, a mapping, or a `Layout`. ``ask`` gives the values
    that the layout asks for, ``fields`` declares further fields, ``reading`` says how the source is
    read. Raises ArgumentError, LayoutError, ShelfError, AnswerError, SourceError and OutputError,
    as the export would.

    >>> layout = {"columns": [{"No": "no"}, {"Mark": {"text": "x"}}]}
    >>> look = preview(layout, [{"no": 1}, {}])
    >>> [(one.column.heading, one.column.text, one.filled) for one in look.columns], look.rows
    ([('No', None, 1), ('Mark', 'x', 2)], 2)
    """
    check_given(ask=ask, fields=fields, reading=reading)
    check_count("rows", rows, 0)
    stated = Layout.of(layout).declaring(fields, reading)
    given = given_for(stated, ask)
    check_own_place([stated], source, [output_of(stated.request, given)])
    most = SAMPLE if sample else None
    prepared = Preparation(stated, source, given, most=most, double_keys=True)
    while True:
        try:
            return _looked(prepared, sample, rows, progress)
        except LevelsDifferError as wrong:
            prepared.begin_again(wrong)


def _looked(prepared: Preparation, sample: bool, most: int, progress: Progress | None) -> Preview:
    """A preview of what was prepared."""
    layout = prepared.layout
    run = prepared.run(progress)
    finisher = Finisher(run.columns, layout.locale)
    digits = Digits(run.columns)
    columns = described(run.plan)
    watched = [_Watched(column) for column in columns]
    first: list[Row] = []
    with ExitStack() as writing:
        writers = [
            writing.enter_context(
                open_writer(layout, Target(scratch), run.columns, run.reader.name)
            )
            for scratch in _scratches(layout.output)
        ]
        for block in run.blocks():
            shown = digits.fewer(block)
            finished = finisher.finished(shown) if finisher.active else shown
            first += finished[: most - len(first)]
            rows = [row for row in finished if not isinstance(row, TotalRow)]
            for place, one in enumerate(watched):
                one.add([row[place] for row in rows])
            for writer in writers:
                writer.write(block)
        if not sample:
            prepared.check_names(run)
        balance = prepared.balance(run, closely=not sample)
        for writer in writers:
            writer.finish(balance)
    for name, writer in zip(_names(layout.output), writers, strict=True):
        balance.notes += writer.notes()
        balance.files.append(FileCount(name, writer.rows, writer.bytes))
    balance.notes = [*dict.fromkeys(balance.notes)]
    return Preview(
        columns=[one.preview() for one in watched],
        plan=explained(run.plan),
        first=first,
        rows=writers[0].rows,
        balance=balance,
        sample=sample,
        headings=layout.headings,
        layout=layout.name,
        decimal_char=layout.output.decimal_char,
    )


def _names(output: Output) -> tuple[str, ...]:
    return output.files or ("the table",)


def _scratches(output: Output) -> Iterator[BinaryIO]:
    """What a preview writes to: a workbook in memory, which is read back, else nowhere."""
    for name in _names(output):
        workbook = format_of(name, output.format).name == "xlsx"
        scratch: Any = _Scratch() if workbook else _Nowhere()
        scratch.name = name
        yield cast(BinaryIO, scratch)


class _Scratch(io.BytesIO):
    """A file in memory that has a name."""

    name = ""


class _Nowhere(io.RawIOBase):
    """Takes bytes and keeps none."""

    name = ""

    def writable(self) -> bool:
        return True

    def write(self, data: Any) -> int:
        return len(data)


class _Watched:
    """What the cells of one column turn out to be, but for what stands where there is nothing."""

    def __init__(self, column: TableColumn) -> None:
        self._column = column
        self._nothing = (None, column.default) if column.default else (None,)
        self.filled = 0
        self.kinds: list[str] = []
        self.examples: list[str] = []

    def add(self, cells: list[Any]) -> None:
        present = [cell for cell in cells if cell not in self._nothing]
        self.filled += len(present)
        for kind in {cell.__class__ for cell in present}:
            name = _kind(kind)
            if name not in self.kinds:
                self.kinds.append(name)
        if len(self.examples) < EXAMPLES:
            shown = dict.fromkeys(_shown(cell) for cell in present)
            new = [text for text in shown if text not in self.examples]
            self.examples += new[: EXAMPLES - len(self.examples)]

    def preview(self) -> ColumnPreview:
        return ColumnPreview(self._column, self.kinds, self.filled, self.examples)


def _kind(kind: type) -> str:
    """What a class of cells is called."""
    if kind is bool:
        return "true/false"
    if issubclass(kind, int | Decimal):
        return "number"
    if issubclass(kind, dt.datetime):
        return "date and time"
    names = {dt.date: "date", dt.time: "time", Interval: "duration"}
    return names.get(kind, "text")


def _shown(cell: Any) -> str:
    text = text_of(cell)
    return text if len(text) <= LONGEST else text[: LONGEST - 1] + "…"
