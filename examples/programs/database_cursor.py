"""Rows of a query; once the table is left, the database is free again."""

from __future__ import annotations

import sqlite3

import flatledger

stores = sqlite3.connect(":memory:")
stores.execute("create table stock (part text, bay text, count integer)")
stores.executemany(
    "insert into stock values (?, ?, ?)", [("wick", "A1", 4), ("wick", "B2", 3), ("oil", "A1", 7)]
)
layout = {
    "row-per-group": ["part"],
    "columns": [{"Part": "part"}, {"In stock": "sum(count)"}, {"Bays": "listagg(bay, ' ')"}],
    "sort": ["Part"],
}
with flatledger.table(layout, stores.execute("select * from stock")) as table:
    rows = list(table)
stores.execute("drop table stock")
stores.close()
assert rows == [("oil", 7, "A1"), ("wick", 7, "A1 B2")]
print(rows)
