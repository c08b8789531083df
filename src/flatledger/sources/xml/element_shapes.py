"""Which parts of elements are built, by the type that a plan asks for."""

from __future__ import annotations

from types import NoneType, UnionType
from typing import Any, Union, get_args, get_origin

import msgspec

from ...values.own_texts import TEXT
from .element_names import ElementNames


class Shape:
    """What is built of an element that comes under a ``name`` in the one around it.

    An object with the ``fields`` that are wanted, all its text among them if ``wants_text``; None
    where all of it is wanted. ``text_alone``: where it has a text, that. ``as_list``: it
    comes in a list, however often it is there. ``below`` gives the shape of each child element, or
    None where it is passed over; ``attributes`` the name of each attribute likewise. ``struct`` is
    the type that the fields are of.
    """

    __slots__ = (
        *("name", "text_alone", "as_list", "fields", "wants_text", "below", "attributes"),
        *("keeps_text", "struct"),
    )

    def __init__(self, name: str, shapes: ElementShapes, fields: dict[str, Any] | None) -> None:
        self.name = name
        self.text_alone = self.as_list = False
        self.fields = fields
        self.wants_text = fields is not None and TEXT in fields
        self.keeps_text = shapes.keeps_text
        self.struct: Any = None
        self.below: dict[str, Shape | None] = (
            shapes.below_plain if fields is None else _Below(shapes, fields)
        )
        self.attributes = _Attributes(shapes.names, fields)


class ElementShapes:
    """Makes the shapes of the elements of a document.

    With ``keeps_text`` a plain one that has no text of its own has all text within it, too.
    """

    def __init__(self, names: ElementNames, keeps_text: bool = False) -> None:
        self.names, self.keeps_text = names, keeps_text
        self.below_plain: dict[str, Shape | None] = _Below(self, None)

    def plain(self, name: str) -> Shape:
        """The shape of an element of which everything is wanted."""
        return Shape(name, self, None)

    def of(self, name: str, wanted: Any) -> Shape:
        """The shape of an element of which a type is wanted."""
        parts = _parts(wanted)
        lists = [part for part in parts if get_origin(part) is list]
        inner = [one for part in lists for one in _parts(*get_args(part))]
        structs = [one for one in (*inner, *parts) if _is_struct(one)]
        fields = None
        if structs:
            fields = {one.encode_name: one.type for one in msgspec.structs.fields(structs[0])}
        shape = Shape(name, self, fields)
        shape.struct = structs[0] if structs else None
        shape.as_list = inner == [str] or any(map(_is_struct, inner))
        shape.text_alone = inner == [str] or parts == [str]
        return shape


class _Below(dict[str, "Shape | None"]):
    def __init__(self, shapes: ElementShapes, fields: dict[str, Any] | None) -> None:
        self._shapes, self._fields = shapes, fields

    def __missing__(self, tag: str) -> Shape | None:
        """Find out, once, what is built of a child element."""
        name = self._shapes.names.element(tag)
        found: Shape | None = None
        if self._fields is None:
            found = self._shapes.plain(name)
        elif name in self._fields:
            found = self._shapes.of(name, self._fields[name])
        self[tag] = found
        return found


class _Attributes(dict[str, "str | None"]):
    def __init__(self, names: ElementNames, fields: dict[str, Any] | None) -> None:
        self._names, self._fields = names, fields

    def __missing__(self, key: str) -> str | None:
        name = self._names.attribute(key)
        self[key] = found = name if self._fields is None or name in self._fields else None
        return found


def _parts(*types: Any) -> list[Any]:
    """The parts of types that may be unions, null excepted."""
    found: list[Any] = []
    for one in types:
        found += get_args(one) if get_origin(one) in (Union, UnionType) else [one]
    return [one for one in found if one is not NoneType]


def _is_struct(part: Any) -> bool:
    return isinstance(part, type) and issubclass(part, msgspec.Struct)
