"""Reading what a layout takes from elsewhere: cells taken apart, side lists, a form."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from ..model.model import FormReference, Lookup, Split
from ..model.text import Item, ItemMap, Scalar
from .forms import CHARACTERS_OR_NAME, NAMES, SWITCH, TEXT, read_text, whole_number
from .read_source import SOURCE
from .reading import Form, Key, Reading, Section, either, object_schema, pairs_of, read_keys

Named = TypeVar("Named", Split, Lookup)
MOST_ROWS = 1_000


def _named(
    says: str, read: Callable[[Scalar, Item, Reading], Named | None], section: Section
) -> Form[tuple[Named, ...]]:
    """What stands under names of the layout's own choice."""

    def read_all(item: Item, _: str, reading: Reading) -> tuple[Named, ...]:
        if not isinstance(item, ItemMap):
            reading.fault(item, says)
        found = (read(name, value, reading) for name, value in pairs_of(item))
        return tuple(one for one in found if one is not None)

    return Form(read_all, {"type": "object", "additionalProperties": object_schema(section)})


# ---- cells taken apart -----------------------------------------------------------------------


def _cells(item: Item, where: str, reading: Reading) -> dict[str, tuple[str, ...] | None]:
    if len({name.text for name, _ in pairs_of(item)}) < 2:
        says = "`pair` takes two names or more, each with a cell: {name: names, …}"
        reading.fault(item, says)
    return {name.text: NAMES.read(path, where, reading) for name, path in pairs_of(item)}


_SPLIT_KEYS: Section = {
    "by": Key(CHARACTERS_OR_NAME, "What stands between the parts of a cell."),
    "of": Key(NAMES, "The cell whose parts are the entries."),
    "pair": Key(
        Form(_cells, {"type": "object", "additionalProperties": NAMES.schema}),
        "Cells whose parts belong together, each with its name in an entry.",
    ),
}


def _split(name: Scalar, item: Item, reading: Reading) -> Split | None:
    where = f"`split` of `{name.text}`"
    keys = reading.mapping(item, where, _SPLIT_KEYS)
    if len(keys.keys() & {"of", "pair"}) != 1:
        reading.fault(item, f"{where} is `of` one cell, or of several that `pair` names")
        return None
    found = read_keys(keys, _SPLIT_KEYS, reading)
    paths = found["pair"] if "pair" in found else {"": found["of"]}
    separator = found.get("by", ";")
    if not all(paths.values()) or not paths or not separator:
        return None
    parents = {path[:-1] for path in paths.values()}
    if len(parents) > 1:
        apart = "the cells stand in different places; they can't be paired"
        reading.fault(item, f"{where}: {apart}")
    fields = tuple((field, path[-1]) for field, path in paths.items())
    return Split(name.text, separator, parents.pop(), fields, paired="pair" in keys)


SPLIT = _named(
    "`split` takes names: crew: {by: semicolon, pair: {name: names, …}}", _split, _SPLIT_KEYS
)

# ---- side lists ------------------------------------------------------------------------------

_LOOKUP_KEYS: Section = {
    "file": Key(TEXT, "The side list, beside the layout."),
    "matched-by": Key(NAMES, "The path to the key in the records."),
    "key": Key(TEXT, "What the key is called in the list."),
    "many": Key(SWITCH, "Whether all that match are wanted, as a level."),
    "source": Key(SOURCE, "How the list is read, as for the records.", "reading"),
}


def _lookup(name: Scalar, item: Item, reading: Reading) -> Lookup | None:
    where = f"`lookup` of `{name.text}`"
    keys = reading.mapping(item, where, _LOOKUP_KEYS)
    missing = [key for key in ("file", "matched-by", "key") if key not in keys]
    if missing:
        reading.fault(item, f"{where} has no `{missing[0]}`")
        return None
    found = read_keys(keys, _LOOKUP_KEYS, reading)
    return Lookup(name.text, **found, place=name.place(0)) if found["matched_by"] else None


LOOKUP = _named(
    "`lookup` takes names: bay: {file: bays.csv, matched-by: …, key: …}", _lookup, _LOOKUP_KEYS
)

# ---- a published form ------------------------------------------------------------------------

_FIT_KEYS: Section = {
    "form": Key(TEXT, "The form's file, beside the layout.", "file"),
    "header-row": Key(whole_number(MOST_ROWS), "The row that its headings are in."),
    "first-row": Key(whole_number(MOST_ROWS), "The row that the table begins at."),
}


def _fit_to(item: Item, where: str, reading: Reading) -> FormReference | None:
    """A published form: its file, or that with the rows of its headings and its table."""
    if isinstance(item, Scalar):
        return FormReference(read_text(item, where, reading), place=item.place(0))
    keys = reading.mapping(item, where, _FIT_KEYS)
    if "form" not in keys:
        says = "`fit-to` has at least `form`: {form: register.xlsx, header-row: 4}"
        reading.fault(item, says)
        return None
    place = (item.line, item.column, item.file)
    return FormReference(**read_keys(keys, _FIT_KEYS, reading), place=place)


FIT_TO = Form(_fit_to, either(TEXT.schema, object_schema(_FIT_KEYS)))
