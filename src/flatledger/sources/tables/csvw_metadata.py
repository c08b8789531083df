"""Metadata beside a table (W3C, *Metadata Vocabulary for Tabular Data*): how it is to be read.

Of a table ``lines.csv`` they stand in ``lines.csv-metadata.json``, or in ``csv-metadata.json``.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path, PurePath
from typing import Any

import msgspec
from msgspec.structs import replace

from ...errors import SourceError
from ...layout.model.source_options import TableReading
from ...values.numbers import Unreadable, ValueFaultError, read_decimal
from ...values.reading_texts import DateReader
from .row_texts import RowBlock

SUFFIX, COMMON = "-metadata.json", "csv-metadata.json"
_NUMBERS = {
    *("integer", "decimal", "number", "double", "float", "long", "int", "short", "byte"),
    *("nonNegativeInteger", "positiveInteger", "nonPositiveInteger", "negativeInteger"),
    *("unsignedLong", "unsignedInt", "unsignedShort", "unsignedByte"),
}
_MOMENTS = {"date", "datetime", "dateTime", "dateTimeStamp", "time"}
Reading = Callable[[str], Any]


class Described:
    """What metadata say of a table; without any it is blank."""

    def __init__(
        self, file: str = "", table: Mapping[str, Any] | None = None, notices: Sequence[str] = ()
    ) -> None:
        """``notices`` are to be pointed out of metadata that are not used."""
        self.file, self.notices = file, notices
        self._table = table or {}
        schema = self._table.get("tableSchema") or {}
        columns = schema.get("columns") or [] if isinstance(schema, dict) else []
        self._columns = [one for one in columns if isinstance(one, dict) and not one.get("virtual")]

    def completed(self, stated: TableReading) -> TableReading:
        """How the table is read: as is stated, and for the rest as the metadata say."""
        dialect = self._table.get("dialect")
        if not isinstance(dialect, dict):
            dialect = {}
        given = {name: one for key, name, one in _dialect(dialect) if _is_usual(stated, name)}
        if self.file:
            usual = {"delimiter": ",", "quote_char": '"', "header_row_count": 1, "skip_rows": 0}
            given = {**usual, **given}
            given = {name: one for name, one in given.items() if _is_usual(stated, name)}
        return replace(stated, **given)

    def headings(self) -> list[str]:
        """What its columns are called, for a table without headings."""
        return [_titles(one)[0] for one in self._columns]

    def check(self, headings: Sequence[str]) -> None:
        """Raise SourceError where the table has other columns than they describe."""
        wrong = len(headings) != len(self._columns) or any(
            heading not in _titles(one)
            for heading, one in zip(headings, self._columns, strict=True)
        )
        if self._columns and wrong:
            described = ", ".join(self.headings())
            raise SourceError(
                f"{self.file} describes the columns {described}, and the table has "
                f"{', '.join(headings)}; mend or remove the metadata"
            )

    def readings(self, declared: frozenset[str] = frozenset()) -> list[Reading | None]:
        """What is made of the cells of each column, if anything; nothing of those that a layout has
        ``declared``."""
        return [
            _trimmed(None if declared.intersection(_titles(one)) else _reading(one), self._trim)
            for one in self._columns
        ]

    @property
    def _trim(self) -> str:
        """Which blanks of a cell are no part of it: `start`, `end`, both (`true`) or none."""
        dialect = self._table.get("dialect")
        if not isinstance(dialect, dict):
            return ""
        trim = str(dialect.get("trim", "start" if dialect.get("skipInitialSpace") else "")).lower()
        return trim if trim in ("start", "end", "true") else ""


def metadata_beside(name: str) -> list[Path]:
    """The files beside that of a table that may be its metadata."""
    path = Path(name)
    if not path.name or not path.is_file():
        return []
    places = (path.with_name(path.name + SUFFIX), path.with_name(COMMON))
    return [place for place in places if place.is_file()]


def described_beside(name: str) -> Described:
    """The metadata beside the file of a table, if there are any. Raises SourceError."""
    path, notices = Path(name), list[str]()
    for file in metadata_beside(name):
        try:
            data = file.read_bytes()
        except OSError as error:
            raise SourceError(f"{file} can't be read: {error.strerror}") from error
        found, others = _table_in(data, path.name, file) if data else (None, [])
        if found is not None:
            return Described(str(file), found)
        if file.name != COMMON and others:
            what = f"{file} describes {', '.join(others)}, and not {path.name}"
            notices.append(f"{what}; it is not gone by")
    return Described(notices=notices)


def _table_in(data: bytes, name: str, file: Path) -> tuple[Mapping[str, Any] | None, Sequence[str]]:
    """What metadata say of a table, and which other tables they describe. Raises SourceError."""
    try:
        whole = msgspec.json.decode(data.removeprefix(b"\xef\xbb\xbf"), type=dict[str, Any])
    except msgspec.MsgspecError as error:
        raise SourceError(f"{file} is no metadata of a table: {error}; mend or remove it") from None
    tables, others = whole.get("tables"), list[str]()
    for table in tables if isinstance(tables, list) else [whole]:
        if isinstance(table, dict) and PurePath(str(table.get("url", ""))).name == name:
            return {"dialect": whole.get("dialect"), **table}, []
        if isinstance(table, dict) and table.get("url"):
            others.append(str(table["url"]))
    return None, others


def _dialect(dialect: Mapping[str, Any]) -> Iterator[tuple[str, str, Any]]:
    """What a dialect description says in our own terms."""
    names = {
        "delimiter": "delimiter",
        "encoding": "encoding",
        "quoteChar": "quote_char",
        "commentPrefix": "comment_prefix",
        "headerRowCount": "header_row_count",
        "skipRows": "skip_rows",
    }
    for key, name in names.items():
        value = dialect.get(key)
        if key == "quoteChar" and key in dialect:
            yield key, name, _quote(value)
        elif value is not None:
            yield key, name, value
    if dialect.get("header") is False and "headerRowCount" not in dialect:
        yield "header", "header_row_count", 0
    if dialect.get("doubleQuote") is False:
        yield "doubleQuote", "escape_char", "\\"


def _quote(value: Any) -> str | None:
    """The quote character that is described. Raises SourceError where it is no character."""
    if value in (None, ""):
        return None
    if not isinstance(value, str) or len(value) > 1 or value in "\r\n":
        raise SourceError(
            f"the metadata beside the table say `quoteChar: {value}`, which is no character; mend "
            "it, or state `quote-char` under `source`"
        )
    return value


def _is_usual(stated: TableReading, name: str) -> bool:
    return bool(getattr(stated, name) == getattr(TableReading(), name))


def _titles(column: Mapping[str, Any]) -> list[str]:
    """The names that a column goes by, in every language."""
    titles = column.get("titles", [])
    found = titles.values() if isinstance(titles, dict) else [titles]
    names = [name for one in found for name in (one if isinstance(one, list) else [one])]
    return [*map(str, names), *([str(column["name"])] if "name" in column else [])] or [""]


# ---- cells -----------------------------------------------------------------------------------


def read_cells(
    blocks: Iterator[RowBlock], readings: Sequence[Reading | None]
) -> Iterator[RowBlock]:
    """Rows whose cells are read as described; what can't be read is known as that."""
    wanted = [(place, read) for place, read in enumerate(readings) if read is not None]
    for block in blocks:
        for row in block.rows:
            for place, read in wanted:
                if place < len(row):
                    row[place] = read(row[place])
        yield block


def _trimmed(read: Reading | None, trim: str) -> Reading | None:
    """A reading that passes over the blanks around a cell."""
    if not trim:
        return read
    strip = {"start": str.lstrip, "end": str.rstrip, "true": str.strip}[trim]
    return (lambda text: read(strip(text))) if read is not None else strip


def _reading(column: Mapping[str, Any]) -> Reading | None:
    datatype = column.get("datatype", "string")
    how = datatype if isinstance(datatype, dict) else {"base": datatype}
    value = _value(str(how.get("base", "string")), how.get("format"))
    nulls = column.get("null", "")
    none = set(nulls if isinstance(nulls, list) else [nulls])
    separator, default = column.get("separator"), str(column.get("default") or "")
    if value is None and not separator and not default and none <= {""}:
        return None
    plain = value or (lambda text: text)
    one = (lambda text: plain(text or default)) if default else plain
    none -= {""} if default else set()
    if separator:
        return lambda text: None if text in none else [one(part) for part in text.split(separator)]
    return lambda text: None if text in none else one(text)


def _value(base: str, form: Any) -> Reading | None:
    if base in _NUMBERS:
        marks = form if isinstance(form, dict) else {}
        return _number(str(marks.get("decimalChar", ".")), str(marks.get("groupChar", "")))
    if base == "boolean":
        yes, _, no = str(form or "true|false").partition("|")
        words = {yes: True, no: False} | ({} if form else {"1": True, "0": False})
        return lambda text: (
            words[text] if text in words else Unreadable(text, f"is not {yes} or {no}")
        )
    if base in _MOMENTS and form:
        return _moment(str(form))
    return None


def _number(point: str, group: str) -> Reading:
    def read(text: str) -> Any:
        plain = text.strip().replace(group, "") if group else text.strip()
        number = read_decimal(plain.replace(point, ".") if point != "." else plain)
        if number is None:
            return Unreadable(text, "is not a number") if text.strip() else None
        return int(number) if number.as_tuple().exponent == 0 else number

    return read


def _moment(pattern: str) -> Reading | None:
    try:
        read = DateReader(pattern, "en")
    except ValueError:
        return None

    def moment(text: str) -> Any:
        try:
            return read(text).isoformat()
        except ValueFaultError:
            return Unreadable(text, f"is not {pattern}")

    return moment
