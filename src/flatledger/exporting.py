"""Rows and exports: a layout, a source and a place to write to, brought together."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from os import PathLike
from typing import Any, BinaryIO

from .engine.balance import Balance, FileCount
from .engine.group_rows import GroupRun
from .engine.protocols import Row, Source
from .engine.run import Progress, Run
from .enriching import attached_counts, open_enriched
from .errors import OutputError
from .layout import Layout
from .layout.known import note_of, note_text
from .layout.model import LayoutModel
from .outputs import Target, check_place, open_writer, with_values
from .sources import AnySource
from .spilling import TemporaryRows
from .spreading import with_columns


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
        self._layout, self._source = prepared(layout, source, ask)
        self.headings = self._layout.headings
        self._run = start_run(self._layout.model, self._source, progress)
        self._rows = (row for block in self._run.blocks() for row in block)

    def __next__(self) -> Row:
        return next(self._rows)

    def balance(self) -> Balance:
        """The proof of the run."""
        return proof_of(self._run, self._source, self._layout)


def prepared(
    layout: Layout,
    source: AnySource,
    ask: Mapping[str, Any] | None,
    learn: bool = False,
    strict: bool = False,
) -> tuple[Layout, Source]:
    """A layout with nothing open in it (answers, known fields, columns for keys and for a form),
    and its source.

    Raises LayoutError, AnswerError and SourceError.
    """
    layout = with_columns(layout.answered(ask).noted(learn), source, learn).fitted(strict)
    return layout, open_enriched(layout, source, strict)


def proof_of(run: Run | GroupRun, source: Source, layout: Layout) -> Balance:
    """The balance of a run that has ended, with what its source and its layout tell."""
    balance = run.balance()
    balance.attached, balance.fit = attached_counts(source), layout.model.fit
    return balance


def start_run(model: LayoutModel, source: Source, progress: Progress | None) -> Run | GroupRun:
    """The run that a layout asks for: rows of records or entries, or rows of groups."""
    kind = GroupRun if model.row_per_group else Run
    return kind(model, source, progress, TemporaryRows())


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
) -> Balance:
    """Flatten records into a table and write it; return the balance.

    ``to`` is a path (``-``: standard output) or an open binary file; left out, it is the layout's
    own ``output: file``. ``ask`` gives the values that the layout asks for. A file takes its name
    when it is whole. ``progress`` is called with the number of records read so far. With ``learn``
    the note beside the layout's file takes in the fields and keys that are new in the data.
    ``strict`` refuses a form that the columns do not fit, and looks for names that come twice in an
    object. Raises LayoutError, AnswerError,
    SourceError and OutputError.

    >>> import io
    >>> layout = Layout.from_data({"columns": [{"No": "no"}]})
    >>> table = io.BytesIO()
    >>> balance = export(layout, [{"no": 1}, {"no": 2}], table)
    >>> balance.balanced, balance.rows, table.getvalue()
    (True, 2, b'No\\r\\n1\\r\\n2\\r\\n')
    """
    layout, opened = prepared(layout, source, ask, learn, strict)
    place = to if to is not None else layout.model.output.file
    if place is None:
        raise OutputError("nowhere to write to: name a file, or put `output: file` in the layout")
    model = layout.model
    with Target(place) as target:
        check_place(model, target.name)
        run = start_run(with_values(model, target.name), opened, progress)
        with open_writer(model, target) as writer:
            for block in run.blocks():
                writer.write(block)
    balance = proof_of(run, opened, layout)
    balance.notes += writer.notes()
    balance.files.append(FileCount(target.name, writer.rows, writer.bytes))
    if learn:
        _learn(layout, balance)
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
