"""What became of a batch: a result that can go anywhere."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import NamedTuple

import msgspec

from ..compile.functions.doubting import BothFigures
from ..compile.functions.ledger import Ledger, Sums
from ..compile.functions.tallying import GroupTallies
from ..compile.runtime.watches import Watches
from ..structure.levels import Names
from ..values.faults import Fault
from .drift import Seen
from .expecting import Sequences
from .protocols import Repeats, Row


class Checked(NamedTuple):
    """One record that was held against what it is by definition: how many cells, its shape (None:
    it is looked at for its number), and what differed."""

    number: int
    cells: int
    shape: int | None
    told: tuple[str, ...]


class ControlSums(NamedTuple):
    """Control sums of columns with a total: of all, and the ledger of those that are proved group
    by group."""

    sums: Sequence[Sums | None]
    by_group: Ledger


class BatchResult(msgspec.Struct):
    """What became of a batch.

    ``told`` are the faults of its source, ``judged`` those met by conditions, ``filled`` those met
    by columns. ``passed`` are the numbers of the records that the conditions let through. ``sums``
    are the control sums of each column with a total; where it is not known yet which records are
    taken, they and what is kept of each level stand for each record alone (``by_record``).
    ``levels_met`` are places that lists have shown to be levels by now, ``both_figures`` what the
    plan is in doubt about, ``checked`` the records that were held against their definition. Where
    rows are no cells, ``cells`` are those of records that are held against it. Rows that were not
    made are ``tallied``.
    """

    read: int
    unreadable: int
    told: list[Fault]
    judged: list[Fault]
    filled: list[Fault]
    counts: Counter[str]
    passed: list[int]
    rows: list[Row]
    sums: ControlSums
    by_record: list[tuple[ControlSums, list[int]]]
    seen: Seen
    sequences: list[list[Sequences]]
    watches: Watches
    levels_met: frozenset[Names]
    both_figures: list[BothFigures]
    repeats: Repeats = Repeats()
    checked: Sequence[Checked] = ()
    cells: list[Row] | None = None
    tallied: GroupTallies | None = None
