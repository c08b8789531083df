"""Looking at a table before it is written: its columns, the plan in words, the counts."""

from __future__ import annotations

import datetime as dt
import io
from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal
from typing import Any, BinaryIO, cast

from ..layout.model.model import SettledLayout
from ..layout.model.output_options import Output
from ..layout.settling.settling import output_of
from ..outputs import Target
from ..outputs.cells.digits import Digits
from ..outputs.cells.finishing import Finisher
from ..outputs.formats import format_of
from ..outputs.places.names import name_of
from ..plan.explaining import explained
from ..run.balance import Balance
from ..run.describing import TableColumn, described
from ..run.pipeline import TableRun
from ..run.preview import ColumnPreview, PreviewResult
from ..run.protocols import Progress, Row, TotalRow
from ..sources import AnySource
from ..structure.levels import LevelsDifferError
from ..values.functions import text_of
from ..values.literals import Interval
from .arguments import check_count, check_given
from .layout import AnyLayout, Layout
from .places import TablePlace, check_own_place, tables_of
from .preparing import given_for
from .preparing_tables import TablePreparations
from .table_files import TableFile, opened

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
    stated = Layout.of(layout)
    _ = stated.request  # of which there is one
    found = previews(
        stated,
        source,
        sample=sample,
        rows=rows,
        ask=ask,
        progress=progress,
        fields=fields,
        reading=reading,
    )
    return found[stated.name]


def previews(
    layout: AnyLayout,
    source: AnySource,
    *,
    sample: bool = False,
    rows: int = ROWS,
    ask: Mapping[str, Any] | None = None,
    progress: Progress | None = None,
    fields: Mapping[str, Any] | None = None,
    reading: Mapping[str, Any] | None = None,
) -> dict[str, Preview]:
    """The previews of the tables of a layout by their names, from one reading; of a layout with one
    table that one by the layout's name. Arguments and errors are those of `preview`.

    >>> both = {"columns": [{"No": "no"}], "tables": {"all": {}, "high": {"only": ["no > 1"]}}}
    >>> {name: look.rows for name, look in previews(both, [{"no": 1}, {"no": 2}]).items()}
    {'all': 2, 'high': 1}
    """
    check_given(ask=ask, fields=fields, reading=reading)
    check_count("rows", rows, 0)
    stated = Layout.of(layout).declaring(fields, reading)
    layouts = stated.of_tables()
    given = given_for(stated, ask)
    outputs = [output_of(one.request, given) for one in layouts]
    names = [one.name for one in layouts]
    check_own_place(layouts, source, outputs)
    most = SAMPLE if sample else None
    name = stated.name if stated.tables else ""
    prepared = TablePreparations(layouts, source, given, name=name, most=most, double_keys=True)
    while True:
        try:
            files = list(_scratches(outputs, names))
            found = _looked(prepared, files, sample, rows, progress)
            return dict(zip(names, found, strict=True))
        except LevelsDifferError as wrong:
            prepared.begin_again(wrong)


def _looked(
    prepared: TablePreparations,
    files: Sequence[TableFile],
    sample: bool,
    most: int,
    progress: Progress | None,
) -> list[Preview]:
    """The previews of what was prepared."""
    layouts = [one.layout for one in prepared.parts]
    run = prepared.run(progress)
    looks = [_Look(*pair, most) for pair in zip(layouts, run.runs, strict=True)]
    with opened(files, prepared.name, layouts, run.runs):
        for table, block in run.blocks():
            if block:
                looks[table].add(block)
            for file in files:
                if block:
                    file.write(table, block)
                else:
                    file.ended(table)
        if not sample:
            prepared.check_names(run)
        balance = prepared.balance(run, closely=not sample)
        for file in files:
            file.finish(balance)
    for file in files:
        file.tell(balance)
    parts = balance.tables or [balance]
    for one in parts:
        one.notes = [*dict.fromkeys(one.notes)]
    return [look.preview(part, sample) for look, part in zip(looks, parts, strict=True)]


def _scratches(outputs: Sequence[Output], names: Sequence[str]) -> Iterator[TableFile]:
    """What a preview writes to: a workbook in memory, which is read back, else nowhere."""
    if all(output.files for output in outputs):
        places = tables_of(None, outputs, names)
    else:
        places = tuple(TablePlace("the table", (at,)) for at in range(len(outputs)))
    for place in places:
        name = name_of(place.to)
        workbook = format_of(name, outputs[place.tables[0]].format).name == "xlsx"
        scratch: Any = _Scratch() if workbook else _Nowhere()
        scratch.name = name
        yield TableFile(Target(cast(BinaryIO, scratch)), place.tables)


class _Look:
    """What is seen of the rows of a table as they go by."""

    def __init__(self, layout: SettledLayout, run: TableRun, most: int) -> None:
        self._layout, self._run, self._most = layout, run, most
        self._finisher = Finisher(run.columns, layout.locale)
        self._digits = Digits(run.columns)
        self._watched = [_Watched(column) for column in described(run.plan)]
        self._first: list[Row] = []
        self._rows = 0

    def add(self, block: list[Row]) -> None:
        """Look at some rows."""
        shown = self._digits.fewer(block)
        finished = self._finisher.finished(shown) if self._finisher.active else shown
        self._first += finished[: self._most - len(self._first)]
        self._rows += len(block)
        rows = [row for row in finished if not isinstance(row, TotalRow)]
        for place, one in enumerate(self._watched):
            one.add([row[place] for row in rows])

    def preview(self, balance: Balance, sample: bool) -> Preview:
        """What was seen."""
        return Preview(
            columns=[one.preview() for one in self._watched],
            plan=explained(self._run.plan),
            first=self._first,
            rows=self._rows,
            balance=balance,
            sample=sample,
            headings=self._layout.headings,
            layout=self._layout.name,
            decimal_char=self._layout.output.decimal_char,
        )


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
