"""Rows that a program has as a table: of a database cursor, of a data frame."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from ..errors import SourceError

_ROWS = 500


class Rows(NamedTuple):
    """Records made of rows, and what is to be said of their headings."""

    records: Iterable[Any]
    manner: str


def rows_of(source: Any) -> Rows | None:
    """The rows of a cursor (PEP 249) or of a data frame of pandas; None for anything else.

    Equal headings are numbered. What a frame misses is null. Raises SourceError where a cursor has
    no rows.
    """
    if hasattr(source, "fetchmany") and hasattr(source, "description"):
        if source.description is None:
            raise SourceError("the cursor has no rows: execute a query with it first")
        names, manner = _headings([column[0] for column in source.description])
        return Rows(_fetched(source, names), manner)
    if hasattr(source, "itertuples") and hasattr(source, "notna"):
        names, manner = _headings(list(source.columns))
        found = source.astype(object).where(source.notna(), None)
        rows = found.itertuples(index=False, name=None)
        return Rows([dict(zip(names, row, strict=True)) for row in rows], manner)
    return None


def _headings(given: Sequence[Any]) -> tuple[list[str], str]:
    from .tables import headings_of

    found = headings_of([[str(name) for name in given]], " ")
    return list(found.names), "; ".join(found.notes)


def _fetched(cursor: Any, names: Sequence[str]) -> Iterator[Any]:
    while rows := cursor.fetchmany(_ROWS):
        for row in rows:
            yield row if isinstance(row, Mapping) else dict(zip(names, row, strict=True))
