"""The files of a run: each with the table, or the tables, that go to it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack, contextmanager
from typing import cast

from ..errors import FlatLedgerError
from ..layout.model.model import SettledLayout
from ..outputs import Target
from ..outputs.cells.writer import Among, LineWriter, TablesWriter, Writer
from ..outputs.formats import is_delimited, line_form_of, open_writer, open_writer_of_several
from ..run.balance import Balance, FileCount
from ..run.pipeline import TableRun
from ..run.protocols import Row
from .preparing_tables import LineForms
from .spilling import TemporaryRows


class TableFile:
    """A target with the numbers of the ``tables`` that go to it, one after another. The rows of one
    that comes later wait in temporary files until those before it have ended."""

    writer: Writer

    def __init__(self, target: Target, tables: Sequence[int]) -> None:
        self.target, self.tables = target, list(tables)
        self._waiting: dict[int, list[Callable[[], Iterator[Row]]]] = {}
        self._at = 0  # which of the tables is written
        self._rows = dict.fromkeys(tables, 0)  # that have been given of each
        self._runs: Sequence[TableRun] = ()
        self._layouts: Sequence[SettledLayout] = ()
        self._store = TemporaryRows()

    @property
    def several(self) -> bool:
        """Whether more than one table stands in it."""
        return len(self.tables) > 1

    @contextmanager
    def open(
        self, title: str, layouts: Sequence[SettledLayout], runs: Sequence[TableRun]
    ) -> Iterator[None]:
        """Write to the target meanwhile; ``title`` is that of several tables together."""
        self._layouts, self._runs = layouts, runs
        first = self.tables[0]
        run = runs[first]
        given = layouts[first], self.target, run.columns, run.reader.name
        made = open_writer_of_several(*given, title=title) if self.several else open_writer(*given)
        with made as self.writer:
            yield

    def write(self, table: int, rows: list[Row]) -> None:
        """Write rows of a table, now or when its turn has come."""
        if table not in self.tables:
            return
        self._rows[table] += len(rows)
        if table != self.tables[self._at]:
            self._waiting.setdefault(table, []).append(self._store.keep(rows))
        elif self._runs[table].gives_lines:
            cast(LineWriter, self.writer).write_lines(rows)
        else:
            self.writer.write(rows)

    def ended(self, table: int) -> None:
        """Go on with the next table: the one that is written has all its rows."""
        if table != self.tables[self._at] or table == self.tables[-1]:
            return
        self._at += 1
        following = self.tables[self._at]
        columns = self._runs[following].columns
        cast(TablesWriter, self.writer).next_table(self._layouts[following], columns)
        for kept in self._waiting.pop(following, []):
            self.writer.write(list(kept()))

    def among(self, place: int) -> Among | None:
        """Which of its tables the one at a place is, to whoever reads it again."""
        if not self.several:
            return None
        name = self._layouts[self.tables[place]].name
        return Among(place, name, cast(TablesWriter, self.writer).sheets_of(place))

    def finish(self, balance: Balance) -> None:
        """Give the writer the balance of its table, or of all where it has several."""
        alone = balance.tables and not self.several
        self.writer.finish(balance.tables[self.tables[0]] if alone else balance)

    def tell(self, balance: Balance) -> None:
        """Say in the balance what was written."""
        count = FileCount(
            self.target.name, self.writer.rows, self.writer.bytes, self.target.replaced
        )
        notes = [*self.writer.notes(), *self.target.notes]
        balance.notes += notes
        balance.files.append(count)
        for at in self.tables if balance.tables else ():
            own = 0 if self.several else count.bytes  # those of a document are those of all
            part = FileCount(count.name, self._rows[at], own, count.replaced)
            balance.tables[at].files.append(part)

    @property
    def gets_metadata(self) -> bool:
        """Whether CSVW metadata can stand beside it."""
        stated = self._layouts[self.tables[0]].output.format
        return self.target.replaces and is_delimited(self.target.name, stated)


def forms_of(
    files: Sequence[TableFile], layouts: Sequence[SettledLayout], verify: bool
) -> list[LineForms | None]:
    """How lines are made of each table of which nothing is wanted but its text."""
    found: list[LineForms | None] = []
    for at, layout in enumerate(layouts):
        own = [one for one in files if at in one.tables]
        alone = len(own) == 1 and not own[0].several and not verify
        stated = layout.output.format
        found.append(line_form_of(own[0].target.name, stated) if alone else None)
    return found


@contextmanager
def opened(
    files: Sequence[TableFile],
    title: str,
    layouts: Sequence[SettledLayout],
    runs: Sequence[TableRun],
) -> Iterator[None]:
    """Write to all files meanwhile. Where an error ends a run, tell what a stream had been given:
    it can't be taken back."""
    with ExitStack() as stack:
        for one in files:
            stack.enter_context(one.open(title, layouts, runs))
        try:
            yield
        except FlatLedgerError as error:
            from ..reports.words import counted

            for one in files:
                if not one.target.replaces and one.writer.bytes:
                    given = counted(one.writer.rows, "row")
                    error.written = f"{given} had been given to {one.target.name}"
            raise
