"""The JSON Schema of a layout, for editors: made of the same declarations that read it."""

from __future__ import annotations

from .forms import TEXT
from .read_columns import LIST_SCHEMA
from .read_layout import LAYOUT_KEYS
from .read_tables import SHARED, TABLES
from .reading import BLANK, Form, Key, Schema, Section, either, object_schema, one_or_more

_TEXTS = Form(TEXT.read, one_or_more(TEXT.schema))
# what is put together before a layout is read
_ASSEMBLED: Section = {
    "from": Key(TEXT, "The layout that this one starts from: a file beside it, or on the shelf."),
    "leave-out": Key(_TEXTS, "Headings of columns of that layout which this one does not have."),
}


def _tables() -> Key:
    """Tables by their names: each has what a layout has that all of them do not share."""
    alone = {"layout", *SHARED}
    own = {key: value for key, value in LAYOUT_KEYS.items() if key not in alone}
    own["leave-out"] = _ASSEMBLED["leave-out"]
    schema = {"type": "object", "additionalProperties": either(BLANK, object_schema(own))}
    return Key(
        Form(TEXT.read, schema),
        "Several tables from one reading, by their names; each has what differs in it.",
    )


def layout_schema() -> Schema:
    """The JSON Schema (draft 2020-12) of a layout, as plain data.

    What it lets through can still be refused: expressions and what must fit together are judged by
    reading only.

    >>> layout_schema()["properties"]["about"]["description"]
    'What it is for.'
    """
    keys = {**_ASSEMBLED, **LAYOUT_KEYS, TABLES: _tables()}
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "A layout of Flat Ledger",
        **object_schema(keys),
        "$defs": {"columns": LIST_SCHEMA},
    }
