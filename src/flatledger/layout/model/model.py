"""What a layout says, once it has been read and checked. Nothing here knows of YAML."""

from __future__ import annotations

import datetime as dt
from collections import Counter
from decimal import Decimal
from typing import Literal

import msgspec

from ...errors import Problem
from .asking import Answer, Question
from .column import Column, Expression
from .declared import DeclaredField
from .output_options import Output
from .source_options import SourceOptions
from .text import TextPlace
from .tree_options import Nest, Opening, OpensBy, With


class Condition(msgspec.Struct, frozen=True):
    """What a record or an entry must satisfy to take part.

    ``keep`` is the level that it judges, where that is not on the way from the record to the row.
    In a tree it can keep more ``kept_with`` a node: all below it (``branch``), or the nodes above.
    It may have a short name and a reason; ``origin`` says where it came from, if not from the
    layout itself.
    """

    value: Expression
    keep: Expression | None = None
    kept_with: With = ""
    name: str = ""
    because: str = ""
    origin: str = ""


class Sorting(msgspec.Struct, frozen=True):
    """One sort key: a column, or an expression; its texts are ordered by a collation, if any."""

    value: Expression | None
    heading: str | None
    descending: bool = False
    nulls_first: bool = False
    collation: str = ""
    place: TextPlace = (0, 0, "")


ALL = "all"  # what labels of kinds call the whole table
KIND_LABELS = {  # of further total rows, where the layout has no other
    "sum": "Total of {group}",
    "avg": "Mean of {group}",
    "count": "Number of {group}",
    "min": "Least of {group}",
    "max": "Greatest of {group}",
}
Where = Literal["after", "before", "none"]


class Grouping(msgspec.Struct, frozen=True):
    """One group key: a column, or an expression. Its value stands on each row (``shown``),
    on the first of its group alone, or on a row of its own above them; the totals of its groups
    stand where ``subtotals`` say, with a ``label`` of their own; in print each begins a page with
    ``page_break``. What it does not say is as `totals` have it.
    """

    value: Expression | None
    heading: str | None
    text: str
    shown: Literal["each", "first", "row"] = "each"
    subtotals: Where | None = None
    detail: bool = True
    page_break: bool = False
    label: str | None = None
    place: TextPlace = (0, 0, "")

    def problem(self, message: str) -> Problem:
        """A fault of this key."""
        return Problem(message, *self.place)


class Subtotals(msgspec.Struct, frozen=True):
    """Where the totals of groups stand, and of which ``depths`` of groups (1 is the outermost)."""

    where: Where
    depths: tuple[int, ...]


class GroupOrder(msgspec.Struct, frozen=True):
    """Whether groups come sorted or as they are met, and whether one may be reopened then."""

    as_met: bool = False
    may_reopen: bool = False


class Take(msgspec.Struct, frozen=True):
    """So many of the kept records before sorting, or of the rows after it; or every n-th."""

    of: Literal["records", "rows"]
    first: int | None = None
    every: int = 1


class Expectation(msgspec.Struct, frozen=True):
    """An order that the data is expected to have, at a path of names.

    The values never go back; or, with ``after``, each value there has been met before at ``names``.
    """

    names: tuple[str, ...]
    descending: bool = False
    collation: str = ""
    after: tuple[str, ...] | None = None


class Totals(msgspec.Struct, frozen=True):
    """Where totals stand. In ``label``, ``{group}`` is the value of the group, ``{rows}`` how many
    rows it has, and ``{entries}`` how many of these stand for an entry. ``labels`` are those of
    rows of one kind of total, by the kind."""

    subtotals: Where = "after"
    detail: bool = True
    grand_total: bool = True
    label: str = "Total {group}"
    grand_label: str = "Grand total"
    labels: tuple[tuple[str, str], ...] = ()


class FormReference(msgspec.Struct, frozen=True):
    """A published form as a layout names it; rows count from 1, and 0 is for what is found."""

    file: str
    header_row: int = 0
    first_row: int = 0
    place: TextPlace = (0, 0, "")


class PublishedForm(msgspec.Struct, frozen=True):
    """A published form: a CSV file or a workbook whose headings a table is to have.

    ``header_row`` and ``first_row``, where the table begins, count from 1, as does
    ``first_column``. ``delimiter`` is that of a CSV file, and blank for a workbook.
    """

    file: str
    headings: tuple[str, ...]
    header_row: int
    first_row: int
    first_column: int = 1
    delimiter: str = ""

    @property
    def workbook(self) -> bool:
        return not self.delimiter


class Placed(msgspec.Struct, frozen=True):
    """A heading of the form with the column that it takes, and by what that was found."""

    heading: str
    column: str
    by: str


class Fit(msgspec.Struct, frozen=True):
    """How a table fits a form: what has its place, what is blank there, and what has no place.

    ``blank`` and ``left`` give with each name the nearest one of the other side, or a blank text.
    """

    form: str
    row: int
    placed: tuple[Placed, ...]
    blank: tuple[tuple[str, str], ...]
    left: tuple[tuple[str, str], ...]

    @property
    def perfect(self) -> bool:
        return not self.blank and not self.left


class Lookup(msgspec.Struct, frozen=True):
    """A side list: its field is put beside the key, at the innermost entry on the way to it.

    ``matched_by`` is the path of names to the key in the records, ``key`` the name in the list;
    with ``many`` the field is a level of all that match. ``reading`` says how the list is read.
    """

    name: str
    file: str
    matched_by: tuple[str, ...]
    key: str
    many: bool = False
    reading: SourceOptions | None = None
    place: TextPlace = (0, 0, "")


class Split(msgspec.Struct, frozen=True):
    """A level made from cells that hold lists: its name, and where it and the cells stand.

    ``fields`` are the cells, each with its name in an entry; of a single one that is not
    ``paired``, the parts are the entries.
    """

    name: str
    separator: str
    parent: tuple[str, ...]
    fields: tuple[tuple[str, str], ...]
    paired: bool


class Calendar(msgspec.Struct, frozen=True):
    """The working calendar: how many hours a day has, and how many days a week."""

    hours_per_day: Decimal = Decimal(8)
    days_per_week: Decimal = Decimal(5)


class NamedList(msgspec.Struct, frozen=True):
    """A list of values that conditions look up: its name, a heading of it, and its values."""

    name: str
    heading: str | None
    values: tuple[str, ...]


class LayoutParts(msgspec.Struct, frozen=True):
    """What a layout says, whether or not it is settled yet.

    ``fields`` say what the values of places are. ``levels`` are the places that repeat, where the
    layout states them (a `*` is each member of a mapping); ``spread_levels`` are those that it
    makes columns from. ``may_lack`` are paths that no record need have; ``nests`` are levels that
    nest in themselves, each with the name of the member by which it does; ``primary_key`` are the
    headings of the columns that identify a row. ``row_per`` is the level that a row stands for, or
    several, whose rows are stacked, and none is the record; ``repeat_parents``: there a value
    is filled on all rows below its own. ``lists`` are those that its conditions look up.
    """

    name: str
    columns: tuple[Column, ...]
    about: str = ""
    source: SourceOptions = msgspec.field(default_factory=SourceOptions)
    fields: tuple[DeclaredField, ...] = ()
    levels: tuple[Expression, ...] | None = None
    spread_levels: tuple[Expression, ...] = ()
    may_lack: tuple[Expression, ...] = ()
    primary_key: tuple[str, ...] = ()
    row_per: tuple[Expression, ...] = ()
    row_per_group: tuple[Grouping, ...] = ()
    without_entries: Literal["keep", "drop"] | None = None
    repeat_parents: bool = False
    conditions: tuple[Condition, ...] = ()
    sort: tuple[Sorting, ...] = ()
    group: tuple[Grouping, ...] = ()
    group_order: GroupOrder = msgspec.field(default_factory=GroupOrder)
    take: Take | None = None
    expects: tuple[Expectation, ...] = ()
    splits: tuple[Split, ...] = ()
    lookups: tuple[Lookup, ...] = ()
    nests: tuple[tuple[tuple[str, ...], str], ...] = ()
    nest: Nest | None = None
    openings: tuple[Opening, ...] = ()
    opens_by: OpensBy | None = None
    totals: Totals = msgspec.field(default_factory=Totals)
    calendar: Calendar = msgspec.field(default_factory=Calendar)
    output: Output = msgspec.field(default_factory=Output)
    form: PublishedForm | None = None
    lists: tuple[NamedList, ...] = ()
    locale: str = ""

    @property
    def written(self) -> tuple[Column, ...]:
        """The columns that are written, in their order."""
        return tuple(column for column in self.columns if not column.suppressed)

    @property
    def by_level(self) -> bool:
        """Whether each level of stacked rows has columns of its own."""
        return any(column.level is not None for column in self.columns)

    @property
    def headings(self) -> tuple[str, ...]:
        """The headings as they are written; a unit that has a row of its own is not in them."""
        if "units" in self.output.second_header:
            return tuple(column.form_heading or column.heading for column in self.written)
        return tuple(column.title for column in self.written)

    @property
    def subtotals(self) -> Subtotals:
        """Where the totals of groups stand: all before their groups, or all after; of some keys
        none. A key that says nothing goes with the others."""
        stated = [one.subtotals for one in self.group if one.subtotals not in (None, "none")]
        where = next(iter(stated), None) or self.totals.subtotals
        usual = "none" if self.totals.subtotals == "none" else where
        each = [key.subtotals or usual for key in self.group]
        depths = tuple(at for at, one in enumerate(each, 1) if one != "none")
        return Subtotals(where if depths or not each else "none", depths)

    @property
    def total_rows(self) -> tuple[str, ...]:
        """The total rows of a group, each by the kind of its totals; blank where it has several."""
        kinds: dict[int, set[str]] = {0: set()}
        for column in self.columns:
            if column.total is not None and not column.checks:
                kinds.setdefault(column.total_row, set()).add(column.total.name)
        return tuple(
            next(iter(kinds[at])) if len(kinds[at]) == 1 else "" for at in range(len(kinds))
        )

    def label(self, depth: int, at: int = 0) -> str:
        """What stands in a total row (``at``: the first, or a further one) of groups of a depth,
        and of the whole table (0)."""
        kind = self.total_rows[at]
        own = dict(self.totals.labels).get(kind) or (KIND_LABELS.get(kind) if at else None)
        if own:
            return own if depth else own.replace("{group}", ALL)
        if not depth:
            return self.totals.grand_label
        return self.group[depth - 1].label or self.totals.label

    @property
    def places(self) -> tuple[int, ...]:
        """Where the cell of each written column stands in a row: columns by level begin anew for
        each, a lower one further in."""
        if not self.by_level:
            return tuple(range(len(self.written)))
        met: Counter[int] = Counter()
        found = []
        for column in self.written:
            level = column.level or 0
            found.append(level * self.output.indent + met[level])
            met[level] += 1
        return tuple(found)

    @property
    def header_rows(self) -> tuple[tuple[str, ...], ...]:
        """The rows above the table, as the layout has them; of columns by level one for each."""
        if not self.output.header:
            return ()
        if self.by_level:
            return tuple(map(self._headings_of, range(len(self.row_per))))
        further = {
            "paths": [" ".join(c.value.text.split()) if c.value else "" for c in self.written],
            "units": [column.unit for column in self.written],
            "datatypes": [column.datatype or "" for column in self.written],
        }
        return (self.headings, *(tuple(further[one]) for one in self.output.second_header))

    @property
    def reads_in_order(self) -> bool:
        """Whether a row is understood by those above it, so that a reader should not sort them."""
        return self.stacked or any(key.shown == "first" for key in self.group)

    def _headings_of(self, level: int) -> tuple[str, ...]:
        """The headings of a level, where they stand."""
        row = [""] * (max(self.places, default=-1) + 1)
        for column, place, heading in zip(self.written, self.places, self.headings, strict=True):
            if column.level == level:
                row[place] = heading
        return tuple(row)

    @property
    def stacked(self) -> bool:
        """Whether rows of several levels stand in the table."""
        return len(self.row_per) > 1


class LayoutRequest(LayoutParts, frozen=True):
    """A layout as it was typed: ``questions`` are asked at each run, ``fit_to`` names a form."""

    questions: tuple[Question, ...] = ()
    fit_to: FormReference | None = None


class SettledLayout(LayoutParts, frozen=True):
    """A layout in which nothing is open: what a plan is made from (`settling.settle`).

    Columns stand for keys, and fit the form, as ``fit`` tells. ``answers`` were given to what was
    asked, on the day ``today``. ``known`` are the fields that the note beside the layout knows, as
    a survey prints them; None without a note.
    """

    today: dt.date | None = None
    answers: tuple[Answer, ...] = ()
    known: frozenset[str] | None = None
    fit: Fit | None = None
