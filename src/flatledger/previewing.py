"""Looking at a table before it is written: its columns, the plan in words, the counts."""

from __future__ import annotations

import datetime as dt
import io
from collections.abc import Mapping
from decimal import Decimal
from pathlib import PurePath
from typing import Any, BinaryIO, cast

from .compile.level_watch import LevelsDifferError
from .layout import Layout
from .layout.column import Column
from .layout.form import WORKBOOK
from .outputs import Target, open_writer
from .placing import check_own_place
from .plan.explaining import explained, home_name
from .preparing import Preparation
from .run.balance import FileCount
from .run.finishing import Finisher
from .run.preview import ColumnPreview, PreviewResult
from .run.protocols import Progress, Row, TotalRow
from .sources import AnySource
from .values.functions import text_of
from .values.literals import Interval

ROWS = 10
EXAMPLES = 3
SAMPLE = 1_000
LONGEST = 200


class Preview(PreviewResult):
    """What an export will give; a notebook shows it as a page would."""

    def _repr_html_(self) -> str:
        from .reports.preview_page import preview_fragment

        return preview_fragment(self)


def preview(
    layout: Layout,
    source: AnySource,
    *,
    sample: bool = False,
    ask: Mapping[str, Any] | None = None,
    progress: Progress | None = None,
) -> Preview:
    """Run a layout without writing; count over the whole source, or over its first 1,000 records.

    ``ask`` gives the values that the layout asks for. Raises LayoutError, AnswerError, SourceError
    and OutputError, as the export would.

    >>> layout = Layout.from_data({"columns": [{"No": "no"}, {"Mark": {"text": "x"}}]})
    >>> look = preview(layout, [{"no": 1}, {}])
    >>> [(column.heading, column.source, column.filled) for column in look.columns], look.rows
    ([('No', 'no', 1), ('Mark', 'the same text on every row', 2)], 2)
    """
    layout = layout.answered(ask)
    check_own_place(layout, source)
    prepared = Preparation(layout, source, None, most=SAMPLE if sample else None)
    while True:
        try:
            return _looked(prepared, sample, progress)
        except LevelsDifferError as wrong:
            prepared.begin_again(wrong)


def _looked(prepared: Preparation, sample: bool, progress: Progress | None) -> Preview:
    """A preview of what was prepared."""
    layout = prepared.layout
    run = prepared.run(progress)
    finisher = Finisher(run.columns, layout.model.locale)
    columns = layout.model.written
    watched = [_Watched(column.default or column.null) for column in columns]
    first: list[Row] = []
    with open_writer(layout.model, Target(_scratch(layout)), run.columns) as writer:
        for block in run.blocks():
            finished = finisher.finished(block) if finisher.active else block
            first += finished[: ROWS - len(first)]
            rows = [row for row in finished if row.__class__ is not TotalRow]
            for place, one in enumerate(watched):
                one.add([row[place] for row in rows])
            writer.write(block)
    if not sample:
        prepared.check_names(run)
    balance = prepared.balance(run)
    balance.notes += writer.notes()
    name = layout.model.output.file or "the table"
    balance.files.append(FileCount(name, writer.rows, writer.bytes))
    seen = zip(watched, columns, strict=True)
    return Preview(
        columns=[one.preview(column, home_name(run.plan, column)) for one, column in seen],
        plan=explained(run.plan),
        first=first,
        rows=writer.rows,
        balance=balance,
        sample=sample,
        headings=layout.headings,
        layout=layout.name,
    )


def _scratch(layout: Layout) -> BinaryIO:
    """What a preview writes to: a workbook in memory, which is read back, else nowhere."""
    name = layout.model.output.file or "the table"
    scratch: Any = _Scratch() if PurePath(name).suffix.lower() == WORKBOOK else _Nowhere()
    scratch.name = name
    return cast(BinaryIO, scratch)


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
    """What the cells of one column turn out to be; ``instead`` stands where there is nothing."""

    def __init__(self, instead: str) -> None:
        self._nothing = (None, instead) if instead else (None,)
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

    def preview(self, column: Column, home: str) -> ColumnPreview:
        return ColumnPreview(
            heading=column.title,
            source=_source_of(column),
            home=home,
            kinds=self.kinds,
            filled=self.filled,
            examples=self.examples,
            none=_instead(column),
        )


def _kind(kind: type) -> str:
    """What a class of cells is called."""
    if kind is bool:
        return "truth"
    if issubclass(kind, int | Decimal):
        return "number"
    if issubclass(kind, dt.datetime):
        return "date and time"
    names = {dt.date: "date", dt.time: "time", Interval: "duration"}
    return names.get(kind, "text")


def _instead(column: Column) -> str:
    """What stands where there is no value."""
    return "" if column.text is not None else column.default or column.null or "blank"


def _shown(cell: Any) -> str:
    text = text_of(cell)
    return text if len(text) <= LONGEST else text[: LONGEST - 1] + "…"


def _source_of(column: Column) -> str:
    """Where a column comes from, in plain words."""
    if column.text is not None:
        return "the same text on every row"
    if column.value is None:
        return "blank, for the receiver to fill in"
    parts = [" ".join(column.value.text.split())]
    how = column.conversion
    if how is not None:
        parts.append(f"from {how.given} to {how.unit}" if how.given else f"converted to {how.unit}")
    if column.decimals is not None:
        parts.append(f"rounded to {column.decimals} decimals")
    parts += [f"as {column.datatype}"] if column.datatype else []
    parts += ["by a code list"] if column.translate else []
    parts += [f"written {column.format}"] if column.format else []
    return ", ".join(parts)
