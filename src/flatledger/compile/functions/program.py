"""One generated Python module per layout: keep, unfold and control_sums.

``keep`` takes out what the conditions filter out, ``unfold`` turns records into rows, and
``control_sums`` adds up each totalled column over the kept records on a walk of its own, for the
balance. The text is readable (`Program.source`) and kept for tracebacks.
"""

from __future__ import annotations

import hashlib
import linecache
import weakref
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from functools import cached_property
from types import CodeType
from typing import Any, Generic, TypeVar

from ...plan.plan import Plan
from ...structure.levels import Names
from ...values.amounts import UnitWatch
from ...values.date_forms import ComparisonWatch
from ...values.faults import Fault, FaultNotes, FaultText
from ...values.numerals import NumeralWatch, Unwatched
from ...values.ordering import told_apart
from ...values.text_values import NUMERALS
from ...values.times import days
from ...values.visible import visible
from ..expressions.as_they_came import keeps_all, walked_trees
from ..expressions.constants import Constants
from ..runtime.definitions import NodeDefinitions
from ..runtime.plain_data import REPEAT
from ..runtime.runtime import Runtime
from ..runtime.watches import ListsMet, Watches
from ..trees.laying_flat import Flattener
from ..trees.opening import closed_source, passes_source
from .control_sums import control_sums_source
from .doubting import BothFigures, Look, doubts_source, looked_at_whole
from .keeping import keep_source
from .ledger import Ledger, Sums
from .level_watch import LevelListWatch, NestWatch, Watched, watch_source
from .loads_checked import check_loads
from .unfolding import Classes, Unfolding, identify_source, unfold_source

# ---- where the records of a batch come from, as generated code asks for it


class RecordOrigins:
    """The file and the rows of the records that are gone through."""

    def __init__(self) -> None:
        self.file: str | None = None
        self._before = 0
        self._numbers: Sequence[int] = ()
        self._rows: Callable[[], Sequence[int]] | None = None

    def take(
        self,
        file: str,
        before: int,
        numbers: Sequence[int],
        rows: Callable[[], Sequence[int]] | None,
    ) -> None:
        """Records with these numbers come next; ``before`` them are so many in other files."""
        self.file = file or None
        self._before, self._numbers, self._rows = before, numbers, rows
        self.__dict__.pop("_row_of", None)

    def source_file(self) -> str | None:
        """The name of the file."""
        return self.file

    def source_row(self, number: int) -> int:
        """The row of a table in its file (the source number of CSVW), or the place of a record
        among those of its file."""
        return number - self._before if self._rows is None else self._row_of[number]

    @cached_property
    def _row_of(self) -> dict[int, int]:
        assert self._rows is not None
        return dict(zip(self._numbers, self._rows(), strict=True))


Kept = list[tuple[Any, ...]]


Writing = TypeVar("Writing", bound=Unfolding)


@dataclass(slots=True)
class Further(Generic[Writing]):
    """A function that was ``written`` besides the others: ``loud`` tells of faults and notes what
    is watched, ``quiet`` does not. It gives what it makes of kept records, how many entries each
    level had, and the classes of the values in columns that were unmet."""

    written: Writing
    loud: Callable[[list[Any], Sequence[int], Kept], tuple[Any, tuple[int, ...], Classes]]
    quiet: Callable[[list[Any], Sequence[int], Kept], tuple[Any, tuple[int, ...], Classes]]


@dataclass(slots=True, weakref_slot=True)
class Program:
    """The generated functions of one run.

    ``keep(records, numbers)`` gives the kept records, their numbers, what is kept below each, and
    counts named by ``counters``. What is kept below an entry is a tuple: the entries of the next
    level, their places, and, where it goes deeper, what is kept below each. From these three
    ``unfold(records, numbers, kept)`` makes the rows, and says how many entries each level had,
    and ``control_sums(records, numbers, kept)``, for each totalled column, how many values there
    are, the state of its aggregate, and how many blanks; of sums that are proved group by group,
    a ledger (`LedgerForm` reads it).
    ``lay_flat(records, numbers)``, where there are trees, comes before all else: it gives the
    records with each tree as a list of its nodes; ``nested`` are the members by which levels were
    met to nest, ``listed`` places that lists have shown to be levels.
    ``watch_nests(records, numbers)`` raises LevelsDifferError for a level that turns out to be a
    tree.
    ``watch(records, numbers)``, where it is needed, raises LevelsDifferError for a list that the
    plan did not reckon with. It passes over places that ``unfold`` looks at for every entry: where
    that met a list, which ``lists`` tells, ``watch_all`` has the last word.
    ``identify(records, numbers)`` gives what the primary key says of each record. ``watches`` and
    ``faults`` are what the functions take note of as they run; ``origins`` is told where the
    records come from. ``unfold_again`` does as `unfold`, and takes note of nothing; ``further``
    makes another function in the place of that, by what writes it.
    """

    source: str
    counters: tuple[str, ...]
    keep: Callable[[list[Any], Sequence[int]], tuple[list[Any], list[int], Kept, tuple[int, ...]]]
    unfold: Callable[[list[Any], Sequence[int], Kept], tuple[list[Any], tuple[int, ...]]]
    control_sums: Callable[[list[Any], Sequence[int], Kept], tuple[Sequence[Sums | None], Ledger]]
    watches: Watches
    faults: FaultNotes
    lists: ListsMet
    origins: RecordOrigins
    lay_flat: Callable[[list[Any], Sequence[int]], list[Any]] | None
    nested: set[Names]
    listed: set[Names]
    watch_nests: Callable[[list[Any], Sequence[int]], None] | None
    watch: Callable[[list[Any], Sequence[int]], None] | None
    watch_all: Callable[[list[Any], Sequence[int]], None] | None
    identify: Callable[[list[Any], Sequence[int]], list[tuple[Any, ...]]] | None
    unfold_again: Callable[[list[Any], Sequence[int], Kept], tuple[list[Any], tuple[int, ...]]]
    further: Callable[[Callable[[Plan, Constants], Any]], Further[Any]]


def generate(
    plan: Plan, *, raw: bool = False, definitions: NodeDefinitions | None = None
) -> Program:
    """Generate the functions for a plan; ``definitions`` are those by which nodes are opened.

    Raises msgspec.ValidationError where these do not fit the exact types of a plan. With ``raw``
    the cells of a row are the values as they are, lists and objects included.
    """
    watches, faults, lists = Watches.of(plan.layout), FaultNotes(), ListsMet()
    origins = RecordOrigins()
    constants = Constants(watches)
    keep, counters = ("", ()) if keeps_all(plan) else keep_source(plan, constants)
    unfold, tested = unfold_source(plan, constants, raw)
    if plan.conditions or plan.drops_without_entries:  # then it does not look at all of them
        tested = set()
    passes = passes_source(plan, constants, "passes")
    openings = {f"closed_{index}": one for index, one in enumerate(plan.openings)}
    functions = (
        keep,
        unfold,
        control_sums_source(plan, constants),
        watch_source(plan, constants, "watch", tested),
        watch_source(plan, constants, "watch_all") if tested else "",
        identify_source(plan, constants),
        passes,
        *(closed_source(plan, one, constants, name) for name, one in openings.items()),
    )
    source = "\n\n\n".join(filter(None, functions)) + "\n"
    name = _file_name(plan.layout.name, source)
    code = _compiled(source, name)
    lists_watch, trees = LevelListWatch(Watched.of(plan)), Flattener(plan, faults, definitions)
    nests = NestWatch(plan)
    told = {"source_file": origins.source_file, "source_row": origins.source_row}
    loud = told | _namespace(constants, Runtime(faults, lists), lists_watch, trees, quiet=False)
    quiet = told | _namespace(
        constants, Runtime(DiscardedFaults(), ListsMet()), lists_watch, trees, quiet=True
    )
    exec(code, loud)
    exec(code, quiet)
    trees.passes = quiet.get("passes")
    trees.open_by({o.chain.levels[-1]: loud[name] for name, o in openings.items() if name in loud})

    def further(write: Callable[[Plan, Constants], Writing]) -> Further[Writing]:
        writing = write(plan, constants)
        text = writing.text() + "\n"
        called = _file_name(plan.layout.name, text)
        compiled = _compiled(text, called)
        _keep_named(origins, called)
        for names, values in ((loud, constants.values), (quiet, _unwatched(constants.values))):
            names.update(values)
            exec(compiled, names)
        return Further(writing, loud[writing.name], quiet[writing.name])

    program = Program(
        source,
        counters,
        loud.get("keep", _all_kept),
        loud["unfold"],
        quiet["control_sums"],
        watches,
        faults,
        lists,
        origins,
        trees.lay if trees.needed and not walked_trees(plan) else None,
        trees.nested,
        lists_watch.met,
        nests.look if nests.needed else None,
        loud.get("watch"),
        loud.get("watch_all"),
        quiet.get("identify"),
        quiet["unfold"],
        further,
    )
    _keep_named(program, name)
    return program


def generate_doubts(plan: Plan, definitions: NodeDefinitions | None = None) -> Look | None:
    """The function that looks for records in which an aggregate would be another one if a place
    were a level; None where there can be none."""
    if not plan.doubts:
        return None
    whole, constants = looked_at_whole(plan), Constants(Watches())
    source = doubts_source(whole, constants)
    trees, quiet = (
        Flattener(whole, DiscardedFaults(), definitions),
        Runtime(DiscardedFaults(), ListsMet()),
    )
    origins = RecordOrigins()
    told = {"source_file": origins.source_file, "source_row": origins.source_row}
    watch = LevelListWatch(Watched.of(whole))
    names = told | _namespace(constants, quiet, watch, trees, quiet=True)
    exec(_compiled(source, _file_name(plan.layout.name, source)), names)
    keep, doubts = names.get("keep", _all_kept), names["doubts"]

    def look(records: list[Any], numbers: Sequence[int]) -> list[BothFigures]:
        records, numbers, kept, _ = keep(records, numbers)
        return [BothFigures(*one) for one in doubts(records, numbers, kept)]

    return look


def _compiled(source: str, name: str) -> CodeType:
    """Generated text, compiled; no variable in it is bound from two loads."""
    check_loads(source)
    return compile(source, name, "exec")


def _all_kept(records: list[Any], numbers: Sequence[int]) -> tuple[Any, Any, Kept, tuple[()]]:
    """What stands for `keep` where all is kept, and records are walked as they are."""
    return records, numbers, [], ()


_named: Counter[str] = Counter()  # programs by what tracebacks call their text


def _keep_named(owner: object, name: str) -> None:
    """Keep a text for tracebacks as long as what runs it."""
    _named[name] += 1
    weakref.finalize(owner, _forget, name)


def _forget(name: str) -> None:
    """Let go of a text that no program has any longer."""
    _named[name] -= 1
    if not _named[name]:
        del _named[name]
        linecache.cache.pop(name, None)


def _file_name(layout: str, source: str) -> str:
    """What tracebacks call generated text: by its layout, and no other text is called so."""
    digest = hashlib.blake2s(source.encode("utf-8", "backslashreplace"), digest_size=4).hexdigest()
    name = f"<flatledger layout {visible(layout)} {digest}>"
    linecache.cache[name] = (len(source), None, source.splitlines(keepends=True), name)
    return name


class DiscardedFaults(FaultNotes):
    """Takes no note: the second walk meets the same faults as the first."""

    def add(self, fault: Fault) -> None:
        """Nothing."""


def _unwatched(values: dict[str, Any]) -> dict[str, Any]:
    """Values of which those that watch take no note: what is met a second time is not counted."""
    watching = NumeralWatch | ComparisonWatch | UnitWatch
    return {k: Unwatched() if isinstance(v, watching) else v for k, v in values.items()}


def _namespace(
    constants: Constants,
    runtime: Runtime,
    lists_watch: LevelListWatch,
    trees: Flattener,
    quiet: bool,
) -> dict[str, Any]:
    fixed: dict[str, Any] = {"Decimal": Decimal, "FaultText": FaultText, "date": date}
    fixed["days"], fixed["numerals"] = days(), NUMERALS
    fixed |= {"REPEAT": REPEAT, "told_apart": told_apart}
    watching = {"note_lists": lists_watch.note, "look_below": lists_watch.below}
    values = constants.values
    if quiet:
        values = _unwatched(values)
    return {**values, **watching, **runtime.functions(), **trees.functions(), **fixed}
