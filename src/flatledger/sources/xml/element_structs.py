"""From the elements of a document to structs of exact types, in one go, where they are as expected.

It is what `built` and a conversion give, but faster; whatever is otherwise is left to these.
"""

from __future__ import annotations

from collections.abc import Callable
from types import NoneType
from typing import Any, NamedTuple

import msgspec

from ...values.own_texts import TEXT
from .element_building import NIL, built
from .element_shapes import ElementShapes, Shape


class OddElementError(Exception):
    """An element is not as the exact types have it."""


Make = Callable[[Any], Any]


class _Place(NamedTuple):
    """Where a child element goes: the field's number, and what makes it. It is one of ``many``
    entries of a list, ``nulls`` among them where there may be one value or several.
    """

    at: int
    make: Make
    many: bool = False
    nulls: bool = False


class StructBuilder:
    """Builds the structs of one document."""

    def __init__(self, shapes: ElementShapes) -> None:
        self.shapes = shapes
        self._made: dict[Any, Make] = {}

    def of(self, struct: Any) -> Make:
        """What makes such a struct of an element; of an empty one null.

        It raises OddElementError where the element holds what the types do not let through.
        """
        if struct not in self._made:
            self._made[struct] = lambda element: self._made[struct](element)  # for a tree
            self._made[struct] = self._maker(struct)
        return self._made[struct]

    def _maker(self, struct: Any) -> Make:
        fields = {one.encode_name: at for at, one in enumerate(msgspec.structs.fields(struct))}
        types = [one.type for one in msgspec.structs.fields(struct)]
        places, attributes = _Places(self, fields, types), _Attributes(self.shapes, fields)
        has_attributes = any(name[0] == "@" for name in fields)
        text_at = fields.get(TEXT)
        blank = [None] * len(fields)
        loose = [at for at, one in enumerate(types) if one is Any and at != text_at]

        def make(element: Any) -> Any:
            values: list[Any] = blank[:]
            if has_attributes:
                for key, value in element.items():
                    if (at := attributes[key]) is not None:
                        values[at] = value
            for one in element:
                place = places[one.tag]
                if isinstance(place, int):
                    if values[place] is not None or len(one):
                        raise OddElementError
                    values[place] = one.text or ""
                elif place is not None:
                    at, maker, many, nulls = place
                    value = maker(one)
                    if many:
                        if value is None and not nulls:
                            continue
                        if values[at] is None:
                            values[at] = [value]
                        else:
                            values[at].append(value)
                    elif values[at] is None and value is not None:
                        values[at] = value
                    else:  # a second one, or an object that is empty
                        raise OddElementError
            if text_at is not None:
                values[text_at] = "".join(element.itertext()) or None
            for at in loose:
                found = values[at]
                if found.__class__ is list and len(found) == 1:
                    values[at] = found[0]
            if len(element) or _says_anything(element):
                return struct(*values)
            return None

        return make

    def place(self, at: int, wanted: Any, tag: str) -> _Place | int:
        """Where a child element goes, of which a type is wanted: a text in the field itself."""
        shape = self.shapes.of(self.shapes.names.element(tag), wanted)
        if wanted is NoneType:
            return _Place(at, _refused)
        if shape.fields is not None:
            return _Place(at, self.of(shape.struct), shape.as_list)
        if shape.text_alone:
            return _Place(at, lambda one: _text(one, shape), True) if shape.as_list else at
        return _Place(at, lambda one: built(one, shape), True, True)


class _Places(dict[str, "_Place | int | None"]):
    """Where the child elements of one kind of element go, by their tags."""

    def __init__(self, builder: StructBuilder, fields: dict[str, int], types: list[Any]) -> None:
        self._builder, self._fields, self._types = builder, fields, types

    def __missing__(self, tag: str) -> _Place | int | None:
        at = self._fields.get(self._builder.shapes.names.element(tag))
        found = None if at is None else self._builder.place(at, self._types[at], tag)
        self[tag] = found
        return found


class _Attributes(dict[str, "int | None"]):
    """Where the attributes of one kind of element go."""

    def __init__(self, shapes: ElementShapes, fields: dict[str, int]) -> None:
        self._names, self._fields = shapes.names, fields

    def __missing__(self, key: str) -> int | None:
        found = None if key == NIL else self._fields.get(self._names.attribute(key))
        self[key] = found
        return found


def _says_anything(element: Any) -> bool:
    """Whether an element without others in it has a text or attributes."""
    text, attributes = element.text, element.items()
    has_text = text is not None and not text.isspace()
    return has_text or len(attributes) > 1 or (bool(attributes) and attributes[0][0] != NIL)


def _text(element: Any, shape: Shape) -> Any:
    value = built(element, shape)
    if value is not None and value.__class__ is not str:
        raise OddElementError
    return value


def _refused(element: Any) -> Any:
    raise OddElementError
