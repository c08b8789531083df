"""The balance: the proof at the end of a run, as data.

What was read is held against what was kept and written, and each totalled column's sum over the
source's kept entries against its sum over the cells written.
"""

from __future__ import annotations

import datetime as dt
from typing import Any

import msgspec

from ..layout.model.model import Fit
from ..values.faults import Fault, FaultKind
from ..values.numbers import digits_of
from ..values.visible import encodable, steerless_json
from .drift import Drift
from .protocols import FileRead, RowsLeftOut


class ConditionCount(msgspec.Struct):
    """How many entries of its level a condition tested, passed and filtered out by itself.

    It was ``unknown`` for some; ``remaining`` are those that it and the conditions before it
    passed. In a tree ``more`` were kept with those that it passed: their branch, or the ancestors.
    ``values`` are a few that it met (of the field ``field``), where nothing remained.
    """

    text: str
    level: str
    tested: int = 0
    passed: int = 0
    filtered_out: int = 0
    unknown: int = 0
    remaining: int = 0
    name: str = ""
    because: str = ""
    origin: str = ""
    field: str = ""
    values: dict[str, int] = {}
    kept_with: str = ""
    more: int = 0


class LevelCount(msgspec.Struct):
    """What became of the entries of one level. Those ``not_passed`` had a condition that was not
    true of them, be it false or unknown; ``dropped`` went with what they are entries of."""

    level: str
    met: int = 0
    remaining: int = 0
    not_passed: int = 0
    dropped: int = 0


class StackedLevel(msgspec.Struct):
    """How many rows of a level there are in a table in which rows are stacked."""

    level: str
    rows: int


class CheckedAgain(msgspec.Struct):
    """What was read a second time, by definition: how many ``records`` and ``cells``, or all of
    them (``everything``); of the differences the first are ``told``, and all counted."""

    records: int = 0
    cells: int = 0
    everything: bool = False
    told: list[str] = []
    differences: int = 0


class GivenAnswer(msgspec.Struct):
    """A value that was asked for, in full and as it was given (`today`)."""

    name: str
    text: str
    given: str


class PeriodDays(msgspec.Struct):
    """A period of a condition or column, with its first and last day."""

    text: str
    first: dt.date
    last: dt.date


class ListCount(msgspec.Struct):
    """A list that a condition looks up: how many of its values no record had, and the first; and
    values of records that differ from one of the list by case alone."""

    name: str
    values: int
    unmet: int
    first_unmet: list[str]
    near: dict[str, str] = {}


class LookupCount(msgspec.Struct):
    """A side list: how many keys of the records it had, and which stand on one side only.

    ``keyless`` are entries of the list that have no key.
    """

    name: str
    matched: int
    unmatched: int
    missing: list[str]
    unused: int
    first_unused: list[str]
    keyless: int
    double: int
    first_double: list[str]


class Reopened(msgspec.Struct):
    """A group that came back after another: its values, and the rows where it began (from 1)."""

    group: list[Any]
    row: int
    again: int


class ColumnBalance(msgspec.Struct):
    """One totalled column: its sum on the way in against its sum on the way out.

    ``source`` is over the kept entries of the home level, ``written`` over the cells of the table
    with each entry once, ``total`` is the grand total; for ``avg`` these are sums, for the others
    what the total itself is. ``overlap`` is what several groups show and the whole counts
    once, ``nodes`` says which of a tree are taken, and ``passed_over`` how many are not;
    ``rounding`` what an exact total differs from the sum of its rounded cells,
    ``straight`` the sum straight down the file.
    """

    heading: str
    aggregate: str
    home: str
    source: Any
    written: Any
    total: Any
    count: int
    blank: int
    overlap: Any
    cut: Any
    rounding: Any
    straight: Any
    balanced: bool
    nodes: str = ""
    passed_over: int = 0


class NodesTaken(msgspec.Struct, frozen=True):
    """A column, or a condition, in which sums and means take the leaves of a tree."""

    where: str
    level: str


class OpenedBy(msgspec.Struct):
    """What became of the definitions by which nodes were opened: how many there are, and were
    used. Of those that are named twice the first was taken; the ``nameless`` were of no use."""

    file: str
    definitions: int
    used: int
    unused: int = 0
    first_unused: list[str] = []
    double: int = 0
    first_double: list[str] = []
    nameless: int = 0


class Keyless(msgspec.Struct):
    """Entries of a level that have no key, so that no column made for keys holds them: how many,
    and what their values add up to, one sum for each value that adds up."""

    level: str
    entries: int
    sums: list[Any] = []


class Differing(msgspec.Struct):
    """A column that describes groups and differs within some; the value met first was taken."""

    heading: str
    groups: int


class TotalApart(msgspec.Struct):
    """A total over groups that is worked out over all (``total``), where the rounded cells add up
    to something else (``cells``)."""

    heading: str
    cells: Any
    total: Any


class BegunAgain(msgspec.Struct):
    """The record by which a place was found to be a level, or one with ``several`` entries, or a
    level to nest in itself, so that the run began once more."""

    record: int
    level: str
    nests: bool = False
    several: bool = False

    @property
    def met(self) -> str:
        """What was met there.

        >>> BegunAgain(401, "tags", several=True).met
        'a list of several at tags'
        """
        if self.nests:
            return f"{self.level} within {self.level}"
        return f"a list {'of several ' * self.several}at {self.level}"


class Learnt(msgspec.Struct):
    """What a note beside the layout took in: new ``fields``, and how much it knows now."""

    file: str
    fields: int
    known: int
    keys: int


class FileCount(msgspec.Struct):
    """One file that was written; ``replaced``: a former one."""

    name: str
    rows: int
    bytes: int
    replaced: bool = False


def _as_text(value: Any) -> str | None:
    if isinstance(value, int) and not isinstance(value, bool):
        return digits_of(value)
    return None if value is None else str(value)


class SumApart(msgspec.Struct):
    """What several tables from one reading add up, and what it comes to in each, by its name;
    ``because`` says which of them have conditions that others have not."""

    text: str
    sums: dict[str, Any]
    because: list[str]

    def __str__(self) -> str:
        sums = ", ".join(f"{value} in {name}" for name, value in self.sums.items())
        why = f": {'; '.join(self.because)}" if self.because else ""
        return f"{self.text} comes to {sums}{why}"


class Balance(msgspec.Struct):
    """Everything that a run can say for itself when it has ended.

    ``dropped`` records have no entry at the row's level. In a table of ``stacked`` rows ``row_per``
    is the first level. ``repeating`` are all levels that the plan
    reads, ``levels_stated`` by the layout. ``fault_places`` counts the faults by their paths,
    ``fault_kinds`` by their reasons too. ``wrong`` says what is not as it should be with rows or
    cells, which is an error of this program. ``notes`` are what the outputs have to say, and
    ``notices`` what somebody should look at: it may be right, and need not be. ``files_read`` are
    those of a source of several; ``totals_left_out`` tells of rows of it that were totals already.
    ``below_left`` are columns that tell of what is left below a node,
    ``nodes_taken`` where the leaves of a tree are added up. Of several ``tables`` from one reading
    each has its own, and the whole tells what was read, and each fault once.

    >>> import flatledger
    >>> layout = {"columns": [{"Fee": {"value": "fee", "total": "sum"}}], "only": ["fee < 9"]}
    >>> table = flatledger.table(layout, [{"fee": 2}, {"fee": 3}, {"fee": 10}])
    >>> rows = list(table)
    >>> balance = table.balance
    >>> balance.read, balance.remaining, balance.not_passed, balance.balanced
    (3, 2, 1, True)
    >>> [(column.heading, column.source, column.written) for column in balance.columns]
    [('Fee', 5, 5)]
    """

    layout: str
    source: str
    row_per: str
    manner: str = ""  # how the source was read
    read: int = 0
    unreadable: int = 0
    remaining: int = 0
    not_passed: int = 0
    dropped: int = 0
    not_taken: int = 0
    rows_not_taken: int = 0
    asked: list[GivenAnswer] = []
    periods: list[PeriodDays] = []
    conditions: list[ConditionCount] = []
    levels: list[LevelCount] = []
    repeating: list[str] = []
    levels_stated: bool = False
    lists: list[ListCount] = []
    lookups: list[LookupCount] = []
    fit: Fit | None = None
    rows: int = 0
    total_rows: int = 0
    heading_rows: int = 0
    stacked: list[StackedLevel] = []
    groups: int = 0
    reopened: int = 0
    first_reopened: list[Reopened] = []
    reopening_allowed: bool = False
    columns: list[ColumnBalance] = []
    nodes_taken: list[NodesTaken] = []
    below_left: list[str] = []
    opened_by: OpenedBy | None = None
    fault_count: int = 0
    fault_places: dict[str, int] = {}
    fault_kinds: list[FaultKind] = []
    faults: list[Fault] = []
    wrong: list[str] = []
    keyless: list[Keyless] = []
    differing: list[Differing] = []
    totals_apart: list[TotalApart] = []
    begun_again: list[BegunAgain] = []
    learnt: Learnt | None = None
    notes: list[str] = []
    notices: list[str] = []
    files_read: list[FileRead] = []
    totals_left_out: RowsLeftOut | None = None
    drift: Drift = msgspec.field(default_factory=Drift)
    checked: CheckedAgain | None = None
    files: list[FileCount] = []
    seconds: float = 0.0
    tables: list[Balance] = []
    sums_apart: list[SumApart] = []

    @property
    def balanced(self) -> bool:
        """Whether every count and every sum agrees on both sides.

        >>> Balance("lines", "lines.jsonl", "record", read=2, remaining=1).balanced
        False
        """
        whole = not self.reopened or self.reopening_allowed
        agree = self.records_agree and all(column.balanced for column in self.columns)
        parts = all(part.balanced for part in self.tables)
        return whole and agree and parts and not self.wrong  # mutant: whole-balance

    @property
    def emptied_by(self) -> ConditionCount | None:
        """The condition after which nothing remained, where entries of its level were met.

        >>> met = ConditionCount("no > 9", "record", tested=3, filtered_out=3)
        >>> Balance("lines", "lines.jsonl", "record", conditions=[met]).emptied_by.text
        'no > 9'
        """
        return next((one for one in self.conditions if one.tested and not one.remaining), None)

    @property
    def records_agree(self) -> bool:
        """Whether each record that was read is accounted for, and each entry of a level.

        >>> Balance("lines", "lines.jsonl", "record", read=2, remaining=1, dropped=1).records_agree
        True
        """
        gone = self.not_passed + self.dropped + self.unreadable + self.not_taken
        levels = all(c.remaining + c.not_passed + c.dropped == c.met for c in self.levels)
        return self.remaining + gone == self.read and levels  # mutant: levels-agree

    def to_json(self) -> bytes:
        """The balance as JSON; numbers are texts, so that no reader rounds them.

        >>> b'"read": 2' in Balance("lines", "lines.jsonl", "record", read=2).to_json()
        True
        """
        data = self._as_data()
        text = msgspec.json.format(msgspec.json.encode(encodable(data)), indent=2).decode()
        return f"{steerless_json(text)}\n".encode()

    def _as_data(self) -> dict[str, Any]:
        """Its members as plain data, figures as texts; those of its tables too."""
        data: dict[str, Any] = msgspec.to_builtins(self, enc_hook=str)
        data["balanced"] = self.balanced
        for column in data["columns"]:
            for key in ("source", "written", "total", "overlap", "cut", "rounding", "straight"):
                column[key] = _as_text(column[key])
        data["tables"] = [part._as_data() for part in self.tables]
        for apart in data["sums_apart"]:
            apart["sums"] = {name: _as_text(value) for name, value in apart["sums"].items()}
        return data
