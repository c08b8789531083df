"""Objects of a program's own: dataclasses with lists of others, with days and decimals."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass, field
from decimal import Decimal

import flatledger


@dataclass
class Part:
    code: str
    price: Decimal


@dataclass
class Order:
    no: int
    raised: dt.date
    parts: list[Part] = field(default_factory=list)


orders = [
    Order(
        1, dt.date(2026, 3, 2), [Part("WK-10", Decimal("2.50")), Part("LB-12", Decimal("10.00"))]
    ),
    Order(2, dt.date(2026, 3, 9)),
]
layout = {
    "columns": [
        {"No": "no"},
        {"Raised": "raised"},
        {"Parts": "count(parts)"},
        {"Sum": {"value": "sum(parts.price)", "total": "sum"}},
    ]
}
rows = list(flatledger.table(layout, orders))
assert rows == [(1, dt.date(2026, 3, 2), 2, Decimal("12.50")), (2, dt.date(2026, 3, 9), 0, None)]
print(rows)
