"""The tables of a layout made ready to come from one reading."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any

from ..layout.model.column import Column
from ..layout.settling.settling import Given
from ..plan.plan import Plan
from ..run.balance import Balance, SumApart
from ..run.pipeline import TableRun
from ..run.protocols import Progress, TextForm
from ..run.tables_run import TablesRun
from ..sources import AnySource
from ..structure.levels import LevelsDifferError
from ..structure.wanted import names_wanted
from ..values.faults import Fault, FaultLog
from .column_keys import keys_sought
from .layout import Layout
from .preparing import Preparation
from .results import ShownBalance
from .spilling import TemporaryRows

_SUM = re.compile(r"sum ?\( ?([^()]*(?:\([^()]*\)[^()]*)*?) ?\)", re.IGNORECASE)
LineForms = Callable[[Plan], TextForm | None]


class TablePreparations:
    """The ``parts`` of a layout, each settled, with the one source that all of them read.

    Raises LayoutError, AnswerError and SourceError.
    """

    def __init__(
        self,
        layouts: Sequence[Layout],
        source: AnySource,
        given: Given,
        *,
        name: str = "",
        learn: bool = False,
        most: int | None = None,
        double_keys: bool = False,
        verify_all: bool = False,
    ) -> None:
        """``name`` is that of the layout that they are the tables of."""
        self.name = name
        requests = [one.request for one in layouts]
        wanted = frozenset[str]().union(*map(names_wanted, requests))
        again = any(keys_sought(one, given, learn=learn) is not None for one in requests)
        self.parts: list[Preparation] = []
        for one in layouts:
            part = Preparation(
                one,
                source,
                given,
                learn=learn,
                most=most,
                double_keys=double_keys,
                verify_all=verify_all,
                beside=self.parts[0] if self.parts else None,
                again=again,
                wanted=wanted,
            )
            self.parts.append(part)
        self._faults = FaultsOnce()

    def run(
        self,
        progress: Progress | None = None,
        *,
        faults: Callable[[Fault], None] | None = None,
        lines: Sequence[LineForms | None] = (),
    ) -> TablesRun:
        """The run that gives all tables; ``lines`` says for each how lines are made, as for one."""
        once = self._faults = FaultsOnce(faults)
        forms = lines or [None] * len(self.parts)
        pairs = zip(self.parts, forms, strict=True)
        sink = once.add if self.name else faults  # of one table each is told as it comes
        services = [part.services(faults=sink, lines=form) for part, form in pairs]
        first = self.parts[0]
        layouts = [one.layout for one in self.parts]
        return TablesRun(
            layouts,
            first.source,
            services,
            progress=progress,
            structure=first.structure,
            each=once.begin,
        )

    def begin_again(self, wrong: LevelsDifferError, *, given: bool = False) -> None:
        """Look at the whole source, so that the next run knows all its levels. Raises LevelsError
        where that can't be."""
        first, *others = self.parts
        first.begin_again(wrong, given=given)
        for one in others:
            one.as_after(first)

    def check_names(self, run: TablesRun) -> None:
        """Raise LayoutError for a path that no record had and that is mistyped."""
        for part, own in zip(self.parts, run.runs, strict=True):
            part.check_names(own)

    def balance(self, run: TablesRun, *, closely: bool = False) -> ShownBalance:
        """The balance of a run that has ended: that of the one table, or one with a part for each
        of several."""
        pairs = zip(self.parts, run.runs, strict=True)
        found = [part.balance(own, closely=closely) for part, own in pairs]
        return _of_all(found, self, run) if self.name else found[0]

    @property
    def faults(self) -> FaultLog:
        """The faults of all tables, each once."""
        return self._faults.log


class FaultsOnce:
    """Takes the faults of several tables from one reading: what two of them tell of the same value
    is one fault."""

    def __init__(self, sink: Callable[[Fault], None] | None = None) -> None:
        self.log = FaultLog(sink=sink, keep=TemporaryRows().keep)
        self._met: set[tuple[object, ...]] = set()

    def begin(self) -> None:
        """Begin with further records, which have faults of their own."""
        self._met.clear()

    def add(self, fault: Fault) -> None:
        """Take in a fault, if it is a new one."""
        known = (*fault.address, fault.reason)
        if known not in self._met:
            self._met.add(known)
            self.log.add(fault)


def _of_all(parts: list[ShownBalance], made: TablePreparations, run: TablesRun) -> ShownBalance:
    """What all tables have in common, and their parts: what was read, the faults, each once."""
    first, log = parts[0], made.faults
    names = Counter(notice for one in parts for notice in one.notices)
    whole = Balance(
        layout=made.name,
        source=first.source,
        row_per="record",
        manner=first.manner,
        read=first.read,
        unreadable=first.unreadable,
        remaining=first.read - first.unreadable,
        rows=sum(one.rows for one in parts),
        total_rows=sum(one.total_rows for one in parts),
        asked=first.asked,
        periods=first.periods,
        fault_count=log.count,
        fault_places=dict(log.places.most_common()),
        fault_kinds=log.told_kinds(),
        faults=log.kept,
        wrong=[f"{one.layout}: {wrong}" for one in parts for wrong in one.wrong],
        notices=[
            notice if names[notice] == len(parts) else f"{one.layout}: {notice}"
            for one in parts
            for notice in one.notices
        ],
        begun_again=first.begun_again,
        files_read=first.files_read,
        totals_left_out=first.totals_left_out,
        seconds=max(one.seconds for one in parts),
        tables=[*parts],
        sums_apart=list(sums_apart(parts, run.runs)),
    )
    whole.notices = list(dict.fromkeys(whole.notices))
    return ShownBalance.of(whole)


def sums_apart(parts: Sequence[Balance], runs: Sequence[TableRun]) -> Iterator[SumApart]:
    """What is added up in several tables and comes to different sums in them: each shows only what
    it takes of the records."""
    found: dict[tuple[str, int | None], dict[str, Any]] = {}
    for part, run in zip(parts, runs, strict=True):
        texts = {one.column.heading: _added(one.column) for one in run.plan.totalled}
        for column in part.columns:
            if (added := texts.get(column.heading)) and not column.passed_over:
                found.setdefault(added, {}).setdefault(part.layout, column.source)
    for (text, _), sums in found.items():
        if len({*sums.values()}) > 1:
            yield SumApart(text, sums, _only_some(sums, parts))


def _added(column: Column) -> tuple[str, int | None] | None:
    """The text of what a column adds up, be it by an aggregate of its own, and to how many decimals
    it is rounded."""
    if column.total is None or column.total.name != "sum" or column.value is None or column.typed:
        return None
    if column.total.distinct:
        return None
    text = " ".join((column.heading if column.total.part else column.value.text).split())
    own = _SUM.fullmatch(text)
    return own[1] if own else text, column.decimals


def _only_some(tables: Mapping[str, Any], parts: Sequence[Balance]) -> list[str]:
    """The conditions that some of the tables have and others have not."""
    named = {one.layout: one for one in parts if one.layout in tables}
    conditions = {name: [met.text for met in one.conditions] for name, one in named.items()}
    texts = dict.fromkeys(text for own in conditions.values() for text in own)
    told = []
    for text in texts:
        having = [name for name, own in conditions.items() if text in own]
        if len(having) < len(conditions):
            told.append(f"{' and '.join(having)} has the condition {text}")
    told += [f"{name} does not take all" for name, one in named.items() if _takes_some(one)]
    return told


def _takes_some(balance: Balance) -> bool:
    return bool(balance.not_taken or balance.rows_not_taken)
