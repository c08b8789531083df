"""Looking for the keys of columns that are made for keys, where nobody knows them yet.

The records are gone through once more for it, by a plan with the same conditions, so that the keys
are those of the entries that are kept (docs/rules.md, 21).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

import msgspec

from ..errors import LayoutError, Problem
from ..language import nodes as n
from ..layout.model.column import Column, ColumnTotal, Expression, Spread
from ..layout.model.model import LayoutRequest, SettledLayout, Totals
from ..layout.settling.settling import Given, known_keys, settle, unknown_keys
from ..plan.groups import Decomposed
from ..plan.kinds import COLLECT
from ..plan.making import make_plan
from ..plan.plan import expressions_in
from ..run.decoding import decoded, structure_met
from ..run.protocols import NodeDefinitions, Source
from ..run.step import Stepper
from ..structure.known_levels import known_levels
from ..structure.levels import Chain
from ..structure.structure import Place
from ..structure.trees import with_trees
from ..structure.wanted import names_wanted
from ..values.functions import text_of


def keys_sought(request: LayoutRequest, given: Given, *, learn: bool = False) -> KeySearch | None:
    """The search for the keys that neither list nor note knows; None where there are none such.

    With ``learn`` those of all columns are looked for, beside what is known. Raises AnswerError.
    """
    columns = unknown_keys(request, given, learn=learn)
    return KeySearch(columns, request, given) if columns else None


def keys_of(
    request: LayoutRequest, given: Given, found: Mapping[str, Sequence[str]]
) -> dict[str, Sequence[str]]:
    """The keys of all columns for keys, by heading: those that were found, else the known ones."""
    spreads = [column for column in request.columns if column.spread is not None]
    return {c.heading: found.get(c.heading, known_keys(c, given)) for c in spreads}


class KeySearch:
    """Looks for the keys of some columns of a layout."""

    def __init__(self, columns: list[Column], request: LayoutRequest, given: Given) -> None:
        self._columns = columns
        self._known = [known_keys(column, given) for column in columns]
        self._layout = settle(_bare(request), given)
        self._wanted = names_wanted(request)

    def found(
        self, source: Source, structure: Place | None, definitions: NodeDefinitions | None = None
    ) -> dict[str, list[str]]:
        """The keys for each column, by its heading: the known ones, then others as they are met.

        ``structure`` is that of all records, where it is known; ``definitions`` are those by which
        nodes of a tree are opened. Raises LayoutError where there are
        more than the layout allows, SourceError, and LevelsDifferError.
        """
        seekers = list(map(_Seeker, self._columns, self._known))
        for rows in self._rows(source, structure, definitions):
            for seeker, cells in zip(seekers, zip(*rows, strict=True), strict=False):
                for cell in cells:
                    seeker.look_at(cell)
        problems = [p for seeker in seekers if (p := seeker.problem()) is not None]
        if problems:
            raise LayoutError(self._layout.name, problems)
        return {seeker.column.heading: seeker.keys() for seeker in seekers}

    def _rows(
        self, source: Source, structure: Place | None, definitions: NodeDefinitions | None
    ) -> Iterator[list[tuple[Any, ...]]]:
        """What the entries that are kept have: for each row and column their keys, or how many."""
        with source.open() as reader:
            met = structure or structure_met(reader, self._wanted)
            whole = structure is not None
            if definitions is not None:
                met.merge(definitions.structure)
            assert self._layout.today is not None
            plan = make_plan(self._seeking(met, whole), met, self._layout.today, whole)
            stepper = Stepper(plan, definitions=definitions)
            for batch in decoded(reader, plan.record_types.record_type):
                yield stepper.step(batch).rows

    def _seeking(self, met: Place, whole: bool) -> SettledLayout:
        """The layout whose rows and conditions are the same, with the keys as columns."""
        bare = self._layout
        if bare.row_per_group:
            known = known_levels(bare, expressions_in(bare), whole)
            keys = Decomposed(bare, Chain.of((), *with_trees(met, known))).inner_layout()
            bare = msgspec.structs.replace(keys, group=(), totals=Totals())
        seen = [
            Column(f"keys {at}", _keys_of(column.spread), total=ColumnTotal("first", part=True))
            for at, column in enumerate(self._columns)
            if column.spread is not None
        ]
        return msgspec.structs.replace(bare, columns=tuple(seen))


def _bare(request: LayoutRequest) -> LayoutRequest:
    """A layout without what nobody looks at while keys are looked for."""
    columns = tuple(one for one in request.columns if one.spread is None)
    return msgspec.structs.replace(
        request,
        columns=columns,
        sort=(),
        group=(),
        take=None,
        primary_key=(),
        expects=(),
        form=None,
    )


def _keys_of(how: Spread) -> Expression:
    """The keys of the entries below a row, or how many there are."""
    at = how.level.node.position
    if how.numbered:
        return Expression(how.level.scalar, n.Call(at, "count", (how.level.node,)))
    gathered = n.Call(at, COLLECT, (how.named_by.node,), inner=True)
    return Expression(how.named_by.scalar, gathered)


class _Seeker:
    """Gathers the keys for one column."""

    def __init__(self, column: Column, known: Iterable[str]) -> None:
        assert column.spread is not None
        self.column, self._how = column, column.spread
        self._keys: dict[str, None] = dict.fromkeys(known)
        self._most = len(self._keys)

    def look_at(self, cell: Any) -> None:
        """Take in what a row has: the keys of its entries, or how many these are."""
        if self._how.numbered:
            self._most = max(self._most, cell or 0)
            return
        for key in cell or ():
            if key not in (None, "") and not isinstance(key, dict | list):
                self._keys[text_of(key)] = None

    def keys(self) -> list[str]:
        return [str(n + 1) for n in range(self._most)] if self._how.numbered else list(self._keys)

    def problem(self) -> Problem | None:
        count = len(self.keys())
        if count <= self._how.at_most:
            return None
        return self.column.problem(
            f"column `{self.column.heading}` would be {count:,} columns, and `at-most` is "
            f"{self._how.at_most:,}; list those that are wanted under `keys`, or raise it"
        )
