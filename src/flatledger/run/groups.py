"""Groups: which one a row belongs to, and what each of them adds up to."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator
from functools import cached_property
from itertools import groupby
from operator import itemgetter
from typing import Any

from ..compile.functions.ledger import Ledger
from ..compile.functions.tallying import FIRST, GroupTallies, describing, parts_of, posting
from ..plan.kinds import TIMES
from ..plan.plan import Plan
from ..plan.row_order import cells_at, sort_rows
from ..plan.row_type import KeyPlan, RowType
from ..values.ordering import told_apart
from .protocols import Row
from .sorting import Sorter
from .tallies import Adder, Tallies, goes_by_order

Key = tuple[Any, ...]
_TOGETHER = 20_000  # rows that are taken in together


class GroupKeys:
    """The groups of rows: one value for each key, the same for values that are equal."""

    def __init__(self, row_type: RowType) -> None:
        self._row_type, keys = row_type, row_type.group
        self._places = [key.slot for key in keys]
        self._maybe_truth = [key.slot for key in keys if key.kind in ("any", "truth")]
        self._timed = any(key.kind in (*TIMES, "mixed") for key in keys)
        self._plain = cells_at(self._places)

    def __reduce__(self) -> tuple[Any, ...]:
        return GroupKeys, (self._row_type,)

    def shown(self, row: Row) -> Key:
        """The values of a row's group as they stand in it."""
        return self._plain(row)

    def of(self, rows: list[Row]) -> Callable[[Row], Key]:
        """A function from a row to its group, for some rows."""
        if self._timed or any(
            bool in {*map(type, map(itemgetter(place), rows))} for place in self._maybe_truth
        ):
            return lambda row: tuple(told_apart(row[place]) for place in self._places)
        return self._plain

    def runs(self, rows: list[Row]) -> Iterator[tuple[Key, list[Row]]]:
        """Rows that follow one another in the same group."""
        for key, run in groupby(rows, self.of(rows)):
            yield key, list(run)


class Groups:
    """What the groups of some rows add up to, at each depth. Rows may come in any order.

    Those of parts of the rows, merged in their order, are those of all.
    """

    def __init__(self, plan: Plan, held: Sorter | None = None) -> None:
        """``held`` keeps the rows themselves, where they are wanted again."""
        self.plan = plan
        self.held = held
        self._whole = Tallies(plan.row_type, 0)
        self._rolled_up = False
        self._waiting: list[Row] = []  # rows that are taken in together
        self._keys = GroupKeys(plan.row_type)
        self._adder = Adder(plan.row_type)
        self._depth = len(plan.group)
        self._ordered = goes_by_order(plan)
        self._tallies: dict[Key, Tallies] = {}
        self._ledger: Ledger = {}  # of rows that were added up as they passed
        self._parts = parts_of(plan)
        self._places = tuple(one for pair in self._parts for one in pair if one is not None)
        self._first: dict[Key, Row] = {}
        self._differ: set[tuple[Key, int]] = set()
        self._describing = describing(plan)

    @property
    def count(self) -> int:
        """How many innermost groups there are."""
        self._take_in()
        return len(self._first)

    def add(self, rows: list[Row]) -> None:
        """Take in rows."""
        if self.held is not None:
            self.held.add(rows)
        self._waiting += rows
        if len(self._waiting) >= _TOGETHER:
            self._take_in()

    def add_tallied(self, tallied: GroupTallies) -> None:
        """Take in what further rows add up to."""
        self._take_in()
        self._differ |= tallied.differ
        self._post(tallied.by_group)

    def _post(self, later: Ledger) -> None:
        for key, parts in later.items():
            first = self._first.setdefault(key, parts[FIRST])
            if self._describing and first is not parts[FIRST]:
                self._compare(key, first, [parts[FIRST]])
        posting(self._places)(self._ledger, later)

    def _read_ledger(self) -> None:
        """Add what is in the ledger to the groups' tallies."""
        for key, parts in self._ledger.items():
            if self._depth > 1:
                self._around(key)
            for tally, (count, state) in zip(self._of(key).tallies, self._parts, strict=True):
                tally.count += parts[count]
                if state is not None:
                    tally.state += parts[state]
        self._ledger = {}

    def _take_in(self) -> None:
        """Add the rows that wait to their groups."""
        rows, self._waiting = self._waiting, []
        if not rows:
            return
        if not self._depth:
            self._adder.add([self._whole], rows)
            return
        key_of = self._keys.of(rows)
        runs: dict[Key, list[Row]] = defaultdict(list)
        for row in rows:
            runs[key_of(row)].append(row)
        if self._ordered:  # all rows in their order, which they do not keep in groups
            self._adder.add([self._whole], rows)
        for key, run in runs.items():  # mutant: group-key-null
            self._compare(key, self._first.setdefault(key, run[0]), run)
            depths = [*self._around(key), self._of(key)]
            self._adder.add_whole(depths[-1], run)
            self._adder.add_split(depths if self._ordered else [self._whole, *depths], run)

    def merge(self, later: Groups) -> None:
        """Take in the groups of rows that came later."""
        self._take_in()
        later._take_in()
        if self.held is not None and later.held is not None:
            self.held.merge(later.held)
        self._whole.merge(later._whole)
        for key, row in later._first.items():
            self._compare(key, self._first.setdefault(key, row), [row])
        self._differ |= later._differ
        self._post(later._ledger)
        for key, tallies in later._tallies.items():
            self._of(key).merge(tallies)

    @property
    def whole(self) -> Tallies:
        """What all rows add up to."""
        self._roll_up()
        return self._whole

    def tallies(self, key: Key) -> Tallies:
        """What a group adds up to."""
        self._roll_up()
        return self._tallies[key]

    def _roll_up(self) -> None:
        """Once all rows are there: add what the innermost groups have to those around them."""
        self._take_in()
        if self._rolled_up:
            return
        self._rolled_up = True
        self._read_ledger()
        for key in self._first:
            around = self._around(key)
            for tallies in around if self._ordered else [self._whole, *around]:
                self._adder.merge_whole(tallies, self._tallies[key])

    def _compare(self, key: Key, first: Row, rows: list[Row]) -> None:
        """Note the columns that differ within a group."""
        for place in self._describing:
            known = {first[place]}
            if {row[place] for row in rows} != known:
                self._differ.add((key, place))

    def _of(self, key: Key) -> Tallies:
        if key not in self._tallies:
            self._tallies[key] = Tallies(self.plan.row_type, len(key))
        return self._tallies[key]

    def _around(self, key: Key) -> list[Tallies]:
        """The groups around an innermost one."""
        return [self._of(key[:depth]) for depth in range(1, len(key))]

    def key_of(self, rows: list[Row]) -> Callable[[Row], Key]:
        """A function from a row to its group, for some rows."""
        return self._keys.of(rows)

    def shown(self, key: Key) -> Key:
        """The values that name a group, as they stood in its first row."""
        if len(key) == self._depth:
            return self._keys.shown(self._first[key])
        return self._keys.shown(self._firsts[key])[: len(key)]

    @cached_property
    def _firsts(self) -> dict[Key, Row]:
        """The first rows of the groups around the innermost ones, once all rows are there."""
        found: dict[Key, Row] = {}
        for key, row in self._first.items():  # in the order in which they were met
            for depth in range(1, self._depth):
                found.setdefault(key[:depth], row)
        return found

    def first(self, key: Key) -> Row:
        """The first row of an innermost group."""
        return self._first[key]

    def differing(self) -> dict[str, int]:
        """By heading, in how many groups a column that describes them differs."""
        self._take_in()
        found: dict[str, int] = defaultdict(int)
        for _, place in sorted(self._differ, key=lambda one: one[1]):
            found[self.plan.columns[place].column.heading] += 1
        return found

    def ordered(self, rows: dict[Key, Row]) -> list[Key]:
        """The innermost groups in order: outer groups together, then as `sort` says.

        ``rows`` are what is written of each.
        """
        width = len(self.plan.written)
        written_sort = [key for key in self.plan.sort if key.slot < width]
        ways = {key.slot: key for key in reversed(self.plan.sort)}
        own = [
            KeyPlan(width + at, key.home, key.text, *_way(ways.get(key.slot)))
            for at, key in enumerate(self.plan.group)
        ]
        extended = [(*row, *self.shown(key), key) for key, row in rows.items()]
        sort_rows(extended, [*own[:-1], *written_sort, *own[-1:]])
        return [row[-1] for row in extended]

    def innermost(self) -> list[Key]:
        """The innermost groups, in the order in which they were met."""
        self._take_in()
        return list(self._first)


def _way(key: KeyPlan | None) -> tuple[bool, bool, str]:
    return (key.descending, key.nulls_first, key.collation) if key else (False, False, "")
