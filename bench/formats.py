"""Delimited text, workbooks and XML against the bare readers and writers: one job of a process.

    python bench/formats.py JOB FILE [FILE]

The jobs named `bare…` use Python's `csv`, python-calamine, XlsxWriter and lxml alone; the others
read and write the same cells by our sources and outputs.
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


ELEMENTS = (  # the ten columns of a table over XML
    *("@no", "@status", "raised", "station", "keeper", "carriage", "part", "qty", "unit_price"),
    "note",
)


def write_elements(path: Path, count: int) -> None:
    """The same kind of records as elements, some with attributes."""
    chance = random.Random(1)
    with path.open("w", encoding="utf-8") as file:
        file.write("<requisitions>\n")
        for number in range(count):
            part = chance.choice(("wick", "lamp oil, 1 l", "lens"))
            file.write(
                f'  <requisition no="R-{number:06d}" status="sent">\n'
                f"    <raised>2026-{chance.randint(1, 12):02}-11</raised>\n"
                f'    <station code="S{chance.randint(1, 8)}">Holm Skerry</station>\n'
                "    <keeper>Rua Oban</keeper>\n"
                f"    <carriage>{chance.randint(1, 90)}.50</carriage>\n"
                f"    <part>{part}</part>\n    <qty>{chance.randint(1, 40)}</qty>\n"
                f"    <unit_price>{chance.randint(1, 999)}.25</unit_price>\n"
                "    <note>as before</note>\n    <checked>yes</checked>\n  </requisition>\n"
            )
        file.write("</requisitions>\n")


def bare_read_xml(path: str) -> None:
    """Each element as it ends, and nothing done with it, but that it is let go."""
    from lxml import etree

    for _, element in etree.iterparse(path):
        if element.tag == "requisition":
            element.clear()


def read_xml(path: str) -> None:
    """All records in the type that a layout of ten columns asks for."""
    import msgspec

    from flatledger.sources import open_source
    from flatledger.sources.files.options import Options

    fields = [(f"f{at}", str | None, None) for at in range(len(ELEMENTS))]
    names = {f"f{at}": name for at, name in enumerate(ELEMENTS)}
    shape = msgspec.defstruct("Requisition", fields, rename=names, gc=False)
    gc.disable()
    with open_source(path, Options(records=(("requisition",),))).open() as reader:
        for _ in reader.batches(shape, shape):
            pass


def table_xml(path: str, table: str) -> None:
    """The table of ten columns, written."""
    import flatledger

    columns = [{name.strip("@"): f"$['{name}']"} for name in ELEMENTS]
    source = {"records": "requisition"}
    flatledger.export({"levels": [], "source": source, "columns": columns}, path, table)


TAGS = ("001", "008", "/07-10", "245", "$a", "$c", "700", "$e", "852", "$h", "$p")


def write_catalogue(path: Path, count: int) -> None:
    """Records of a catalogue in ISO 2709."""
    from pymarc import Field, Indicators, Leader, Record, Subfield

    def field(tag: str, *parts: tuple[str, str]) -> Field:
        subfields = [Subfield(code, text) for code, text in parts]
        return Field(tag=tag, indicators=Indicators("1", " "), subfields=subfields)

    made = Record(force_utf8=True)
    made.leader = Leader("00000cam a2200000 a 4500")
    made.add_field(Field(tag="001", data="SLT-0001"))
    made.add_field(Field(tag="008", data="260101s1884    xx            000 0 eng  "))
    made.add_field(field("245", ("a", "Logbook of Holm Skerry /"), ("c", "Rua Óban.")))
    for name in ("Lind, Ansa", "Fenn, Tobias"):
        made.add_field(field("700", ("a", name), ("e", "mate"), ("e", "cook")))
    for place in ("A2", "A10"):
        made.add_field(field("852", ("a", "HOLM"), ("h", place), ("p", "3001")))
    path.write_bytes(made.as_marc() * count)


def bare_read_marc(path: str) -> None:
    from pymarc import MARCReader

    with open(path, "rb") as file:
        for _ in MARCReader(file):
            pass


def read_marc(path: str) -> None:
    """All records as a layout of ten columns asks for them."""
    from flatledger.sources import open_source
    from flatledger.sources.files.options import Options

    gc.disable()
    with open_source(path, Options(asked=frozenset(TAGS))).open() as reader:
        for _ in reader.batches():
            pass


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
    "bare-read-marc": bare_read_marc,
    "read-marc": read_marc,
    "bare-read-xml": bare_read_xml,
    "read-xml": read_xml,
    "table-xml": table_xml,
    "read": read,
    "write": write,
}


if __name__ == "__main__":
    JOBS[sys.argv[1]](*sys.argv[2:])
