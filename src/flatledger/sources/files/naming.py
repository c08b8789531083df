"""What a file is that can't be read as records, told by how it begins."""

from __future__ import annotations

from ...run.decoding import NO_RECORD
from ...values.faults import shown

READABLE = "JSON, XML, delimited text and workbooks can be read (`format` states which)"
_SHOWN = 40
_NEVER_READ = {  # whatever format is stated
    b"SQLite format 3\0": "a SQLite database",
    b"PAR1": "a columnar file (Parquet)",
    b"ARROW1": "a columnar file (Arrow)",
    b"ORC": "a columnar file (ORC)",
    b"Obj\x01": "an Avro file",
    b"\x89HDF": "an HDF5 file",
    b"%PDF": "a PDF",
    b"7z\xbc\xaf": "a 7z archive",
    b"Rar!": "a RAR archive",
    b"{\\rtf": "a text document (RTF)",
    b"GIF8": "a picture (GIF)",
    b"\x7fELF": "a program",
    b"\xd0\xcf\x11\xe0": "a workbook of the old kind (XLS), or one with a password",
}
_BEGINNINGS = {
    b"PK\x03\x04": "a ZIP file, such as a workbook",
    b"\x89PNG": "a picture",
    b"\xff\xd8\xff": "a picture",
    b"\x28\xb5\x2f\xfd": "packed by Zstandard",
    b"BZh": "packed by bzip2",
    b"\xfd7zXZ": "packed by xz",
    b"<": "XML or HTML",
}
_DELIMITERS = {b";": "semicolons", b"\t": "tabs", b",": "commas", b"|": "bars"}


def nothing_read(name: str, text: bytes, first_fault: str) -> str:
    """What to say of a source in which nothing could be read. ``text`` is what it begins with.

    >>> nothing_read("data.xml", b"<r>", "")
    'data.xml is not JSON, but XML or HTML (line 1 begins `<r>`); JSON, XML, delimited text and \
workbooks can be read (`format` states which)'
    """
    if text.lstrip()[:1] in (b"{", b"["):
        return f"{name}: nothing in it can be read; {first_fault}"
    if NO_RECORD in first_fault:
        return f"{name} holds no record; {first_fault}"
    begins = shown(text[:_SHOWN].decode("utf-8", "replace"))
    return f"{name} is not JSON{_kind(text)} (line 1 begins `{begins}`); {READABLE}"


def never_read(head: bytes) -> str:
    """What a beginning is that no format takes; blank for any other.

    >>> never_read(b"SQLite format 3\\0..."), never_read(b"ORCHID,2")
    ('a SQLite database', '')
    """
    if head[257:262] == b"ustar":
        return "an archive (tar)"
    if head.isascii() and b"\0" not in head and not head.startswith((b"%PDF", b"{\\rtf")):
        return ""  # a heading may begin so
    return next((kind for start, kind in _NEVER_READ.items() if head.startswith(start)), "")


def what_it_is(head: bytes) -> str:
    """What a beginning is that is not of text with cells; blank where it may be such.

    >>> what_it_is(b"%PDF-1.7"), what_it_is(b"No,Part")
    ('a PDF', '')
    """
    known = {**_NEVER_READ, **_BEGINNINGS}
    kind = next((kind for start, kind in known.items() if head.startswith(start)), "")
    if not kind and b"\0" in head:
        kind = "bytes that are no text, or UTF-16 without a byte order mark"
    return kind


def _kind(text: bytes) -> str:
    kind = what_it_is(text[:_SHOWN])
    line = text.split(b"\n", 1)[0]
    parted = [words for mark, words in _DELIMITERS.items() if mark in line]
    if not kind and parted and line[:1] not in b'"-0123456789':
        kind = f"perhaps delimited text with {parted[0]}"
    return f", but {kind}" if kind else ""
