"""Reading `source`: where the records are, and how they are read."""

from __future__ import annotations

import re
from typing import Any

from ...bounds import LARGEST_COLUMN_WIDTH, MOST_HEADER_ROWS, MOST_MEGABYTES, MOST_SKIPPED
from ...language.nodes import FieldPath
from ..model.source_options import SourceOptions, TableReading, TotalRowReading
from ..model.text import Item, Scalar
from .dialect_forms import DELIMITER, ENCODING, QUOTE_CHAR, TERMINATOR
from .forms import (
    CHARACTER,
    CHARACTERS_OR_NAME,
    EXPRESSION,
    SWITCH,
    TEXT,
    choice,
    list_of,
    read_text,
    whole_number,
)
from .reading import (
    Form,
    Key,
    Reading,
    Section,
    either,
    items_of,
    object_schema,
    one_or_more,
    pairs_of,
    read_keys,
)

_PATHS, _NAMES = "paths", "names"
_NAME = re.compile(r"[^\W\d][\w-]*(?::[^\W\d][\w.-]*)?")  # of a field, or of an element


def _records(item: Item, where: str, reading: Reading) -> tuple[tuple[str, ...], ...]:
    """Where the records are: one place or several. A name needs no brackets here."""
    found = [_place(one, where, reading) for one in items_of(item)]
    if not found:
        read_text(item, where, reading)
    twice = next((one for one in found if one and found.count(one) > 1), None)
    if twice is not None:
        reading.fault(item, f"{where} names {'.'.join(twice)} twice")
    within = (a for a in found for b in found if b and len(a) > len(b) and a[: len(b)] == b)
    inner = next(within, None)
    if inner is not None:
        reading.fault(item, f"{where}: {'.'.join(inner)} is within another of them")
    return tuple(filter(None, found))


def _place(item: Item, where: str, reading: Reading) -> tuple[str, ...]:
    if isinstance(item, Scalar) and _NAME.fullmatch(item.text):
        return (item.text,)
    path = EXPRESSION.read(item, where, reading)
    names = path.node.names() if path and isinstance(path.node, FieldPath) else None
    if path and names is None:
        message = f"{where} takes a path of names, such as data.items"
        reading.problems.append(path.problem(message))
    return names or ()


def _namespaces(item: Item, where: str, reading: Reading) -> tuple[tuple[str, str], ...]:
    """Prefixes with the namespaces that they stand for."""
    found = tuple((p.text, TEXT.read(one, where, reading)) for p, one in pairs_of(item))
    wrong = next((prefix for prefix, _ in found if not _PREFIX.fullmatch(prefix)), None)
    spaces = [space for _, space in found]
    if not found:
        reading.fault(item, f"{where} takes prefixes with what they stand for: {{s: urn:stores}}")
    elif wrong is not None:
        reading.fault(item, f"{where}: `{wrong}` is no prefix; one is a name without a colon")
    elif len({*spaces}) < len(spaces):
        reading.fault(item, f"{where} gives two prefixes to one namespace; one is enough")
    return found


def _headings(item: Item, where: str, reading: Reading) -> dict[str, Any]:
    """What the headings are: fields, paths, or names of the layout's own."""
    if isinstance(item, Scalar):
        kind = choice((_NAMES, _PATHS)).read(item, where, reading)
        return {"nested": kind == _PATHS}
    names = tuple(TEXT.read(one, where, reading) for one in items_of(item))
    twice = next((name for name in names if names.count(name) > 1), None)
    if twice is not None or not names:
        reading.fault(
            item, f"{where} takes names, each once" + (f"; `{twice}` comes twice" if twice else "")
        )
    return {"headings": names}


def _widths(item: Item, where: str, reading: Reading) -> tuple[tuple[str, int], ...]:
    """The columns of fixed-width text, with the number of characters of each."""
    width = whole_number(LARGEST_COLUMN_WIDTH, 1)
    pairs = [pair for one in (items_of(item) or [item]) for pair in pairs_of(one)]
    found = tuple((name.text, width.read(one, where, reading)) for name, one in pairs)
    if not found:
        reading.fault(
            item, f"{where} takes headings with a number of characters: {{No: 6, Part: 20}}"
        )
    return found


def _total_rows(item: Item, where: str, reading: Reading) -> TotalRowReading:
    """What becomes of rows that are totals."""
    if isinstance(item, Scalar):
        said: Any = choice(("keep", "drop")).read(item, where, reading)
        return TotalRowReading(said)
    keys = read_keys(reading.mapping(item, where, _TOTAL_KEYS), _TOTAL_KEYS, reading)
    if not keys.get("drop"):
        reading.fault(item, f"{where} names the columns that are blank in a total: drop: [Part]")
    return TotalRowReading("drop", tuple(keys.get("drop", ())), keys.get("subtotals") == "before")


_TOTAL_KEYS: Section = {
    "drop": Key(list_of(TEXT), "The columns that are blank in a total row."),
    "subtotals": Key(choice(("after", "before")), "Where they stand: after what they sum up."),
}
_TOTAL_ROWS = Form(_total_rows, either({"enum": ["keep", "drop"]}, object_schema(_TOTAL_KEYS)))
_PREFIX = re.compile(r"[^\W\d][\w.-]*")
_NAMESPACES = Form(_namespaces, {"type": "object", "additionalProperties": TEXT.schema})
_HEADINGS = Form(_headings, either({"enum": [_NAMES, _PATHS]}, one_or_more(TEXT.schema)))
_WIDTHS = Form(
    _widths,
    {"type": "object", "additionalProperties": whole_number(LARGEST_COLUMN_WIDTH, 1).schema},
)
_TABLE_KEYS: Section = {
    "delimiter": Key(DELIMITER, "What stands between cells: characters or a name."),
    "quote-char": Key(QUOTE_CHAR, "What stands around a cell, or none."),
    "escape-char": Key(CHARACTER, "What stands before a quote within quotes, if not a quote."),
    "line-terminator": Key(TERMINATOR, "What ends a row, if not a line break."),
    "encoding": Key(ENCODING, "The encoding, if it is not to be found by looking."),
    "header-row-count": Key(whole_number(MOST_HEADER_ROWS), "How many rows of headings there are."),
    "skip-rows": Key(whole_number(MOST_SKIPPED), "How many lines stand above the headings."),
    "comment-prefix": Key(CHARACTERS_OR_NAME, "What a line begins with that is no row."),
    "headings": Key(_HEADINGS, "Whether they are fields or paths; or names in their place."),
    "widths": Key(_WIDTHS, "The columns of fixed-width text."),
    "formula-guard": Key(SWITCH, "Whether apostrophes before formulas are taken off."),
    "sheet": Key(TEXT, "The sheet of a workbook."),
    "range": Key(TEXT, "Cells of a workbook (A4:H90), a named range, or a table."),
    "fill-merged": Key(SWITCH, "Whether a merged cell's value stands in each of its cells."),
    "hidden-rows": Key(choice(("keep", "drop")), "Whether hidden rows of a workbook take part."),
    "short-rows": Key(
        choice(("drop", "blank")), "Whether what is missing of rows that end early is blank."
    ),
    "total-rows": Key(_TOTAL_ROWS, "What becomes of rows that sum up others: keep, or drop."),
    "largest-unpacked": Key(
        whole_number(MOST_MEGABYTES, 1), "How many megabytes a workbook may have when unpacked."
    ),
}
SOURCE_KEYS: Section = {
    "records": Key(
        Form(_records, one_or_more(TEXT.schema)),
        "Where the records sit in a document: a path, or the name of an element; or several.",
    ),
    "namespaces": Key(_NAMESPACES, "Prefixes of the names of elements, with their namespaces."),
    "file-order": Key(
        choice(("natural", "as-named")), "The order of several files: by their names, or as named."
    ),
    "unreadable-files": Key(
        choice(("stop", "skip")), "Whether a file that can't be read ends the run."
    ),
    "broken-records": Key(
        choice(("drop", "in-part")), "Whether what can be read of a broken record is taken."
    ),
    "format": Key(TEXT, "The format, where content and name do not tell it."),
    "largest-record": Key(whole_number(MOST_MEGABYTES, 1), "How many megabytes a record may have."),
    **_TABLE_KEYS,
}


def _source(item: Item, where: str, reading: Reading) -> SourceOptions:
    keys = reading.mapping(item, where, SOURCE_KEYS)
    found = read_keys(keys, SOURCE_KEYS, reading)
    table = {
        name: found.pop(name) for key in _TABLE_KEYS if (name := key.replace("-", "_")) in found
    }
    headings = table.pop("headings", {})
    if (table.get("quote_char", '"') or "none") == table.get("delimiter", ","):
        reading.fault(item, "the delimiter and the quote character are the same; change one")
    return SourceOptions(**found, table=TableReading(**table, **headings))


SOURCE = Form(_source, object_schema(SOURCE_KEYS))
