"""The small protocols by which sources and outputs meet the engine."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple, Protocol, Self

from msgspec.structs import replace

from ..compile.functions.lines import LineForm
from ..compile.runtime.definitions import NodeDefinitions as NodeDefinitions
from ..plan.plan import Plan
from ..plan.row_order import Row as Row
from ..values.faults import Fault
from .by_definition import Define

Plain = Callable[[int], Any]


class RunProgress(NamedTuple):
    """How far a run has come: the ``records`` read, the ``bytes`` of its files, and the bytes that
    these have in all (None where nobody knows). The ``phase`` is ``reading``, ``writing`` where all
    has been read before the first row goes out, or ``checking`` what was written.
    """

    records: int
    bytes: int = 0
    of_bytes: int | None = None
    phase: str = "reading"

    @classmethod
    def of(cls, records: int, measure: Measure, phase: str = "reading") -> Self:
        """How far it has come, by what measures its source."""
        return cls(records, measure.position, measure.size, phase)


Progress = Callable[[RunProgress], None]  # called as a run goes along


class Measure(Protocol):
    """What knows how many bytes of a source have been read, and how many there are."""

    @property
    def position(self) -> int:
        """How many have been read, as they lie in the file."""
        ...

    @property
    def size(self) -> int | None:
        """How many there are; None where that is not known."""
        ...


class NothingMeasured:
    """Of a source that is no file."""

    position = 0
    size: int | None = None


class MarkedRow(tuple[Any, ...]):
    """A row of which more is known than its cells. It is a tuple as any row is."""

    def with_cells(self, cells: Iterable[Any]) -> Self:
        """A row with other cells, of which the same is known."""
        row = type(self)(cells)
        row.__dict__.update(self.__dict__)
        return row


def has_marked_rows(rows: Iterable[Row]) -> bool:
    """Whether there are such rows among some."""
    return any(issubclass(kind, MarkedRow) for kind in {*map(type, rows)})


class TotalRow(MarkedRow):
    """A row of totals: of a group, or of the whole table. It is a tuple as any row is.

    ``depth`` is how many groups are around it: 0 is the whole table, 1 the outermost group.
    ``aggregate`` is the kind of its totals, blank where these are of several kinds.

    >>> import flatledger
    >>> layout = {"columns": [{"No": "no"}, {"Fee": {"value": "fee", "total": "sum"}}]}
    >>> fees = flatledger.table(layout, [{"no": 1, "fee": 2}])
    >>> [isinstance(row, TotalRow) for row in fees.rows(totals=True)]
    [False, True]
    """

    depth = 0
    aggregate = ""
    at = 0
    named = False  # its kind tells it from others of its group

    def of_kind(self, aggregate: str, at: int, several: bool) -> Self:
        """The same row, whose totals are of one kind, or of several (blank); ``at`` says which of
        the total rows of its group it is, where there are ``several``."""
        self.aggregate, self.at = aggregate, at
        self.named = several and bool(aggregate)
        return self

    def with_depth(self, depth: int) -> Self:
        """The same row, of a group of this depth."""
        self.depth = depth
        return self


class GroupHeading(TotalRow):
    """A row above those of a group that holds the group's value alone; ``depth`` is how many groups
    there are with its own.

    >>> import flatledger
    >>> layout = {"columns": [{"No": "no"}], "group": [{"by": "No", "heading": "row"}]}
    >>> [*flatledger.table(layout, [{"no": 1}]).rows(totals=True)]
    [(1,), (None,)]
    """


class PartialRow(MarkedRow):
    """A row of which only some cells, by their places, are its ``own``: where nothing stands in the
    others nothing is missing."""

    own: frozenset[int] = frozenset()

    def owning(self, own: frozenset[int]) -> Self:
        """The same row with cells of its own at these places."""
        self.own = own
        return self


class StackedRow(PartialRow):
    """A row of a table in which rows of several levels are stacked; ``level`` is what its level is
    called. It is a tuple as any row is.

    >>> import flatledger
    >>> layout = {"row-per": ["record", "lines"], "columns": [{"No": "no"}, {"Line": "lines.no"}]}
    >>> rows = flatledger.table(layout, [{"no": "R-1", "lines": [{"no": 1}]}]).rows()
    >>> [(row.level, row) for row in rows]
    [('record', ('R-1', None)), ('lines', (None, 1))]
    """

    level = ""
    place = 0

    def at_level(self, level: str, place: int) -> Self:
        """The same row, of a level that is called so, which has this ``place`` in the stack."""
        self.level, self.place = level, place
        return self


class Origin(NamedTuple):
    """Where some records come from: their ``file`` (blank, where it is none) and how many records
    the files ``before`` it have. ``rows`` gives the rows of the file that they stand in, where it
    is a table. ``several``: the file is one of several.
    """

    file: str = ""
    before: int = 0
    rows: Callable[[], Sequence[int]] | None = None
    several: bool = False

    def placed(self, faults: Iterable[Fault]) -> list[Fault]:
        """Faults with the file that they are in, and the number of their record in it, where there
        are several."""
        if not self.several:
            return list(faults)
        return [
            replace(one, file=self.file, file_record=one.record - self.before) for one in faults
        ]


class Repeats(NamedTuple):
    """How many records are equal to the one right before them, and the number of the first."""

    records: int = 0
    first: int = 0

    def and_later(self, later: Repeats) -> Repeats:
        """These with those of what came next."""
        return Repeats(self.records + later.records, self.first or later.first)


def not_kept(place: int) -> Any:
    """What gives no record as plain data."""
    raise LookupError(place)


class Batch(NamedTuple):
    """Some records in the order of the source, their numbers (from 1), and what was unreadable.

    ``specimens`` gives one or a few of them whole, as plain data; ``remarks`` are faults that keep
    no record out. They are of the ``exact`` type that was asked for, or else of the loose one.
    ``repeats`` are records that are equal to the one before, by their text. ``plain`` gives the
    record at a place whole, as plain data; a reader may do so only of those that it ``keeps``.
    """

    records: list[Any]
    numbers: Sequence[int]
    faults: list[Fault]
    specimens: Callable[[], list[Any]] = list
    remarks: Sequence[Fault] = ()
    exact: bool = False
    origin: Origin = Origin()
    repeats: Repeats = Repeats()
    plain: Plain = not_kept


class RowStore(Protocol):
    """A place outside memory for rows; they may hold any of the engine's values."""

    def keep(self, rows: list[Row]) -> Callable[[], Iterator[Row]]:
        """Keep rows, and give a function that reads them again, as often as it is called."""
        ...


class TextForm(LineForm, Protocol):
    """How cells stand in a line, what lines have to be, and what is learnt as rows go by."""

    def begin(self) -> None:
        """Forget what was met in lines of which none were joined."""
        ...

    def joined(self, lines: list[str], truths: bool) -> str | None:
        """The text of lines, if they are as they have to be; some of them may hold truth values as
        Python writes them, where there are ``truths``."""
        ...

    def lines_of(self, rows: list[tuple[Any, ...]]) -> list[str]:
        """The lines of rows of cells, each of them written with care."""
        ...

    def look_at(self, rows: list[Row]) -> None:
        """Find the columns in which something special stands, from rows that did not fit."""
        ...


Wording = Callable[[int, Any], Any]  # what a value of the column at a place is called


def as_it_is(_: Plan) -> Wording:
    """The wording by which each value is called what it is."""
    return lambda place, value: value


def no_lines(_: Plan) -> TextForm | None:
    """What says that cells are wanted of rows."""
    return None


class RunServices(NamedTuple):
    """What a run is lent, since it opens and writes nothing itself: a place for rows that do not
    fit into memory, what takes each fault, how the values of groups are called in total rows, and
    what the nodes of a tree are opened by. ``define`` says what records are by definition; with
    ``verify_all`` each of them is held against that. Where nothing but lines of text is wanted of
    rows, ``lines`` says how cells stand in them.
    """

    store: RowStore | None = None
    faults: Callable[[Fault], None] | None = None
    wording: Callable[[Plan], Wording] = as_it_is
    definitions: NodeDefinitions | None = None
    define: Define | None = None
    verify_all: bool = False
    lines: Callable[[Plan], TextForm | None] = no_lines


NO_SERVICES = RunServices()


class FileRead(NamedTuple):
    """What was read of one of several files; ``passed_over`` says why none of it was."""

    name: str
    records: int = 0
    unreadable: int = 0
    passed_over: str = ""


class RowsLeftOut(NamedTuple):
    """Rows of a table that were totals already, and were left out: how ``many``, ``where`` the
    first of them are, and the columns that are blank in them."""

    many: int
    where: Sequence[str] = ()
    blank: Sequence[str] = ()


class Account(NamedTuple):
    """What a reader has to say once it is at its end: ``notices`` that are to be pointed out, and
    the files that it has read, where its source is ``of_files`` that are so many. Rows that are
    totals were ``left_out``; rows that are ``labelled`` as totals, of which nobody has said what
    becomes of them, are told with where they are. ``short_rows`` end early, more than by their last
    cell but one."""

    notices: Sequence[str] = ()
    files: Sequence[FileRead] = ()
    of_files: int = 0
    left_out: RowsLeftOut | None = None
    labelled: Sequence[str] = ()
    short_rows: int = 0


class Reader(Protocol):
    """One reading of a source, from its start. It is a context, after which nothing stays open.

    A reader gives plain records, unless it ``decodes``: then it can give them in any type that a
    plan asks for. ``manner`` says how the source is read, where there is something to say. With
    ``has_own_texts`` an object may stand for its text, where one value is wanted. One that
    ``types_moments`` gives dates and times by ISO 8601, however they are shown in it; one that
    ``has_moments`` gives them as such. What it ``states`` are keys for a layout's `source` that say
    what was found by looking. Its ``account`` is given at its end. Its batches have their origin
    from it, or come from its ``file``. ``measure`` knows how far its bytes have been read.
    ``keeps`` tells of which records, by their numbers, a batch can give the plain data.
    """

    name: str
    manner: str
    decodes: bool
    has_own_texts: bool
    types_moments: bool
    has_moments: bool
    states: Mapping[str, Any]
    account: Account
    file: str
    measure: Measure
    keeps: Callable[[int], bool]

    def peek(self) -> list[Any]:
        """The first records as plain data; the same however often it is asked."""
        ...

    def batches(self, record_type: Any = None, exact: Any = None) -> Iterator[Batch]:
        """All records, those looked at included, as plain data or in a type; in an ``exact`` one
        wherever all records of a batch fit it."""
        ...

    def close(self) -> None:
        """Leave it, however far it has been read; once more does nothing."""
        ...

    def __enter__(self) -> Self: ...

    def __exit__(self, *error: object) -> None: ...


class Source(Protocol):
    """Records from somewhere. ``again``: it can be opened more than once."""

    name: str
    again: bool

    def open(self) -> Reader:
        """A reading from its start. Raises SourceError."""
        ...

    def parts(self, most: int) -> Sequence[Source]:
        """The source cut into so many parts at most, in their order; itself where it can't be cut.
        The records of a part have the numbers that they have in the whole."""
        ...
