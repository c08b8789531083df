"""Finding the keys for columns that are made from what repeats, where the layout lists none.

They are those of the entries that the conditions let through. Where the layout's note knows none
either, the records are gone through once more for that, before the run.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterable, Iterator, Mapping
from typing import Any

import msgspec

from .errors import LayoutError, Problem
from .language import nodes as n
from .layout import Layout
from .layout.column import Column, Expression, Spread, Total
from .layout.model import LayoutModel, Totals
from .plan.groups import Decomposed
from .plan.kinds import COLLECT
from .plan.plan import expressions_in
from .plan.planner import make_plan
from .run.decoding import decoded
from .run.protocols import Source
from .run.step import Stepper
from .structure.levels import Chain, known_levels
from .structure.structure import Place, observe
from .structure.wanted import names_wanted
from .values.functions import text_of


def unknown_spreads(layout: Layout, learn: bool) -> list[Column]:
    """The columns whose keys have to be looked for: those that neither list nor note knows."""
    known = layout.model.known_keys
    spreads = [column for column in layout.model.columns if column.spread is not None]
    return [column for column in spreads if learn or not known.get(_named_by(column), ())]


def with_columns(
    layout: Layout, source: Source, structure: Place | None, learn: bool = False
) -> Layout:
    """The layout with a column for each key that its note knows, or else that the source has.

    One that is to ``learn`` has those of both, and knows them. Raises LayoutError where there are
    more keys than the layout allows, SourceError, and LevelsDifferError.
    """
    known = layout.model.known_keys
    spreads = {c.heading: c for c in layout.model.columns if c.spread is not None}
    keys = {heading: known.get(_named_by(column), ()) for heading, column in spreads.items()}
    unknown = unknown_spreads(layout, learn)
    if unknown:
        for heading, found in _found(unknown, source, layout, structure, known).items():
            keys[heading] = tuple(found)
    if learn:
        layout = layout.knowing({_named_by(spreads[heading]): keys[heading] for heading in spreads})
    return layout.spread(keys) if spreads else layout


def _named_by(column: Column) -> str:
    assert column.spread is not None
    return column.spread.name


def _found(
    columns: list[Column],
    source: Source,
    layout: Layout,
    structure: Place | None,
    known: Mapping[str, Iterable[str]],
) -> dict[str, list[str]]:
    """The keys for each column: the known ones, then others in the order in which they are met."""
    seekers = [_Seeker(column, known.get(_named_by(column), ())) for column in columns]
    for rows in _rows(columns, source, layout.model, structure):
        for seeker, cells in zip(seekers, zip(*rows, strict=True), strict=False):
            for cell in cells:
                seeker.look_at(cell)
    problems = [p for seeker in seekers if (p := seeker.problem()) is not None]
    if problems:
        raise LayoutError(layout.name, problems)
    return {seeker.column.heading: seeker.keys() for seeker in seekers}


def _rows(
    columns: list[Column], source: Source, model: LayoutModel, structure: Place | None
) -> Iterator[list[tuple[Any, ...]]]:
    """What the entries that are kept have: for each row and column their keys, or their number."""
    with source.open() as reader:
        met = structure or observe(reader.peek(), names_wanted(model))
        whole = structure is not None
        plan = make_plan(
            _seeking(columns, model, met, whole), met, model.today or dt.date.today(), whole
        )
        stepper = Stepper(plan)
        for batch in decoded(reader, plan.shape.record_type):
            yield stepper.step(batch).rows


def _seeking(columns: list[Column], model: LayoutModel, met: Place, whole: bool) -> LayoutModel:
    """The layout whose rows and conditions are the same, with the keys as columns."""
    bare = msgspec.structs.replace(
        model, columns=(), sort=(), group=(), take=None, primary_key=(), expects=()
    )
    if model.row_per_group:
        known = known_levels(model, expressions_in(model), whole)
        keys = Decomposed(bare, Chain.of((), met, known)).inner_model()
        bare = msgspec.structs.replace(keys, group=(), totals=Totals())
    seen = [
        Column(f"keys {at}", _keys_of(column.spread), total=Total("first", part=True))
        for at, column in enumerate(columns)
        if column.spread is not None
    ]
    return msgspec.structs.replace(bare, columns=tuple(seen))


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
