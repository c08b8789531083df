"""Finding the keys for columns that are made from what repeats, where the layout lists none.

Where its note knows none either, the source is read once more for that, before the run.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from os import PathLike
from typing import Any

import msgspec

from .enriching import open_enriched
from .errors import LayoutError, Problem, SourceError
from .language import nodes as n
from .language.selecting import compile_path
from .layout import Layout
from .layout.column import Column, Spread
from .sources import AnySource
from .values.functions import text_of


def with_columns(layout: Layout, source: AnySource, learn: bool = False) -> Layout:
    """The layout with a column for each key that its note knows, or else that the source has.

    One that is to ``learn`` has those of both, and knows them. Raises SourceError where the source
    has to be read for that and can be read once only, and LayoutError where there are more keys
    than the layout allows.
    """
    known = layout.model.known_keys
    spreads = {c.heading: c for c in layout.model.columns if c.spread is not None}
    keys = {heading: known.get(_named_by(column), ()) for heading, column in spreads.items()}
    unknown = [column for heading, column in spreads.items() if learn or not keys[heading]]
    if unknown:
        _stop_if_read_once(unknown[0], source)
        for heading, found in _found(unknown, source, layout, known).items():
            keys[heading] = tuple(found)
    if learn:
        layout = layout.knowing({_named_by(spreads[heading]): keys[heading] for heading in spreads})
    return layout.spread(keys) if spreads else layout


def _stop_if_read_once(column: Column, source: AnySource) -> None:
    if source == "-" or not isinstance(source, str | PathLike | Sequence):
        raise SourceError(
            f"column {column.heading} is made from keys, and the source can be read once "
            "only; list them in the layout (`keys: [...]`), or name a file"
        )


def _named_by(column: Column) -> str:
    assert column.spread is not None
    return column.spread.name


def _found(
    columns: list[Column], source: AnySource, layout: Layout, known: Mapping[str, Iterable[str]]
) -> dict[str, list[str]]:
    """The keys for each column: the known ones, then others in the order in which they are met."""
    seekers = [_Seeker(column, known.get(_named_by(column), ())) for column in columns]
    with open_enriched(layout, source).open() as reader:
        for batch in reader.batches():
            for record in batch.records:
                for seeker in seekers:
                    seeker.look_at(record)
    problems = [p for seeker in seekers if (p := seeker.problem()) is not None]
    if problems:
        raise LayoutError(layout.name, problems)
    return {seeker.column.heading: seeker.keys() for seeker in seekers}


class _Seeker:
    """Gathers the keys for one column."""

    def __init__(self, column: Column, known: Iterable[str]) -> None:
        assert column.spread is not None
        self.column, self._how = column, column.spread
        self._selection = compile_path(_path(self._how).segments, is_level=lambda names: False)
        self._keys: dict[str, None] = dict.fromkeys(known)
        self._most = len(self._keys)

    def look_at(self, record: Any) -> None:
        for value in self._selection.find(record):
            if self._how.numbered:
                self._most = max(self._most, len(value) if isinstance(value, list) else 1)
            elif self._how.of_mapping:
                self._keys.update(dict.fromkeys(value if isinstance(value, dict) else ()))
            else:
                for key in value if isinstance(value, list) else [value]:
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


def _path(how: Spread) -> n.Path:
    """The path whose values are the keys; of a mapping, and for places, what holds them."""
    node = how.level.node if how.numbered or how.of_mapping else how.named_by.node
    assert isinstance(node, n.Path)
    if how.of_mapping:
        node = msgspec.structs.replace(node, segments=node.segments[:-1])
    return node
