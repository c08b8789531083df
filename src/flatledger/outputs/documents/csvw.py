"""Metadata of a table that is written as delimited text (W3C, *Metadata Vocabulary for Tabular
Data*): its columns with their datatypes, its dialect, its primary key."""

from __future__ import annotations

import os
from collections.abc import Sequence
from pathlib import PurePath
from typing import Any
from urllib.parse import quote

import msgspec

from ...layout.model.column import Column
from ...layout.model.model import SettledLayout
from ...layout.model.output_options import Output
from ...plan.row_type import ColumnPlan

SUFFIX = "-metadata.json"
_CONTEXT = "http://www.w3.org/ns/csvw"
_BASES = {
    "text": "string", "truth": "boolean", "date": "date", "time": "time",
    "timestamp": "datetime", "interval": "duration", "number": "decimal",
}  # fmt: skip
_DATATYPES = {"dateTime": "datetime"}


def metadata(layout: SettledLayout, columns: Sequence[ColumnPlan], name: str) -> bytes:
    """The metadata of the table in a file of this name, as JSON."""
    described: dict[str, Any] = {
        "@context": _CONTEXT,
        "url": quote(os.fsencode(PurePath(name).name)),
    }
    if layout.about:
        described["dc:title"] = " ".join(layout.about.split())
    described["dialect"] = _dialect(layout.output, name)
    schema: dict[str, Any] = {"columns": [_column(one, layout) for one in columns]}
    if layout.primary_key:
        titles = {one.column.heading: one.column.title for one in columns}
        key = [_name(titles[heading]) for heading in layout.primary_key if heading in titles]
        if len(key) == len(layout.primary_key):
            schema["primaryKey"] = key
    described["tableSchema"] = schema
    return msgspec.json.format(msgspec.json.encode(described), indent=2) + b"\n"


def _dialect(output: Output, name: str) -> dict[str, Any]:
    delimiter = output.delimiter or ","
    if PurePath(name).suffix.lower() in (".tsv", ".tab"):
        delimiter = "\t"
    return {
        "delimiter": delimiter,
        "quoteChar": output.quote_char,
        "doubleQuote": not output.escape_char,
        "lineTerminators": [output.line_terminator],
        "encoding": {"utf-8-sig": "utf-8"}.get(output.encoding, output.encoding),
        "header": output.header,
        "headerRowCount": (1 + len(output.second_header)) if output.header else 0,
        "skipRows": len(output.preamble),
    }


def _name(title: str) -> str:
    """A title as a name can be written (CSVW, 5.6): what it can't hold is percent-encoded."""
    return quote(title, safe="").replace("-", "%2D").replace("~", "%7E")


def _column(plan: ColumnPlan, layout: SettledLayout) -> dict[str, Any]:
    column = plan.column
    found: dict[str, Any] = {"name": _name(column.title), "titles": column.title}
    found["datatype"] = _datatype(plan, layout.output)
    null = column.null or layout.output.null
    if null:
        found["null"] = null
    if column.required:
        found["required"] = True
    if column.default is not None:
        found["default"] = column.default
    if column.unit:
        found["schema:unitText"] = column.unit
    if column.value is not None:
        found["dc:source"] = " ".join(column.value.text.split())
    return found


def _datatype(plan: ColumnPlan, output: Output) -> Any:
    """The datatype of what is written; text where it is no more than that."""
    column = plan.column
    if column.translate is not None or column.text is not None:
        return "string"
    base = _DATATYPES.get(column.datatype or "", column.datatype or "")
    if not base or plan.numeric:
        base = "integer" if column.datatype == "integer" and not column.format else ""
        base = base or ("decimal" if plan.numeric else _BASES.get(plan.kind, "string"))
    form = _format(column, base, output)
    return {"base": base, "format": form} if form else base


def _format(column: Column, base: str, output: Output) -> Any:
    if base in ("decimal", "integer"):
        marks = {"pattern": column.format} if column.format else {}
        if output.decimal_char != "." and not column.format:
            marks["decimalChar"] = output.decimal_char
        return marks
    return column.format
