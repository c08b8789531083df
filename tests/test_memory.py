"""Small files that would fill the memory: each is refused, or read, in less than 500 MB."""

from __future__ import annotations

import bz2
import gzip
import io
import os
import resource
import sys
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest
from fuzz.hostile import read

MOST_FILE, MOST_SECONDS = 5 << 20, 60
MOST_MEMORY = 440 << 20  # beside the 60 MB that Python and the package take
KINDS = "http://schemas.openxmlformats.org/package/2006"
OFFICE = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
RELATED = '<Relationship Id="r{0}" Type="' + OFFICE + '/{1}" Target="{2}"/>'
MAIN = 'xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"'
WORKBOOK = {
    "[Content_Types].xml": f'<Types xmlns="{KINDS}/content-types">'
    '<Default Extension="rels" '
    'ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
    '<Default Extension="xml" ContentType="application/xml"/></Types>',
    "_rels/.rels": f'<Relationships xmlns="{KINDS}/relationships">'
    f"{RELATED.format(1, 'officeDocument', 'xl/workbook.xml')}</Relationships>",
    "xl/workbook.xml": f'<workbook {MAIN} xmlns:r="{OFFICE}"><sheets>'
    '<sheet name="A" sheetId="1" r:id="r1"/></sheets></workbook>',
    "xl/_rels/workbook.xml.rels": f'<Relationships xmlns="{KINDS}/relationships">'
    f"{RELATED.format(1, 'worksheet', 'worksheets/sheet1.xml')}"
    f"{RELATED.format(2, 'sharedStrings', 'sharedStrings.xml')}</Relationships>",
}


def zipped(parts: dict[str, str]) -> bytes:
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, text in parts.items():
            packed.writestr(name, text)
    return file.getvalue()


def workbook(rows: str, shared: str = "") -> bytes:
    sheet = f"<worksheet {MAIN}><sheetData>{rows}</sheetData></worksheet>"
    strings = f"<sst {MAIN}>{shared}</sst>"
    return zipped({**WORKBOOK, "xl/worksheets/sheet1.xml": sheet, "xl/sharedStrings.xml": strings})


def one_long_shared_text() -> bytes:
    rows = "".join(f'<row r="{n}"><c r="A{n}" t="s"><v>0</v></c></row>' for n in range(1, 3_001))
    return workbook(rows, f"<si><t>{'x' * 1_900_000}</t></si>")


def one_long_text_in_pieces() -> bytes:
    """The same, made to look short, with other names and quotes."""
    rows = "".join(
        f"<row r='{n}'><c r = 'A{n}' t = 's'><v>0</v></c></row>" for n in range(1, 3_001)
    )
    text = "<![CDATA[</si>]]>".join(["x" * 19_000] * 100)
    return workbook(rows, f"<si><t>{text}</t></si>")


def a_cell_far_away_in_other_quotes() -> bytes:
    return workbook(
        "<row r='1'><c r='a1'><v>1</v></c></row><row><c r='ak1048576'><v>1</v></c></row>"
    )


def two_cells_far_apart() -> bytes:
    return workbook(
        '<row r="1"><c r="A1"><v>1</v></c></row>'
        '<row r="1048576"><c r="AK1048576"><v>1</v></c></row>'
    )


def many_cells() -> bytes:
    row = "".join(f"<c><v>{n % 10}</v></c>" for n in range(1_000))
    return workbook(f"<row>{row}</row>" * 9_000)


def opendocument(rows: str) -> bytes:
    names = ("office", "table", "text")
    spaces = " ".join(
        f'xmlns:{one}="urn:oasis:names:tc:opendocument:xmlns:{one}:1.0"' for one in names
    )
    content = (
        f"<office:document-content {spaces}><office:body><office:spreadsheet>"
        f'<table:table table:name="A">{rows}</table:table>'
        "</office:spreadsheet></office:body></office:document-content>"
    )
    kind = "application/vnd.oasis.opendocument.spreadsheet"
    manifest = (
        '<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0">'
        f'<manifest:file-entry manifest:full-path="/" manifest:media-type="{kind}"/>'
        "</manifest:manifest>"
    )
    return zipped({"mimetype": kind, "content.xml": content, "META-INF/manifest.xml": manifest})


def repeated_cells() -> bytes:
    cell = (
        '<table:table-cell table:number-columns-repeated="1000" office:value-type="float" '
        'office:value="1"><text:p>1</text:p></table:table-cell>'
    )
    return opendocument(
        f'<table:table-row table:number-rows-repeated="1000000">{cell}</table:table-row>'
    )


def repeated_text() -> bytes:
    cell = (
        '<table:table-cell table:number-columns-repeated="1000" office:value-type="string">'
        f"<text:p>{'x' * 1_000_000}</text:p></table:table-cell>"
    )
    return opendocument(f"<table:table-row>{cell}</table:table-row>")


def overlapping_fields() -> bytes:
    """A record of MARC whose directory has the same long field some thousand times."""
    field = b"10\x1fa" + b"x" * 9_900 + b"\x1e"
    entry = b"245%04d00000" % len(field)
    base = 24 + 12 * 7_000 + 1
    length = base + len(field) + 1
    leader = b"%05dnam a22%05d   4500" % (length, base)
    return (leader + entry * 7_000 + b"\x1e" + field + b"\x1d") * 12


def names(count: int, head: str = "<r>", tail: str = "</r>", one: str = "<a{0}/>") -> bytes:
    return (head + "".join(one.format(n) for n in range(count)) + tail).encode()


BOMBS: dict[str, Callable[[], bytes]] = {
    "shared.xlsx": one_long_shared_text,
    "pieces.xlsx": one_long_text_in_pieces,
    "far.xlsx": two_cells_far_apart,
    "quotes.xlsx": a_cell_far_away_in_other_quotes,
    "many.xlsx": many_cells,
    "blanks.xlsx": lambda: workbook(" " * 100_000_000),
    "repeated.ods": repeated_cells,
    "text.ods": repeated_text,
    "objects.json.gz": lambda: gzip.compress(b'{"a":[' + b"{}," * 20_000_000 + b"{}]}", 1),
    "members.json.gz": lambda: gzip.compress(b'[{"a":[' + b'{"b":1.5},' * 5_000_000 + b"1]}]", 1),
    "lists.json.gz": lambda: gzip.compress(b'{"a":[' + b"[]," * 15_000_000 + b"1]}", 1),
    "text.json.gz": lambda: gzip.compress(b'{"a":"' + b"x" * 250_000_000 + b'"}', 1),
    "blanks.json.bz2": lambda: bz2.compress(b" " * 60_000_000),
    "cells.csv.gz": lambda: gzip.compress(b"a,b\n" + b"," * 150_000_000, 1),
    "columns.csv": lambda: b"," * 5_000_000 + b"\n1,2\n",
    "quote.csv.gz": lambda: gzip.compress(b'a,b\n"' + b"x\n" * 700_000, 1),
    "rows.csv.gz": lambda: gzip.compress(b"a,b\n" + b"1,2,3\n" * 150_000, 1),
    "fields.mrc": overlapping_fields,
    "names.xml": lambda: names(300_000),
    "attributes.xml": lambda: names(300_000, "<r><a ", "/></r>", 'a{0}="" '),
    "prefixes.xml": lambda: names(100_000, "<r>", "</r>", '<p{0}:a xmlns:p{0}="u{0}"/>'),
    "text.xml.gz": lambda: gzip.compress(b"<r><a>" + b"x" * 150_000_000 + b"</a></r>", 1),
    "elements.xml.gz": lambda: gzip.compress(b"<r><a>" + b"<b/>" * 3_000_000 + b"</a></r>", 1),
    "comment.xml.gz": lambda: gzip.compress(b"<r><!--" + b"x" * 150_000_000 + b"--></r>", 1),
    "keys.json": lambda: names(200_000, '[{"b":1', "}]", ',"k{0}":1'),
    "keys.jsonl": lambda: names(6_000, "", "", '{{"k{0}":1}}\n'),
    "wide.jsonl": lambda: names(100, "", "", '{{"a":[' + "[]," * 4_000 + "{0}]}}\n"),
    "faults.jsonl": lambda: b"{\n" * 40_000,
    "members.zip": lambda: zipped({f"{n}.json": '{"a":1}' for n in range(1_000)}),
    "bomb.zip": lambda: zipped({"a.json": '{"a":"' + "x" * 250_000_000 + '"}'}),
}


def in_a_child(path: Path) -> tuple[int, int]:
    """The largest memory that reading a file takes beside what there was, and how it ended."""
    begin, told = os.pipe()
    child = os.fork()
    if child == 0:
        code = 1
        try:
            resource.setrlimit(resource.RLIMIT_CPU, (MOST_SECONDS, MOST_SECONDS))
            os.write(told, b"%d" % resource.getrusage(resource.RUSAGE_SELF).ru_maxrss)
            read(path)
            code = 0
        except BaseException as error:
            print(f"{path.name}: {error!r:.300}", file=sys.stderr)
        finally:
            os._exit(code)
    _, status, usage = os.wait4(child, 0)
    before = int(os.read(begin, 100))
    os.close(begin)
    os.close(told)
    return (usage.ru_maxrss - before) << 10, status


@pytest.mark.parametrize("name", BOMBS)
def test_a_small_file_fills_no_memory(tmp_path: Path, name: str) -> None:
    path = tmp_path / name
    path.write_bytes(BOMBS[name]())
    assert path.stat().st_size < MOST_FILE
    memory, status = in_a_child(path)
    assert os.waitstatus_to_exitcode(status) == 0
    assert memory < MOST_MEMORY


if __name__ == "__main__":
    import tempfile
    import time

    with tempfile.TemporaryDirectory() as folder:
        for name in sys.argv[1:] or BOMBS:
            path = Path(folder) / name
            path.write_bytes(BOMBS[name]())
            begun = time.monotonic()
            memory, status = in_a_child(path)
            size, seconds = path.stat().st_size >> 10, time.monotonic() - begun
            print(
                f"{name:18} {size:7,} KB {memory >> 20:6,} MB {seconds:5.1f} s {status}", flush=True
            )
            path.unlink()
