"""Rows and exports: a layout, a source and a place to write to, brought together."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from os import PathLike, fspath
from pathlib import Path
from typing import Any, BinaryIO

from .engine.balance import Balance, FileCount
from .engine.level_watch import LevelsDifferError
from .engine.protocols import Row
from .engine.run import Progress
from .errors import OutputError, TableNotReadError
from .layout import Layout
from .layout.known import note_of, note_text
from .outputs import Target, check_place, open_writer, with_values
from .outputs.fault_table import fault_table
from .preparing import Preparation
from .sources import AnySource


class Rows(Iterator[Row]):
    """The rows of a table, one tuple each, total rows among them.

    Cells are ``str``, ``int``, ``Decimal`` or ``None``. ``headings`` names them; ``balance()``
    gives the proof once the rows have been taken to the end.
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

    def _blocks(self) -> Iterator[Row]:
        given = False
        while True:
            try:
                for block in self._run.blocks():
                    given = given or bool(block)
                    yield from block
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
    to: str | PathLike[str] | BinaryIO | None = None,
    *,
    ask: Mapping[str, Any] | None = None,
    progress: Progress | None = None,
    learn: bool = False,
    strict: bool = False,
    faults_to: str | PathLike[str] | BinaryIO | None = None,
) -> Balance:
    """Flatten records into a table and write it; return the balance.

    ``to`` is a path (``-``: standard output) or an open binary file; left out, it is the layout's
    own ``output: file``. ``ask`` gives the values that the layout asks for. A file takes its name
    when it is whole. ``progress`` is called with the number of records read so far. With ``learn``
    the note beside the layout's file takes in the fields and keys that are new in the data.
    ``strict`` refuses a form that the columns do not fit, and looks for names that come twice in an
    object. ``faults_to`` takes every fault as a table (CSV). Raises LayoutError, AnswerError,
    SourceError and OutputError.

    >>> import io
    >>> layout = Layout.from_data({"columns": [{"No": "no"}]})
    >>> table = io.BytesIO()
    >>> balance = export(layout, [{"no": 1}, {"no": 2}], table)
    >>> balance.balanced, balance.rows, table.getvalue()
    (True, 2, b'No\\r\\n1\\r\\n2\\r\\n')
    """
    prepared = Preparation(layout, source, ask, learn, strict)
    place = to if to is not None else prepared.layout.model.output.file
    if place is None:
        raise OutputError("nowhere to write to: name a file, or put `output: file` in the layout")
    _stop_at_overwriting(faults_to, source, place, layout.path)
    while True:
        target = Target(place)
        try:
            balance = _written(prepared, target, progress, faults_to)
            break
        except LevelsDifferError as wrong:
            prepared.begin_again(wrong, given=not target.replaces)
    if learn:
        _learn(prepared.layout, balance)
    return balance


def _stop_at_overwriting(faults_to: object, *others: object) -> None:
    """Raise OutputError where the table of faults would take the place of what takes part."""
    if not isinstance(faults_to, str | PathLike) or fspath(faults_to) == "-":
        return
    place = Path(faults_to)
    for other in (Path(one) for one in others if isinstance(one, str | PathLike)):
        same = place.resolve() == other.resolve()
        if same or (place.exists() and other.exists() and place.samefile(other)):
            raise OutputError(f"{place} takes part in this run already; name another file")


def _written(
    prepared: Preparation,
    target: Target,
    progress: Progress | None,
    faults_to: str | PathLike[str] | BinaryIO | None,
) -> Balance:
    """Write the table to its target, and its faults to theirs; the balance."""
    model = prepared.layout.model
    with target, fault_table(faults_to) as faults:
        check_place(model, target.name)
        run = prepared.run(progress, model=with_values(model, target.name), faults=faults)
        with open_writer(model, target) as writer:
            for block in run.blocks():
                writer.write(block)
            prepared.check_names(run)
    balance = prepared.balance(run)
    balance.notes += writer.notes()
    balance.files.append(FileCount(target.name, writer.rows, writer.bytes, target.replaced))
    return balance


def _learn(layout: Layout, balance: Balance) -> None:
    """Take the new fields and keys into the note beside the layout; they are new no longer."""
    assert layout.path is not None
    known = {*(layout.model.known or ()), *balance.drift.new_fields}
    keys = layout.model.known_keys
    with Target(note_of(layout.path)) as target:
        target.write(note_text(layout.path, known, keys).encode())
    count = len(balance.drift.new_fields)
    named = f", and {sum(map(len, keys.values())):,} keys for columns" if keys else ""
    balance.notes.append(f"new fields learnt: {count:,}; {target.name} knows {len(known):,}{named}")
    balance.drift.new_fields = []
