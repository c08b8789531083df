"""The same facts as mappings, as objects of every kind, and as rows of a program's tables."""

from __future__ import annotations

import dataclasses
import datetime as dt
import sqlite3
import uuid
from collections.abc import Callable, Iterator
from contextlib import suppress
from decimal import Decimal
from enum import Enum
from pathlib import PurePosixPath
from types import MappingProxyType
from typing import Any, NamedTuple

import attrs
import msgspec
import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import flatledger
from flatledger.values.functions import text_of
from tests.by_definition import chosen

LAYOUT = {
    "row-per": "lines",
    "columns": [
        {"No": "no"},
        {"Keeper": "keeper.name"},
        {"Part": "lines.part"},
        {"Sum": {"value": "lines.qty * lines.price", "total": "sum"}},
    ],
}


@dataclasses.dataclass
class Line:
    part: str
    qty: int
    price: Any


class Keeper(NamedTuple):
    name: str | None


@attrs.define
class Order:
    no: int
    keeper: Any
    lines: Any


class Structure(msgspec.Struct):
    no: int
    keeper: Any = msgspec.UNSET
    lines: Any = ()


class Model:
    """An object as pydantic makes them, with the names that it documents."""

    model_fields = MappingProxyType({"no": None, "keeper": None})
    model_computed_fields = MappingProxyType({"lines": None})
    __pydantic_extra__ = None

    def __init__(self, no: int, keeper: Any, lines: Any) -> None:
        self.no, self.keeper, self._lines = no, keeper, lines

    @property
    def lines(self) -> Any:
        return self._lines


def as_mappings(no: int, name: str | None, lines: list[Any]) -> Any:
    keys = ("part", "qty", "price")
    return {
        "no": no,
        "keeper": {"name": name},
        "lines": [dict(zip(keys, line, strict=True)) for line in lines],
    }


def as_objects(kind: Callable[..., Any]) -> Callable[..., Any]:
    return lambda no, name, lines: kind(no, Keeper(name), tuple(Line(*line) for line in lines))


KINDS = [as_objects(Order), as_objects(Structure), as_objects(Model)]
KINDS.append(lambda *facts: MappingProxyType(as_mappings(*facts)))
facts = st.lists(
    st.tuples(
        st.integers(1, 99),
        st.none() | st.sampled_from(["Marrow", "Ilse"]),
        st.lists(
            st.tuples(
                st.sampled_from(["wick", "bulb"]),
                st.integers(0, 9),
                st.sampled_from([0.1, 2.5, Decimal("2.50"), 3]),
            ),
            max_size=3,
        ),
    ),
    min_size=1,
    max_size=5,
)


@given(facts, st.data())
def test_objects_give_what_mappings_give(data: list[Any], draw: st.DataObject) -> None:
    wanted = list(flatledger.table(LAYOUT, [as_mappings(*one) for one in data]))
    makers = [draw.draw(st.sampled_from(KINDS)) for _ in data]
    mixed = [make(*one) for make, one in zip(makers, data, strict=True)]
    assert list(flatledger.table(LAYOUT, mixed)) == wanted
    assert list(flatledger.table(LAYOUT, iter(mixed))) == wanted


def test_values_are_as_a_file_would_have_them() -> None:
    class Kind(Enum):
        LAMP = "lamp"

    made = uuid.UUID(int=7)
    values = {
        Kind.LAMP: "lamp",
        made: str(made),
        PurePosixPath("a/b"): "a/b",
        dt.timedelta(days=1, hours=2): "PT26H",
        dt.date(2026, 3, 31): dt.date(2026, 3, 31),
        pd.Timestamp("2026-03-31T10:00:00.5"): dt.datetime(2026, 3, 31, 10, 0, 0, 500_000),
        pd.Timestamp("2026-03-31T10:00:00.000000001"): "2026-03-31T10:00:00.000000001",
        flatledger.Interval(14, dt.timedelta(days=3)): "P14M3D",
        np.int64(7): 7,
        np.datetime64("2026-03-31"): dt.date(2026, 3, 31),
        np.datetime64("2026-03-31T10:00", "ns"): dt.datetime(2026, 3, 31, 10),
        np.datetime64("2026-03-31T10:00:00.000000001", "ns"): "2026-03-31T10:00:00.000000001",
        np.datetime64("NaT", "ns"): None,
        pd.NaT: None,
        np.timedelta64(90 * 60 * 10**9, "ns"): "PT1H30M",
        np.float64(0.1): Decimal("0.1"),
        frozenset({"b", "a", 10, 9}): "9; 10; a; b",
    }
    records = [{"v": value} for value in values]
    rows = flatledger.table({"columns": [{"V": {"value": "v", "separator": "; "}}]}, records)
    assert [row[0] for row in rows] == list(values.values())
    assert "keeper" not in [field.path for field in flatledger.survey([Structure(1)]).fields]
    with pytest.raises(flatledger.SourceError, match="a single record is no list"):
        flatledger.survey(Keeper("Ilse"))


def typed(value: Any) -> Any:
    """The same data with each text that is a day or a moment as such."""
    if isinstance(value, dict):
        return {name: typed(one) for name, one in value.items()}
    if isinstance(value, list):
        return [typed(one) for one in value]
    if isinstance(value, str) and value[4:5] == "-":
        for kind in (dt.date, dt.datetime):
            with suppress(ValueError):
                if (found := kind.fromisoformat(value)).isoformat() == value:
                    return found
    return value


@settings(max_examples=150)
@given(st.randoms(use_true_random=False), st.booleans())
def test_days_and_moments_are_what_their_texts_are(seed: Any, groups: bool) -> None:
    """They stay what they are, and nothing is otherwise but their order among texts (rule 22)."""
    chance, records = chosen(seed)
    layout = chance.grouped() if groups else chance.table()
    layout.pop("take", None)  # which goes by the order

    def made(source: list[Any]) -> Any:
        try:
            rows = flatledger.table(layout, source)
            found = sorted([*map(text_of, row)] for row in rows.rows(totals=True))
        except flatledger.FlatLedgerError as error:
            return str(error)
        assert rows.balance.balanced, rows.balance.wrong
        return found, rows.balance.fault_count

    assert made(typed(records)) == made(records)


DATABASES: list[sqlite3.Connection] = []


@pytest.fixture(autouse=True)
def _databases_are_closed() -> Iterator[None]:
    yield
    while DATABASES:
        DATABASES.pop().close()


def database() -> sqlite3.Connection:
    """A database that is closed when the test has ended."""
    DATABASES.append(sqlite3.connect(":memory:"))
    return DATABASES[-1]


def cursor(rows: list[Any]) -> sqlite3.Cursor:
    made = database()
    made.execute("create table t (no integer, name text, price real)")
    made.executemany("insert into t values (?, ?, ?)", rows)
    return made.execute("select no, name, price, no + 1 as no from t")


def frame(rows: list[Any]) -> Any:
    wide = [(*row, row[0] + 1) for row in rows]
    return pd.DataFrame(wide, columns=["no", "name", "price", "no"])


class Bare:
    """A cursor that is no iterator, as the standard allows, and whose rows are mappings."""

    def __init__(self, rows: list[Any]) -> None:
        self._cursor = cursor(rows)
        self.description = self._cursor.description

    def fetchmany(self, size: int) -> list[Any]:
        names = ("no", "name", "price", "no_2")
        return [dict(zip(names, row, strict=True)) for row in self._cursor.fetchmany(size)]


@pytest.mark.parametrize("made", [cursor, frame, Bare])
def test_rows_of_a_cursor_and_of_a_data_frame(made: Callable[[list[Any]], Any]) -> None:
    rows = [
        (n, None if n % 3 else f"part {n}", None if n % 5 == 0 else n / 10) for n in range(1_203)
    ]
    columns = [{"No": "no"}, {"Name": "name"}, {"Price": "price"}, {"Next": "no_2"}]
    table = flatledger.table({"columns": columns}, made(rows))
    wanted = [(n, name, None if p is None else Decimal(repr(p)), n + 1) for n, name, p in rows]
    assert list(table) == wanted
    if made is not Bare:
        assert table.balance.manner == "no_2 is the second column headed no"
    assert table.balance.faults == []


def test_rows_that_were_fetched_already() -> None:
    class Row(list[Any]):
        """A row whose names are its own and not its class's."""

        _fields = property(lambda _: ("no", "name"))

    found = cursor([(1, "wick", 0.5), (2, None, None)])
    found.row_factory = sqlite3.Row
    layout = {"columns": [{"No": "no"}, {"Name": "name"}]}
    for rows in (found.fetchall(), [Row([1, "wick"]), Row([2, None])]):
        assert list(flatledger.table(layout, rows)) == [(1, "wick"), (2, None)]
    assert list(flatledger.table(layout, pd.DataFrame({"no": [], "name": []}))) == []


def test_a_cursor_without_a_query_is_refused() -> None:
    with pytest.raises(flatledger.SourceError, match="execute a query"):
        flatledger.survey(database().cursor())


def test_objects_that_hold_themselves_are_refused() -> None:
    one = Order(1, None, [])
    one.lines.append(one)

    def endless() -> Iterator[Any]:
        yield one

    with pytest.raises(flatledger.SourceError, match="holds itself"):
        list(flatledger.table(LAYOUT, endless()))
