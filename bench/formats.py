"""Delimited text and workbooks against the bare readers and writers: one job of a process.

    python bench/formats.py JOB FILE [FILE]

The jobs named `bare…` use Python's `csv`, python-calamine and XlsxWriter alone; the others read and
write the same cells by our sources and outputs.
"""

from __future__ import annotations

import csv
import datetime as dt
import gc
import json
import random
import sys
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path

HEADINGS = ("no", "part", "name", "qty", "amount", "day", "note")
COLUMNS = [
    *({name: name} for name in ("no", "part", "name", "qty")),
    {"amount": {"value": "amount", "decimals": 2}},
    {"day": {"value": "day", "datatype": "date"}},
    {"note": "note"},
]


def write_records(path: Path, count: int) -> None:
    """Records whose cells are texts, whole numbers, decimals and dates."""
    chance = random.Random(1)
    with path.open("w", encoding="utf-8") as file:
        for number in range(count):
            cells = (
                f"R-{number:06d}",
                f"P-{chance.randint(1, 999)}",
                chance.choice(("wick", "lamp oil, 1 l", "lens")),
                chance.randint(1, 40),
            )
            amount = f"{chance.randint(1, 999)}.{chance.randint(0, 99):02d}"
            day = dt.date(2026, 1, 1) + dt.timedelta(chance.randint(0, 364))
            record = dict(zip(HEADINGS, cells, strict=False))
            text = json.dumps(record)[:-1]
            file.write(f'{text}, "amount": {amount}, "day": "{day}", "note": "as before"}}\n')


def bare_read_csv(path: str) -> None:
    with open(path, encoding="utf-8", newline="") as file:
        for _ in csv.reader(file):
            pass


def bare_write_csv(source: str, path: str) -> None:
    with open(source, "rb") as lines, open(path, "w", encoding="utf-8", newline="") as file:
        rows = csv.writer(file)
        rows.writerow(HEADINGS)
        for line in lines:
            record = json.loads(line, parse_float=Decimal)
            rows.writerow([record[name] for name in HEADINGS])


def bare_read_xlsx(path: str) -> None:
    from python_calamine import CalamineWorkbook

    CalamineWorkbook.from_path(path).get_sheet_by_index(0).to_python()


def bare_write_xlsx(source: str, path: str) -> None:
    import xlsxwriter

    with xlsxwriter.Workbook(path, {"constant_memory": True}) as book, open(source, "rb") as lines:
        sheet = book.add_worksheet()
        money = book.add_format({"num_format": "0.00"})
        days = book.add_format({"num_format": "yyyy-mm-dd"})
        sheet.write_row(0, 0, HEADINGS)
        for row, line in enumerate(lines, 1):
            record = json.loads(line, parse_float=Decimal)
            for place, name in enumerate(("no", "part", "name")):
                sheet.write_string(row, place, record[name])
            sheet.write_number(row, 3, record["qty"])
            sheet.write_number(row, 4, record["amount"], money)
            sheet.write_datetime(row, 5, dt.date.fromisoformat(record["day"]), days)
            sheet.write_string(row, 6, record["note"])


def read(path: str) -> None:
    """All records of a source in the type that a layout of four columns asks for."""
    import msgspec

    from flatledger.sources import open_source

    workbook = path.endswith(".xlsx")
    kind = object if workbook else str | None
    fields = [(name, kind, None) for name in ("no", "qty", "amount", "note")]
    shape = msgspec.defstruct("Line", fields, gc=False)
    gc.disable()
    with open_source(path).open() as reader:
        for _ in reader.batches(shape, None if workbook else shape):
            pass


def write(source: str, path: str) -> None:
    import flatledger

    flatledger.export({"levels": [], "columns": COLUMNS}, source, path)


JOBS: dict[str, Callable[..., None]] = {
    "bare-read-csv": bare_read_csv,
    "bare-write-csv": bare_write_csv,
    "bare-read-xlsx": bare_read_xlsx,
    "bare-write-xlsx": bare_write_xlsx,
    "read": read,
    "write": write,
}


if __name__ == "__main__":
    JOBS[sys.argv[1]](*sys.argv[2:])
