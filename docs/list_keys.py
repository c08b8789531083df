"""Make docs/keys.md: every key of a layout, with what it takes, what holds without it, an example.

    python docs/list_keys.py

What a key says and takes is read off the layout's JSON Schema, which is made of the declarations.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

from flatledger import layout_schema

HERE = Path(__file__).parent
_SWITCH = {"yes", "no", "on", "off", "true", "false", True, False}
# without the key; an example of it
KEYS: dict[str, dict[str, tuple[str, str]]] = {
    "": {
        "layout": ("the file's name", "layout: requisition-lines"),
        "about": ("nothing", "about: Every line, with subtotals by station"),
        "from": ("it stands alone", "from: base.yaml"),
        "leave-out": ("all columns of `from`", "leave-out: [Remark]"),
        "locale": ("points, English names", "locale: de"),
        "source": ("found by looking", "source: {delimiter: semicolon}"),
        "fields": ("values as they come", "fields: {raised: date}"),
        "levels": ("where any record has a list", "levels: [lines, lines.options]"),
        "may-lack": ("all paths are expected", "may-lack: [payments]"),
        "row-per": ("`record`", "row-per: lines"),
        "tables": ("one table", "tables: {all: {}, sent: {only: [status = 'sent']}}"),
        "row-per-group": ("no groups as rows", "row-per-group: [station.name]"),
        "repeat-parents": ("`no`: on rows of their own level", "repeat-parents: yes"),
        "without-entries": ("`keep`: a row with blanks", "without-entries: drop"),
        "primary-key": ("rows are not identified", "primary-key: [No]"),
        "nests": ("a member of the level's own name", "nests: {tasks: subtasks}"),
        "nest": ("no tree is made", "nest: {into: nodes, key: id, parent: within}"),
        "open": ("all nodes, however deep", "open: {parts: {to-depth: 2}}"),
        "opens-by": ("nodes hold their own", "opens-by: {key: parts.code, named-by: code}"),
        "fit-to": ("no form", "fit-to: form.csv"),
        "columns": ("must be there", "columns: [No: no]"),
        "lookup": ("none", "lookup: {bay: {file: bays.csv, matched-by: code, key: Code}}"),
        "split": ("none", 'split: {names: {of: all_names, by: ";"}}'),
        "only": ("everything", "only: [status = 'sent']"),
        "ask": ("nothing", "ask: {month: {datatype: period, default: previous month}}"),
        "sort": ("the order of the source", "sort: [No desc]"),
        "group": ("no groups", "group: [No]"),
        "take": ("everything", "take: {first: 20, of: records}"),
        "expects-order": ("any order will do", "expects-order: [no]"),
        "totals": ("after each group and at the end", "totals: {grand-total: no}"),
        "calendar": ("a day has 8 hours, a week 5 days", "calendar: {hours-per-day: 7.5}"),
        "output": ("standard output, as RFC 4180", "output: {file: table.csv}"),
    },
    "source": {
        "records": ("the top; a document's one list in surveys", "records: data.items"),
        "namespaces": ("as the source has them", "namespaces: {dc: 'http://purl.org/dc/terms/'}"),
        "file-order": ("`natural`: A2 before A10", "file-order: as-named"),
        "unreadable-files": ("`stop`", "unreadable-files: skip"),
        "broken-records": ("`drop`: a fault each", "broken-records: in-part"),
        "format": ("by content, then by name", "format: csv"),
        "largest-record": ("100 MB", "largest-record: 500"),
        "delimiter": ("found by looking", "delimiter: semicolon"),
        "quote-char": ("found by looking", "quote-char: none"),
        "escape-char": ("a quote is doubled", 'escape-char: "\\\\"'),
        "line-terminator": ("a line break", 'line-terminator: "|"'),
        "encoding": ("found by looking", "encoding: windows-1252"),
        "header-row-count": ("1", "header-row-count: 2"),
        "skip-rows": ("found by looking", "skip-rows: 3"),
        "comment-prefix": ("no line is a comment", 'comment-prefix: "#"'),
        "headings": ("`names`", "headings: paths"),
        "widths": ("the text has a delimiter", "widths: {No: 8, Fee: 10}"),
        "formula-guard": ("`no`", "formula-guard: yes"),
        "sheet": ("the first with cells", "sheet: Stores"),
        "range": ("all cells", "range: A4:H90"),
        "fill-merged": ("`no`: in its first cell", "fill-merged: yes"),
        "hidden-rows": ("`keep`", "hidden-rows: drop"),
        "short-rows": ("`drop`: a fault each", "short-rows: blank"),
        "total-rows": ("kept, and pointed out", "total-rows: drop"),
        "largest-unpacked": ("64, or 20 times the file's size", "largest-unpacked: 200"),
    },
    "column": {
        "value": ("a blank column", "value: lines.qty * lines.each"),
        "text": ("no fixed text", "text: SKC"),
        "datatype": ("as the value comes", "datatype: date"),
        "reads": ("ISO 8601, plain numbers", "reads: dd/MM/yyyy"),
        "null": ("only blank texts are null", "null: n/a"),
        "clean": ("nothing", "clean: [trim, collapse]"),
        "decimals": ("as many as there are", "decimals: 2"),
        "rounding": ("`half-even`", "rounding: half-up"),
        "unit": ("none", "unit: kg"),
        "total": ("no total", "total: sum"),
        "separator": ("`; `", "separator: pipe"),
        "separator-in-value": ("`report`: a fault", "separator-in-value: quote"),
        "aligned": ("`no`: nulls are left out", "aligned: yes"),
        "translate": ("codes stay codes", "translate: {s: Sent}"),
        "format": ("plain digits, ISO 8601", "format: dd.MM.yyyy"),
        "locale": ("the layout's", "locale: sv"),
        "default": ("the cell stays blank", "default: unknown"),
        "required": ("`no`", "required: yes"),
        "allowed": ("any value", "allowed: [A, B]"),
        "suppress-output": ("`no`", "suppress-output: yes"),
        "titles": ("the heading", "titles: Quantity ordered"),
        "width": ("as wide as its content", "width: 12"),
        "align": ("numbers right, texts left", "align: right"),
        "fill": ("blanks", 'fill: "0"'),
        "columns-from": ("one column", "columns-from: lines.options"),
        "named-by": ("goes with `columns-from`", "named-by: lines.options.key"),
        "values": ("`value` is the one value", "values: {date: payments.date}"),
        "keys": ("those in the data", "keys: [voltage, cap]"),
        "labels": ("the keys themselves", "labels: {1: Colour}"),
        "at-most": ("200", "at-most: 500"),
    },
    "take": {
        "first": ("all", "first: 20"),
        "every": ("each", "every: 10"),
        "of": ("must be there", "of: rows"),
    },
    "group": {
        "by": ("must be there", "by: [No]"),
        "order": ("`sorted`", "order: as-met"),
        "reopened": ("`refused`: it does not balance", "reopened: allowed"),
    },
    "group key": {
        "by": ("must be there", "by: No"),
        "heading": ("`each`", "heading: row"),
        "subtotals": ("as `totals` say", "subtotals: none"),
        "detail": ("`yes`", "detail: no"),
        "page-break": ("`no`", "page-break: yes"),
        "label": ("as `totals` say", "label: '{group}, {rows} rows'"),
    },
    "totals": {
        "subtotals": ("`after`", "subtotals: before"),
        "detail": ("`yes`", "detail: no"),
        "grand-total": ("`yes`", "grand-total: no"),
        "label": ("`Total {group}`", 'label: "Sum of {group}"'),
        "labels": ("`Mean of {group}` and the like", "labels: {avg: 'Mean: {group}'}"),
        "grand-label": ("`Grand total`", "grand-label: All together"),
    },
    "output": {
        "file": ("standard output", "file: table.csv"),
        "format": ("by the file's name", "format: tsv"),
        "delimiter": ("comma", "delimiter: semicolon"),
        "quote-char": ("`\"`", "quote-char: none"),
        "escape-char": ("a quote is doubled", 'escape-char: "\\\\"'),
        "quote": ("`needed`", "quote: all"),
        "header": ("`yes`", "header: no"),
        "second-header": ("`none`", "second-header: units"),
        "preamble": ("none", "preamble: [Skerry Light Trust]"),
        "line-terminator": ("CR LF", "line-terminator: lf"),
        "line-break": ("`keep`", "line-break: space"),
        "decimal-char": ("`point`", "decimal-char: comma"),
        "null": ("nothing", "null: n/a"),
        "encoding": ("`utf-8`", "encoding: utf-8-bom"),
        "unencodable": ("`refuse`", "unencodable: replace"),
        "level-column": ("`no`", "level-column: yes"),
        "indent": ("1", "indent: 0"),
        "headings": ("`once`: at the top, not above each family", "headings: once"),
        "too-long": ("`refuse`", "too-long: cut"),
        "beyond": ("`refuse`", "beyond: continue"),
        "sheet": ("the layout's name", "sheet: Stores"),
        "with-balance": ("`no`", "with-balance: yes"),
        "csvw": ("`no`", "csvw: yes"),
        "if-there": ("`keep`: one changed by hand stays beside", "if-there: number"),
        "formula-guard": ("`yes`", "formula-guard: no"),
    },
}  # fmt: skip
TITLES = {
    "": (
        "The whole layout",
        "What each says stands at length on [the page of the layout](layout.md).",
    ),
    "source": ("Under `source`", "At length: [what is read](sources.md)."),
    "column": ("Of a column", "At length: [columns](columns.md)."),
    "take": ("Under `take`", "At length: [only some of them](choosing.md#only-some-of-them)."),
    "group": ("Under `group`", "`group: [Station]` is short for `by`."),
    "group key": (
        "Of a key of `group`",
        "At length: [tables](tables.md#groups-as-reports-have-them).",
    ),
    "totals": ("Under `totals`", "A column has a total where it says `total`."),
    "output": ("Under `output`", "At length: [what is written](outputs.md)."),
}


def declared() -> dict[str, dict[str, Any]]:
    """What the schema says of the keys of each section."""
    schema = layout_schema()
    top = schema["properties"]
    found = {"": top, "column": _column(schema["$defs"]["columns"])}
    of_group = _all_properties(top["group"])
    found["group"] = next(one for one in of_group if "order" in one)
    found["group key"] = next(one for one in of_group if "heading" in one)
    for name in TITLES.keys() - found.keys():
        found[name] = _properties(top[name])
    return found


def _properties(schema: Any) -> dict[str, Any]:
    """The keys of the mapping that a key takes, if it takes one."""
    if "properties" in schema:
        return dict(schema["properties"])
    return next(filter(None, map(_properties, schema.get("anyOf", []))), {})


def _all_properties(schema: Any) -> list[dict[str, Any]]:
    """The keys of each mapping within what a key takes."""
    parts = schema if isinstance(schema, list) else [*schema.values()]
    found = [schema["properties"]] if isinstance(schema, dict) and "properties" in schema else []
    inner = (one for one in parts if isinstance(one, dict | list))
    return [*found, *(own for one in inner for own in _all_properties(one))]


def _column(schema: Any) -> dict[str, Any]:
    """The keys of a column: of the largest mapping within `columns`."""
    found: list[dict[str, Any]] = []
    waiting = [schema]
    while waiting:
        one = waiting.pop()
        if isinstance(one, dict):
            found += [one["properties"]] if "value" in one.get("properties", {}) else []
            waiting += one.values()
        elif isinstance(one, list):
            waiting += one
    return max(found, key=len)


def values(schema: Any) -> str:
    """What a key takes, in words."""
    return "; ".join(dict.fromkeys(filter(None, _values(schema)))) or "a text"


def _values(schema: Any) -> Iterator[str]:
    for one in schema.get("anyOf", [schema]):
        if "anyOf" in one:
            yield from _values(one)
        elif set(one.get("enum", [])) & _SWITCH:
            yield "`yes`, `no`"
        elif "enum" in one:
            yield ", ".join(f"`{name}`" for name in one["enum"] if name)
        elif one.get("type") == "array":
            yield "a list"
        elif one.get("type") == "object":
            yield "a mapping"
        elif one.get("type") in ("integer", "number"):
            yield "a number"
        else:
            yield "a text"


def page() -> str:
    """The whole page."""
    lines = [
        "# Every key of a layout",
        "",
        "Made by `docs/list_keys.py`. Each with what it says, what it takes, what holds",
        "without it, and an example.",
    ]
    found = declared()
    for name, (title, more) in TITLES.items():
        lines += ["", f"## {title}", "", more, ""]
        lines += ["| key | what it says | takes | without it | example |", "|---|---|---|---|---|"]
        for key, (without, example) in KEYS[name].items():
            schema = found[name][key]
            says = schema.get("description", "").rstrip(".")
            lines.append(f"| `{key}` | {says} | {values(schema)} | {without} | `{example}` |")
    return "\n".join(lines).replace("`|`", "`\\|`") + "\n"


if __name__ == "__main__":
    (HERE / "keys.md").write_text(page(), encoding="utf-8")
