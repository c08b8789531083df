"""The JSON Schema of a layout, for editors: made of the same declarations that read it."""

from __future__ import annotations

from .forms import TEXT
from .read_columns import LIST_SCHEMA
from .read_layout import LAYOUT_KEYS
from .reading import Form, Key, Schema, Section, object_schema, one_or_more

_TEXTS = Form(TEXT.read, one_or_more(TEXT.schema))
# what is put together before a layout is read
_ASSEMBLED: Section = {
    "from": Key(TEXT, "The layout that this one starts from: a file beside it, or on the shelf."),
    "leave-out": Key(_TEXTS, "Headings of columns of that layout which this one does not have."),
}


def layout_schema() -> Schema:
    """The JSON Schema (draft 2020-12) of a layout, as plain data.

    What it lets through can still be refused: expressions and what must fit together are judged by
    reading only.

    >>> layout_schema()["properties"]["about"]["description"]
    'What it is for.'
    """
    keys = {**_ASSEMBLED, **LAYOUT_KEYS}
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "A layout of Flat Ledger",
        **object_schema(keys),
        "$defs": {"columns": LIST_SCHEMA},
    }
