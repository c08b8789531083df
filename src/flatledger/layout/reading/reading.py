"""Reading a layout: its keys by their declarations, every fault gathered on the way.

A `Form` says how the value of a key is read, and is its JSON Schema too, so that what editors
check is what is read. What is wrong is a fault, and a harmless value is returned for it.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from typing import Any, Generic, NamedTuple, TypeVar

from ...errors import Problem
from ...language.notations import Notation
from ..model.column import Expression
from ..model.declared import DeclaredField
from ..model.names import proposal
from ..model.text import Item, ItemList, ItemMap, Scalar
from .files import Files

Schema = dict[str, Any]
Read = TypeVar("Read")
RENAMED = {"attach": "lookup", "returning": "reopened"}  # former keys


class Reading:
    """What is known while a layout is read.

    ``files`` opens what it names; ``own_file`` is the file that its text is in. ``headings`` are
    those of its columns, and ``spread_levels`` the levels that columns are made from. Of a
    Paths may be in a ``notation``, too. ``fields`` are those that it declares.
    """

    def __init__(self, files: Files, own_file: str = "") -> None:
        self.files, self.own_file = files, own_file
        self.problems: list[Problem] = []
        self.headings: frozenset[str] = frozenset()
        self.doubled: frozenset[str] = frozenset()
        self.column_levels: list[Scalar] = []
        self.notation: Notation | None = None
        self.spread_levels: list[Expression] = []
        self.fields: tuple[DeclaredField, ...] = ()

    def fault(self, item: Item, message: str) -> None:
        """Note what is wrong with an item, at its place."""
        self.problems.append(Problem(message, item.line, item.column, item.file))

    def mapping(self, item: Item, where: str, known: Collection[str]) -> dict[str, Item]:
        """The values by key; unknown keys and keys that come twice are faults."""
        if not isinstance(item, ItemMap):
            self.fault(item, f"{where} takes keys and values: {', '.join(known)}")
            return {}
        found: dict[str, Item] = {}
        for key, value in item.pairs:
            if key.text not in known:
                self.fault(key, _unknown(key.text, where, known))
            elif key.text in found:
                self.fault(key, f"`{key.text}` comes twice in {where}; keep one")
            else:
                found[key.text] = value
        return found


def _unknown(key: str, where: str, known: Collection[str]) -> str:
    if RENAMED.get(key) in known:
        return f"`{key}` is now `{RENAMED[key]}`"
    if key.endswith(")"):
        hint = (
            "; in braces a comma ends the value: put an expression that holds one in double "
            'quotes, as in {value: "coalesce(a, b)"}'
        )
    else:
        hint = proposal(key, known) or f"; there are {', '.join(known)}"
    return f"no key `{key}` in {where}{hint}"


class Form(NamedTuple, Generic[Read]):
    """How a value is read, from its item and what it is called in messages; and its schema."""

    read: Callable[[Item, str, Reading], Read]
    schema: Schema


class Key(NamedTuple):
    """A key of a section: the form of its value, what it is for, and its name in the model."""

    form: Form[Any]
    about: str
    field: str = ""


Section = Mapping[str, Key]


def read_keys(keys: Mapping[str, Item], section: Section, reading: Reading) -> dict[str, Any]:
    """The values of the keys that are there, by their names in the model."""
    return {
        section[key].field or key.replace("-", "_"): section[key].form.read(
            item, f"`{key}`", reading
        )
        for key, item in keys.items()
    }


def items_of(item: Item | None) -> tuple[Item, ...]:
    """The items of a list; one that stands alone is a list of one."""
    if isinstance(item, ItemList):
        return item.items
    return () if item is None or (isinstance(item, Scalar) and not item.text) else (item,)


def pairs_of(item: Item | None) -> tuple[tuple[Scalar, Item], ...]:
    """The keys and values of a mapping; none of anything else."""
    return item.pairs if isinstance(item, ItemMap) else ()


def object_schema(section: Section) -> Schema:
    """The JSON Schema of a section.

    >>> about = Key(Form(lambda item, where, reading: "", {"type": "string"}), "What it is for.")
    >>> object_schema({"about": about})["properties"]
    {'about': {'type': 'string', 'description': 'What it is for.'}}
    """
    properties = {
        name: {**key.form.schema, "description": key.about} for name, key in section.items()
    }
    return {"type": "object", "properties": properties, "additionalProperties": False}


BLANK: Schema = {"enum": [None, ""]}


def either(*schemas: Schema) -> Schema:
    """The schema of what has one of several forms."""
    return {"anyOf": list(schemas)}


def one_or_more(schema: Schema) -> Schema:
    """The schema of a list, or of what stands alone for a list of one."""
    return either(schema, {"type": "array", "items": schema}, BLANK)
