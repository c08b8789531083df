"""Rows and exports: a layout, a source and a place to write to, brought together."""

from __future__ import annotations

from collections.abc import Generator, Iterator, Mapping
from contextlib import contextmanager, nullcontext
from os import PathLike
from typing import Any, Self

from .compile.level_watch import LevelsDifferError
from .errors import FlatLedgerError, TableNotReadError
from .layout import Layout
from .layout.known import learnt, note_of
from .layout.model import IfThere
from .outputs import Place, Target, open_writer
from .outputs.fault_table import fault_table
from .outputs.files import is_file
from .outputs.writing import Writer
from .placing import Places, check_places, own_place
from .preparing import Preparation
from .run.balance import Balance, FileCount
from .run.finishing import Finisher
from .run.protocols import Progress, Row
from .sources import AnySource


class Rows(Iterator[Row]):
    """The rows of a table, one tuple each, total rows among them.

    Cells are values: ``str``, ``int``, ``Decimal``, ``bool``, ``date``, ``datetime``, ``time``, a
    duration, or ``None``; where a column states a code list, a pattern or a default, what that
    makes of them. What could not be read is its own text. ``headings`` names them; ``balance()``
    gives the proof once the rows have been taken to the end. ``close()``, or leaving the rows as a
    context, closes the source where they are not.
    """

    def __init__(
        self,
        layout: Layout,
        source: AnySource,
        progress: Progress | None = None,
        ask: Mapping[str, Any] | None = None,
    ) -> None:
        self._prepared = Preparation(layout, source, ask)
        self.headings = self._prepared.layout.headings
        self._progress = progress
        self._run = self._prepared.run(progress)
        self._rows = self._blocks()
        self._ended = False

    def __next__(self) -> Row:
        return next(self._rows)

    def close(self) -> None:
        """Leave the rows, however many have been taken; nothing of the source stays open."""
        self._rows.close()
        self._run.reader.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *error: object) -> None:
        self.close()

    def _blocks(self) -> Generator[Row]:
        given = False
        while True:
            try:
                finisher = Finisher(self._run.columns, self._prepared.layout.model.locale)
                for block in self._run.blocks():
                    given = given or bool(block)
                    yield from finisher.finished(block) if finisher.active else block
                self._prepared.check_names(self._run)
                self._ended = True
                return
            except LevelsDifferError as wrong:
                self._prepared.begin_again(wrong, given)
                self._run = self._prepared.run(self._progress)

    def balance(self) -> Balance:
        """The proof of the run. Raises TableNotReadError before all rows have been taken."""
        if not self._ended:
            raise TableNotReadError(
                "the balance comes after the last row: take all rows first, as list(rows) does"
            )
        return self._prepared.balance(self._run)


def rows(layout: Layout, source: AnySource, *, ask: Mapping[str, Any] | None = None) -> Rows:
    """Flatten records into rows; nothing is written.

    ``source`` is a path (``-``: standard input), an open file, or any iterable of mappings.
    ``ask`` gives the values that the layout asks for. Raises LayoutError, AnswerError and
    SourceError.

    >>> layout = Layout.from_data({
    ...     "row-per": "lines",
    ...     "columns": [{"No": "no"}, {"Sum": {"value": "lines.qty * lines.each", "total": "sum"}}],
    ... })
    >>> records = [{"no": "R1", "lines": [{"qty": 2, "each": 3}, {"qty": 1, "each": 4}]}]
    >>> list(rows(layout, records))
    [('R1', 6), ('R1', 4), ('Grand total', 10)]
    """
    return Rows(layout, source, ask=ask)


def export(
    layout: Layout,
    source: AnySource,
    to: Place | None = None,
    *,
    ask: Mapping[str, Any] | None = None,
    progress: Progress | None = None,
    learn: bool = False,
    strict: bool = False,
    faults_to: Place | None = None,
    report_to: Place | None = None,
    if_there: IfThere | None = None,
) -> Balance:
    """Flatten records into a table and write it; return the balance.

    ``to`` is a path (``-``: standard output) or an open binary file; left out, it is the layout's
    own ``output: file``. ``ask`` gives the values that the layout asks for. A file takes its name
    when it is whole. One that is there already is replaced; if it is not as it was last written, it
    is kept beside (``table.former.csv``). ``if_there`` chooses otherwise (``replace``: kept
    nowhere, ``refuse``, ``number``: the new one is ``table-2.csv``). A table that does not balance
    takes no other's place: it is ``table.unbalanced.csv``.

    ``progress`` is called with the number of records read so far. With ``learn`` the note beside
    the layout's file takes in the fields and keys that are new in the data. ``strict`` refuses a
    form that the columns do not fit, and looks for names that come twice in an object.
    ``faults_to`` takes every fault as a table (CSV), ``report_to`` the balance as JSON. Nothing
    that takes part is written over.

    Raises LayoutError, AnswerError, SourceError and OutputError.

    >>> import io
    >>> layout = Layout.from_data({"columns": [{"No": "no"}]})
    >>> table = io.BytesIO()
    >>> balance = export(layout, [{"no": 1}, {"no": 2}], table)
    >>> balance.balanced, balance.rows, table.getvalue()
    (True, 2, b'No\\r\\n1\\r\\n2\\r\\n')
    """
    layout = layout.answered(ask)
    places = Places(
        to if to is not None else own_place(layout),
        faults_to,
        report_to,
        if_there or layout.model.output.if_there,
    )
    check_places(places, source, layout, learn)
    prepared = Preparation(layout, source, None, learn, strict)
    while True:
        try:
            return _exported(prepared, places, progress, learn)
        except LevelsDifferError as wrong:
            prepared.begin_again(wrong, given=any(map(_is_stream, (places.table, places.faults))))


def _is_stream(place: Place | None) -> bool:
    """Whether what has been written to a place has been seen already."""
    return place is not None and (not isinstance(place, str | PathLike) or not is_file(place))


def _exported(
    prepared: Preparation, places: Places, progress: Progress | None, learn: bool
) -> Balance:
    """Write the table with what goes with it; the balance."""
    done: list[FileCount] = []
    try:
        with places.target(places.report) or nullcontext() as report:
            balance = _table(prepared, places, progress)
            done += balance.files
            if report is not None:
                report.write(balance.to_json())
        balance.notes += report.notes if report is not None else []
        if learn:
            _learn(prepared.layout, balance)
    except FlatLedgerError as error:
        if done:
            error.written = f"the table had been written to {done[0].name}"
        raise
    return balance


def _table(prepared: Preparation, places: Places, progress: Progress | None) -> Balance:
    """Write the table, and the faults beside it; the balance, which decides what it is called."""
    model = prepared.layout.model
    with (
        Target(places.table, places.if_there) as target,
        fault_table(faults := places.target(places.faults)) as sink,
    ):
        run = prepared.run(progress, faults=sink)
        with open_writer(model, target, run.columns) as writer, _telling_rows(writer, target):
            for block in run.blocks():
                writer.write(block)
            prepared.check_names(run)
        balance = prepared.balance(run)
        if not balance.balanced:
            target.stand_aside("unbalanced")
    balance.notes += [*writer.notes(), *target.notes, *(faults.notes if faults else ())]
    balance.files.append(FileCount(target.name, writer.rows, writer.bytes, target.replaced))
    return balance


@contextmanager
def _telling_rows(writer: Writer, target: Target) -> Iterator[None]:
    """Where an error ends a run, tell what a stream had been given: it can't be taken back."""
    try:
        yield
    except FlatLedgerError as error:
        if not target.replaces and writer.bytes:
            error.written = f"{writer.rows:,} rows had been given to {target.name}"
        raise


def _learn(layout: Layout, balance: Balance) -> None:
    """Take the new fields and keys into the note beside the layout; they are new no longer."""
    assert layout.path is not None
    known = {*(layout.model.known or ()), *balance.drift.new_fields}
    keys = layout.model.known_keys
    place = note_of(layout.path)
    with Target(place, "replace") as target:
        target.write(learnt(place, layout.path, known, keys).encode())
    count = len(balance.drift.new_fields)
    named = f", and {sum(map(len, keys.values())):,} keys for columns" if keys else ""
    balance.notes.append(f"new fields learnt: {count:,}; {target.name} knows {len(known):,}{named}")
    balance.drift.new_fields = []
