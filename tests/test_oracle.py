"""Any layout over any records against plain nested loops that share no code with the engine."""

from __future__ import annotations

import copy
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from decimal import ROUND_HALF_EVEN, Decimal
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import table

LEVELS = ("record", "lines", "lines.lots")
small = st.none() | st.integers(0, 4)
price = st.decimals(0, 9, places=2)
lots = st.lists(st.fixed_dictionaries({"w": small}), max_size=3)
lines = st.lists(
    st.fixed_dictionaries(
        {"part": st.sampled_from(["x", "y", None]), "qty": small, "each": price, "lots": lots}
    ),
    max_size=3,
)
records = st.lists(
    st.fixed_dictionaries(
        {
            "site": st.sampled_from(["a", "b", None]),
            "fee": st.none() | price,
            "lines": lines,
            "payments": st.lists(st.fixed_dictionaries({"sum": small}), max_size=2),
        }
    ),
    max_size=5,
)


@dataclass(frozen=True)
class Field:
    """A column of the test: its home by the place in LEVELS, its expression, its plain value."""

    home: int
    text: str
    value: Callable[[Any], Any]
    decimals: int | None = None


def amount(line: Any) -> Any:
    if line["qty"] is None:
        return None
    return (line["qty"] * line["each"]).quantize(Decimal("0.1"), ROUND_HALF_EVEN)


def paid(record: Any) -> Any:
    sums = [one["sum"] for one in record["payments"] if one["sum"] is not None]
    return sum(sums) if sums else None


FIELDS = {
    "Site": Field(0, "site", lambda record: record["site"]),
    "Fee": Field(0, "fee", lambda record: record["fee"]),
    "Paid": Field(0, "sum(payments.sum)", paid),
    "Part": Field(1, "lines.part", lambda line: line["part"]),
    "Qty": Field(1, "lines.qty", lambda line: line["qty"]),
    "Amount": Field(1, "lines.qty * lines.each", amount, 1),
    "Weight": Field(2, "lines.lots.w", lambda lot: lot["w"]),
}
CONDITIONS: dict[str, tuple[int, Callable[[Any], bool]]] = {
    "fee > 2": (0, lambda record: record["fee"] is not None and record["fee"] > 2),
    "site = 'a'": (0, lambda record: record["site"] == "a"),
    "lines.qty >= 2": (1, lambda line: line["qty"] is not None and line["qty"] >= 2),
    "lines.lots.w <> 3": (2, lambda lot: lot["w"] is not None and lot["w"] != 3),
}
KINDS: dict[str, Callable[[list[Any]], Any]] = {
    "sum": lambda found: sum(found) if found else None,
    "count": len,
    "min": lambda found: min(found, default=None),
    "max": lambda found: max(found, default=None),
}
Chain = tuple[Any, ...]  # the record, its line and its lot, as far as they are there


def below(entry: Any, level: int) -> list[Any]:
    found: list[Any] = entry["lines" if level == 1 else "lots"]
    return found


def kept(entry: Any, level: int, row: int, conditions: set[str], drop: bool) -> bool:
    """Whether an entry is kept; what lies below it is cut down to what is kept."""
    if level < row:
        entries = below(entry, level + 1)
        had = bool(entries)
        entries[:] = [one for one in entries if kept(one, level + 1, row, conditions, drop)]
        if not entries and (had or drop):
            return False
    own = [CONDITIONS[text] for text in conditions]
    return all(test(entry) for home, test in own if home == level)


def chains(chain: Chain, row: int) -> Iterator[Chain]:
    """The rows of an entry: one for each at the row's level, or one that ends where none are."""
    entries = below(chain[-1], len(chain)) if len(chain) <= row else []
    if not entries:
        yield chain
    for entry in entries:
        yield from chains((*chain, entry), row)


def cell(chain: Chain, field: Field) -> Any:
    return field.value(chain[field.home]) if field.home < len(chain) else None


def total(rows: list[Chain], field: Field, kind: str) -> Any:
    """A total over rows: each entry of the column's home once."""
    entries = {id(c[field.home]): c[field.home] for c in rows if field.home < len(c)}
    values = [field.value(entry) for entry in entries.values()]
    return KINDS[kind]([value for value in values if value is not None])


def in_order(rows: list[Any], keys: list[tuple[Callable[[Any], Any], bool]]) -> list[Any]:
    """Rows by several keys, blanks last whichever way a key goes."""
    for value, down in reversed(keys):
        filled = [row for row in rows if value(row) is not None]
        filled.sort(key=value, reverse=down)
        rows = filled + [row for row in rows if value(row) is None]
    return rows


@st.composite
def layouts(draw: st.DrawFn) -> dict[str, Any]:
    row = draw(st.integers(0, 2))
    headings = [heading for heading, field in FIELDS.items() if field.home <= row]
    groups = [heading for heading in ("Site", "Part") if heading in headings]
    conditions = [text for text, (home, _) in CONDITIONS.items() if home <= row]
    detail = draw(st.booleans())
    return {
        "row": row,
        "headings": draw(st.permutations(headings)),
        "totals": {
            heading: draw(st.sampled_from(sorted(KINDS)))
            for heading in headings
            if heading not in ("Site", "Part")
        },
        "only": draw(st.sets(st.sampled_from(conditions))),
        "group": draw(st.lists(st.sampled_from(groups), unique=True)),
        "sort": draw(
            st.lists(st.tuples(st.sampled_from(headings), st.booleans()), unique_by=lambda s: s[0])
        )
        if detail
        else [],
        "place": draw(st.sampled_from(["after", "before", "none"])),
        "detail": detail,
    }


def as_layout(choice: dict[str, Any]) -> dict[str, Any]:
    columns = []
    for heading in choice["headings"]:
        column: dict[str, Any] = {"value": FIELDS[heading].text}
        if FIELDS[heading].decimals is not None:
            column["decimals"] = FIELDS[heading].decimals
        if heading in choice["totals"]:
            column["total"] = choice["totals"][heading]
        columns.append({heading: column})
    return {
        "levels": ["lines", "lines.lots", "payments"],
        "row-per": LEVELS[choice["row"]],
        "columns": columns,
        "only": sorted(choice["only"]),
        "group": choice["group"],
        "sort": [f"{heading}{' desc' if down else ''}" for heading, down in choice["sort"]],
        "totals": {"subtotals": choice["place"], "detail": "yes" if choice["detail"] else "no"},
    }


class Expected:
    """The table of a layout, worked out the plain way."""

    def __init__(self, choice: dict[str, Any], source: list[Any]) -> None:
        self.choice, self.row = choice, choice["row"]
        self.fields = [FIELDS[heading] for heading in choice["headings"]]
        conditions = choice["only"]
        drop = self.row > 0 and any(CONDITIONS[one][0] == self.row for one in conditions)
        self.kept = [one for one in source if kept(one, 0, self.row, conditions, drop)]
        self.rows = [chain for record in self.kept for chain in chains((record,), self.row)]

    def table(self) -> list[tuple[Any, ...]]:
        group, ways = self.choice["group"], dict(self.choice["sort"])
        keys = [(self._value(heading), ways.get(heading, False)) for heading in group]
        keys += [(self._value(h), down) for h, down in self.choice["sort"] if h not in group]
        body = self._groups(in_order(self.rows, keys), 0)
        grand = [self._total_row(self.rows, (), "Grand total")] if self.choice["totals"] else []
        first = self.choice["place"] == "before" and (
            self.choice["group"] or not self.choice["detail"]
        )
        return grand + body if first else body + grand

    def _value(self, heading: str) -> Callable[[Chain], Any]:
        return lambda chain: cell(chain, FIELDS[heading])

    def _groups(self, rows: list[Chain], depth: int) -> list[tuple[Any, ...]]:
        """The rows of a group: of each group within it, then or before that its total."""
        group = self.choice["group"]
        if depth == len(group):
            if self.choice["detail"]:
                return [tuple(cell(chain, field) for field in self.fields) for chain in rows]
            return [self._summary_row(rows)] if rows and group else []
        parts: dict[Any, list[Chain]] = {}
        for chain in rows:
            parts.setdefault(cell(chain, FIELDS[group[depth]]), []).append(chain)
        found: list[tuple[Any, ...]] = []
        for key, part in parts.items():
            inner = self._groups(part, depth + 1)
            innermost = not self.choice["detail"] and depth + 1 == len(group)
            label = f"Total {'(blank)' if key is None else key}"
            own = [] if innermost or self.choice["place"] == "none" else [(part, label)]
            totals = [self._total_row(rows, group[: depth + 1], text) for rows, text in own]
            found += totals + inner if self.choice["place"] == "before" else inner + totals
        return found

    def _total(self, rows: list[Chain], heading: str) -> Any:
        return total(rows, FIELDS[heading], self.choice["totals"][heading])

    def _summary_row(self, rows: list[Chain]) -> tuple[Any, ...]:
        first = min(rows, key=self.rows.index)  # as the source has them
        return tuple(
            self._total(rows, heading)
            if heading in self.choice["totals"]
            else cell(first, FIELDS[heading])
            for heading in self.choice["headings"]
        )

    def _total_row(self, rows: list[Chain], group: Any, label: str) -> tuple[Any, ...]:
        totals, headings = self.choice["totals"], self.choice["headings"]
        cells = {heading: self._total(rows, heading) for heading in totals}
        cells |= {heading: cell(rows[0], FIELDS[heading]) for heading in group}
        free = [heading for heading in headings if heading not in totals]
        place = (group or self.choice["group"] or free)[-1 if group else 0]
        return tuple(label if heading == place else cells.get(heading) for heading in headings)


@settings(max_examples=100)
@given(layouts(), records)
def test_a_table_is_what_nested_loops_make_of_it(choice: dict[str, Any], source: list[Any]) -> None:
    rows, balance = table(as_layout(choice), source)
    expected = Expected(choice, copy.deepcopy(source))
    assert rows == expected.table()
    assert balance.balanced
    assert balance.read == len(source)
    for column in balance.columns:
        found = total(expected.rows, FIELDS[column.heading], column.aggregate)
        assert column.total == (found or 0 if column.aggregate == "sum" else found)
