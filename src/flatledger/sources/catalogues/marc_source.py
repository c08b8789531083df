"""MARC 21 and its like: records of ISO 2709, or the same as elements (MARCXML, ISO 25577)."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterator, Sequence
from functools import partial
from itertools import chain
from typing import Any, NamedTuple

from ...errors import SourceError
from ...layout.model.source_options import CATALOGUE
from ...run.protocols import Account, Batch
from ...values.faults import Fault, shown
from ...values.own_texts import TEXT
from ..files.options import Options
from ..files.reader import BaseReader
from ..files.reading import Bytes, noting
from ..json.json_values import LOOK_AHEAD
from ..xml.element_building import repeat
from ..xml.xml_elements import RecordElements
from .catalogue_names import LEADER
from .marc_records import (
    END_OF_FIELD,
    END_OF_RECORD,
    BadField,
    BrokenRecordError,
    CatalogueField,
    CatalogueRecord,
    read_record,
)

_NAMESPACES = (
    "http://www.loc.gov/MARC21/slim",
    *("info:lc/xmlns/marcxchange-v1", "info:lc/xmlns/marcxchange-v2"),
)
_BATCH = 500
_BLANKS = b"\r\n \0\x1a"


class Found(NamedTuple):
    """A record, or what of it can be read, or nothing; why it is not whole, what stands there,
    whether its leader says MARC-8 though it is UTF-8, and the fields that are left out of it."""

    record: CatalogueRecord | None
    why: str = ""
    text: str = ""
    mistold: bool = False
    bad: Sequence[BadField] = ()


Finder = Callable[[Iterator[bytes]], Iterator[Found]]


def open_reader(data: Bytes, options: Options) -> MarcReader:
    """A reading of some bytes. Raises SourceError."""
    if options.records:
        what = "its records are those of the catalogue; leave out `records`"
        raise SourceError(f"{data.name}: {what}")
    if data.head.lstrip().startswith(b"<"):
        return MarcReader(data, options, "MARCXML", lambda chunks: _elements(chunks, data, options))
    return MarcReader(
        data, options, "MARC (ISO 2709)", lambda chunks: _records(chunks, data.name, options)
    )


class MarcReader(BaseReader):
    """Reads the records of a catalogue, as plain data."""

    has_own_texts = True

    def __init__(self, data: Bytes, options: Options, manner: str, find: Finder) -> None:
        self.name, self.manner, self._data, self._find = data.name, manner, data, find
        self._make = RecordMaker(options.asked, everything=options.reads_all).record
        self._make_whole = RecordMaker(options.asked, everything=True).record
        self._chunks: Iterator[bytes] = data.chunks()
        self.states = {"format": CATALOGUE}
        self._first: list[Any] | None = None

    def close(self) -> None:
        self._data.close()

    def peek(self) -> list[Any]:
        if self._first is None:
            seen: list[bytes] = []
            self._first = []
            for found in self._find(noting(self._chunks, seen)):
                if found.record is not None:
                    self._first.append(self._make_whole(found.record))
                if len(self._first) >= LOOK_AHEAD:
                    break
            self._chunks = chain(seen, self._chunks)
        return self._first

    def batches(self, record_type: Any = None, exact: Any = None) -> Iterator[Batch]:
        records: list[Any] = []
        numbers: list[int] = []
        faults: list[Fault] = []
        remarks: list[Fault] = []
        mistold, read, first = 0, 0, ""
        last: CatalogueRecord | None = None
        for number, found in enumerate(self._find(self._chunks), 1):
            if found.record is not None:
                records.append(self._make(found.record))
                numbers.append(number)
                last = found.record
                remarks += [Fault(number, "", shown(one.text), one.why) for one in found.bad]
                if found.why:
                    why = f"{found.why}; what can be read of it is taken"
                    remarks.append(Fault(number, "", shown(found.text), why))
            else:
                why = f"{found.why}; the record is left out"
                faults.append(Fault(number, "", shown(found.text), why))
                first = first or why
            mistold += found.mistold
            if len(records) + len(faults) >= _BATCH:
                read += len(records)
                yield Batch(records, numbers, faults, partial(self._whole, last), remarks)
                records, numbers, faults, remarks = [], [], [], []
        if records or faults:
            read += len(records)
            yield Batch(records, numbers, faults, partial(self._whole, last), remarks)
        if first and not read:
            raise SourceError(f"{self.name}: nothing in it can be read; {first}")
        if mistold:
            many = f"{mistold:,} record{'s' * (mistold > 1)} of {self.name}"
            self.account = Account([f"{many}: the leader says MARC-8, and the text is UTF-8"])

    def _whole(self, found: CatalogueRecord | None) -> list[Any]:
        return [] if found is None else [self._make_whole(found)]


# ---- ISO 2709 --------------------------------------------------------------------------------


def _records(chunks: Iterator[bytes], name: str, options: Options) -> Iterator[Found]:
    encoding = options.table.encoding
    for piece, offset in _pieces(chunks, options.largest, name):
        try:
            record, mistold, bad = read_record(piece, encoding)
        except BrokenRecordError as error:
            text = piece[:60].decode("ascii", "backslashreplace")
            part = error.read if options.in_part else None
            yield Found(part, f"{error} (byte {offset:,})", text)
        else:
            yield Found(record, mistold=mistold, bad=bad)


def _pieces(chunks: Iterator[bytes], largest: int, name: str) -> Iterator[tuple[bytes, int]]:
    """The records, each with its terminator, where it has one, and where it begins. Raises
    SourceError."""
    held, offset = b"", 0
    for chunk in chunks:
        held += chunk
        *whole, held = held.split(END_OF_RECORD)
        for piece in whole:
            begin = len(piece) - len(piece.lstrip(_BLANKS))
            while (end := _next_leader(piece, begin)) > begin:
                yield piece[begin:end], offset + begin
                begin = end
            yield piece[begin:] + END_OF_RECORD, offset + begin
            offset += len(piece) + 1
        if len(held) > largest:
            raise SourceError(
                f"{name}: the record that begins at byte {offset:,} has no end within "
                f"{largest >> 20:,} MB"
            )
    if held.strip(_BLANKS):
        yield held, offset


def _next_leader(piece: bytes, begin: int) -> int:
    """Where another record begins within what should be one that begins at a place, since the first
    has no terminator; that place itself where none does."""
    length = piece[begin : begin + 5]
    end = begin + int(length) - 1 if length.isdigit() else begin
    follows = piece[end : end + 5].isdigit() and piece[end - 1 : end] == END_OF_FIELD
    return end if end > begin and follows else begin


# ---- elements --------------------------------------------------------------------------------


def _elements(chunks: Iterator[bytes], data: Bytes, options: Options) -> Iterator[Found]:
    names = tuple(("", one) for one in _NAMESPACES)
    plain = options._replace(records=(("record",),), namespaces=names)
    elements = RecordElements(data, plain)
    for element in elements.of(chunks):
        record, bad = _of_element(element)
        yield Found(record, bad=bad)


def _of_element(element: Any) -> tuple[CatalogueRecord, Sequence[BadField]]:
    """The record that an element is, and the fields that can't be read."""
    found, bad = CatalogueRecord("", []), list[BadField]()
    for one in element:
        name, text = one.tag.rpartition("}")[2], "".join(one.itertext())
        if name == "leader":
            found = found._replace(leader=text)
            continue
        tag = one.get("tag")
        if name not in ("controlfield", "datafield") or not tag:
            what = f"a {name} without a tag" if name.endswith("field") else f"an element {name}"
            bad.append(BadField(text, f"{what} is no field; it is left out"))
            continue
        if name == "controlfield":
            found.fields.append(CatalogueField(tag, text))
            continue
        subfields = tuple((part.get("code") or "", "".join(part.itertext())) for part in one)
        found.fields.append(
            CatalogueField(tag, None, one.get("ind1") or " ", one.get("ind2") or " ", subfields)
        )
    return found, bad


# ---- records of a catalogue as plain data: the fields in their order, and each by its tag
#
# `fields` are a level, with `tag`, `ind1`, `ind2`, `value`, and `subfields` with `code` and
# `value`. Beside it each tag is a member with its fields, which have a member `$a` for each code.
# A field stands for its text: its subfields in order, joined by a blank. What a layout asks for
# in the trade's notation (`245$a$c`, `008/07-10`, `LDR/06`) is a member of the field too.


_SPAN = re.compile(r"/(\d+)(?:-(\d+))?")
_CODES = re.compile(r"(?:\$.){2,}")


class RecordMaker:
    """Makes plain data of records; of what is ``asked`` for alone, where that is known."""

    def __init__(self, asked: Collection[str] | None, *, everything: bool = False) -> None:
        """``everything``: what is asked for in the notation, and all else too."""
        names = sorted(asked or ())
        asked = None if everything else asked
        self._asked = asked
        self._spans = [(one, m) for one in names if (m := _SPAN.fullmatch(one))]
        self._codes = [(one, one[1::2]) for one in names if _CODES.fullmatch(one)]
        self._whole = asked is None or "fields" in asked
        self._members = _Members(asked)

    def record(self, found: CatalogueRecord) -> dict[str, Any]:
        """A record as plain data."""
        made: dict[str, Any] = {"leader": found.leader}
        if self._whole:
            made["fields"] = [_plain(field) for field in found.fields]
        if self._wants(LEADER):
            made[LEADER] = self._member(CatalogueField(LEADER, found.leader))
        for field in found.fields:
            if self._wants(field.tag):
                _put(made, field.tag, self._member(field))
        return made

    def _wants(self, tag: str) -> bool:
        return self._asked is None or tag in self._asked

    def _member(self, field: CatalogueField) -> dict[str, Any]:
        """A field, as a member of its record by its tag."""
        if field.value is not None:
            spans = {name: _span(field.value, match) for name, match in self._spans}
            return {TEXT: field.value, **spans}
        made: dict[str, Any] = {
            TEXT: " ".join([value for _, value in field.subfields if value]).strip(),
            "ind1": field.ind1,
            "ind2": field.ind2,
        }
        members = self._members
        for code, value in field.subfields:
            if (name := members[code]) is not None:
                _put(made, name, value)
        for name, codes in self._codes:
            chosen = (value for code, value in field.subfields if code in codes and value.strip())
            made[name] = " ".join(chosen) or None
        return made


class _Members(dict[str, "str | None"]):
    """What the member of a subfield is called, by its code; None where nobody asks for it."""

    def __init__(self, asked: Collection[str] | None) -> None:
        self._asked = asked

    def __missing__(self, code: str) -> str | None:
        name = f"${code}"
        self[code] = found = name if self._asked is None or name in self._asked else None
        return found


def _put(made: dict[str, Any], name: str, value: Any) -> None:
    if name in made:
        repeat(made, name, value)
    else:
        made[name] = value


def _plain(field: CatalogueField) -> dict[str, Any]:
    if field.value is not None:
        return {"tag": field.tag, "value": field.value}
    subfields = [{"code": code, "value": value} for code, value in field.subfields]
    return {"tag": field.tag, "ind1": field.ind1, "ind2": field.ind2, "subfields": subfields}


def _span(text: str, match: re.Match[str]) -> str | None:
    """The characters at some positions, counted from 0; null where there are none."""
    first = int(match[1])
    return text[first : int(match[2] or first) + 1] or None
