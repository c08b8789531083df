"""Python objects as the plain data that a record in a file would have."""

from __future__ import annotations

import dataclasses
import datetime as dt
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence, Set
from decimal import Decimal
from enum import Enum
from functools import lru_cache
from math import isfinite
from operator import attrgetter
from pathlib import PurePath
from typing import Any, NamedTuple
from uuid import UUID

import msgspec

from ...errors import SourceError
from ...extras import loaded
from ...values.literals import Interval
from ...values.numbers import Unreadable, read_fraction

Members = Callable[[Any], Iterable[tuple[str, Any]]]
_AS_THEY_ARE = {str, int, bool, type(None)}


def exact(value: Any) -> Any:
    """The same data with each binary float as the decimal that it shows, objects as mappings.

    >>> exact({"price": 0.1, "no": 1, "day": dt.date(2026, 3, 31)})
    {'price': Decimal('0.1'), 'no': 1, 'day': datetime.date(2026, 3, 31)}
    """
    kind = value.__class__
    if kind in _AS_THEY_ARE:
        return value
    if isinstance(value, Mapping):
        members = {}
        for key, item in value.items():  # a loop: a comprehension would halve the depth possible
            members[key] = exact(item)
        return members
    if isinstance(value, Interval):
        return str(value)
    if (members_of := members_by(kind)) is not None:
        members = {}
        for key, item in members_of(value):
            if item is not msgspec.UNSET:
                members[key] = exact(item)
        return members
    if isinstance(value, list | tuple):
        entries = []
        for item in value:
            entries.append(exact(item))
        return entries
    return _single(value)


def _single(value: Any) -> Any:
    """A value that is neither an object nor a list."""
    if isinstance(value, Enum):
        return exact(value.value)
    if hasattr(value, "dtype") and hasattr(value, "tolist"):
        return _of_numpy(value)
    if isinstance(value, Decimal):
        return value if value.is_finite() else Unreadable(str(value), "is no number")
    if isinstance(value, float):
        text = float.__repr__(value)
        return read_fraction(text) if isfinite(value) else Unreadable(text, "is no number")
    if isinstance(value, dt.date | dt.time):
        return _moment(value)
    if isinstance(value, dt.timedelta):
        whole = not value % dt.timedelta(days=1)  # hours are not taken for days
        return str(Interval(0, value, None if whole else 0))
    if isinstance(value, UUID | PurePath):
        return str(value)
    if isinstance(value, Set):  # it has no order of its own
        return sorted(map(exact, value), key=_rank)
    return value


def _of_numpy(value: Any) -> Any:
    """A value or array of NumPy. Moments and spans in nanoseconds, which it would give as whole
    numbers, are as exact as Python's where nothing is lost by that, else texts."""
    if getattr(value.dtype, "kind", "") not in ("m", "M"):
        return exact(value.tolist())
    if value.shape:
        return [exact(one) for one in value]
    plain = value.tolist()
    if isinstance(plain, int):
        micro = value.astype(f"{value.dtype.kind}8[us]")
        plain = micro.tolist() if micro == value else str(value)
    return exact(plain)


def _moment(value: dt.date | dt.time) -> dt.date | dt.time | str | None:
    """A day, moment or time of day as one of Python's own classes; where it is more exact than
    these can be, its text; None where it is none, as a frame says of what is missing."""
    if value.__class__ in (dt.date, dt.datetime, dt.time):
        return value
    if value != value:  # as no day or moment is
        return None
    text = value.isoformat()
    own = next(one for one in (dt.datetime, dt.date, dt.time) if isinstance(value, one))
    found = own.fromisoformat(text)
    return found if found.isoformat() == text else text


def _rank(value: Any) -> tuple[bool, Any, str]:
    """Numbers by their size, then all else by its text."""
    number = isinstance(value, int | Decimal) and not isinstance(value, bool)
    return not number, value if number else 0, str(value)


def is_object(value: Any) -> bool:
    """Whether a value is an object with members of its own, and no mapping."""
    kind: Any = type(value)
    return members_by(kind) is not None


@lru_cache(maxsize=1_000)
def members_by(kind: Any) -> Members | None:
    """What gives the members of objects of a class; None where they have none.

    Dataclasses, named tuples, rows with names, msgspec's structs, classes of attrs and models of
    pydantic are known by what each documents of its classes; no package of them is needed.

    >>> from typing import NamedTuple
    >>> class Lamp(NamedTuple):
    ...     no: str
    >>> list(members_by(Lamp)(Lamp("R-1"))), members_by(int)
    ([('no', 'R-1')], None)
    """
    if dataclasses.is_dataclass(kind):
        return _named([field.name for field in dataclasses.fields(kind)])
    if issubclass(kind, Sequence) and hasattr(kind, "_fields"):
        return lambda value: zip(value._fields, value, strict=True)
    if hasattr(kind, "keys") and hasattr(kind, "__getitem__"):  # what dict() takes for a mapping
        return lambda value: dict(value).items()
    if issubclass(kind, msgspec.Struct):
        return _named(kind.__struct_fields__)
    if hasattr(kind, "__attrs_attrs__"):
        return _named([attribute.name for attribute in kind.__attrs_attrs__])
    if hasattr(kind, "model_fields"):
        named = _named([*kind.model_fields, *kind.model_computed_fields])
        return lambda value: [*named(value), *(value.__pydantic_extra__ or {}).items()]
    return None


def _named(names: Iterable[str]) -> Members:
    getters = [(name, attrgetter(name)) for name in names]
    return lambda value: [(name, get(value)) for name, get in getters]


# ---- rows that a program has as a table: of a database cursor, of a data frame


_ROWS = 500


class Rows(NamedTuple):
    """Records made of rows, and what is to be said of their headings."""

    records: Iterable[Any]
    manner: str
    held: Any = ()  # what is closed when they are left


def rows_of(source: Any) -> Rows | None:
    """The rows of a cursor (PEP 249), of a data frame of pandas, or of whatever gives a stream by
    Arrow's C interface: tables, frames, relations of other libraries. None for anything else.

    Equal headings are numbered. What a frame misses is null. Raises SourceError where a cursor has
    no rows, and MissingExtraError where a stream is to be read without pyarrow.
    """
    if hasattr(source, "fetchmany") and hasattr(source, "description"):
        if source.description is None:
            raise SourceError("the cursor has no rows: execute a query with it first")
        names, manner = _headings([column[0] for column in source.description])
        return Rows(_fetched(source, names), manner, source)
    if hasattr(source, "itertuples") and hasattr(source, "notna"):
        names, manner = _headings(list(source.columns))
        found = source.astype(object).where(source.notna(), None)
        rows = found.itertuples(index=False, name=None)
        return Rows([dict(zip(names, row, strict=True)) for row in rows], manner)
    if hasattr(source, "__arrow_c_stream__"):
        arrow = loaded("pyarrow", "arrow", "reading an Arrow stream")
        stream = arrow.RecordBatchReader.from_stream(source)
        names, manner = _headings(stream.schema.names)
        return Rows(_streamed(stream, names), manner, stream)
    return None


def _headings(given: Sequence[Any]) -> tuple[list[str], str]:
    from ..tables.tables import headings_of

    found = headings_of([[str(name) for name in given]], " ")
    return list(found.names), "; ".join(found.notes)


def _streamed(stream: Any, names: Sequence[str]) -> Iterator[Any]:
    for batch in stream:
        columns = [column.to_pylist() for column in batch.columns]
        for row in zip(*columns, strict=True):
            yield dict(zip(names, row, strict=True))


def _fetched(cursor: Any, names: Sequence[str]) -> Iterator[Any]:
    while rows := cursor.fetchmany(_ROWS):
        for row in rows:
            yield row if isinstance(row, Mapping) else dict(zip(names, row, strict=True))
