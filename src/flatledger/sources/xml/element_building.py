"""From the elements of a document to plain data, each in the shape that is wanted of it."""

from __future__ import annotations

from typing import Any

from ...values.own_texts import TEXT, WITHIN
from .element_shapes import Shape

NIL = "{http://www.w3.org/2001/XMLSchema-instance}nil"  # what has it is empty (XML Schema, 2.6.2)


def built(element: Any, shape: Shape) -> Any:
    """What is wanted of an element (of lxml); None where it is empty."""
    if shape.fields is not None:
        return _object(element, shape)
    if len(element):
        return _whole(element, shape)
    text = element.text
    attributes = None if shape.text_alone else element.items()
    if attributes and (members := _members(attributes, shape)):
        return {TEXT: text or "", **members}
    return None if text is None or text.isspace() else text


def _object(element: Any, shape: Shape) -> Any:
    """An element as an object with the fields that are wanted of it."""
    members: dict[str, Any] = {}
    filled, attributes = False, element.items()
    if attributes:
        members = _members(attributes, shape)
        filled = len(attributes) > 1 or attributes[0][0] != NIL
    below, filled = shape.below, filled or len(element) > 0
    for one in element:
        inner = below[one.tag]
        if inner is not None:
            if inner.text_alone and not len(one):
                value = one.text
                if value is not None and value.isspace():
                    value = None
            else:
                value = built(one, inner)
            _put(members, inner, value)
    if shape.wants_text:
        members[TEXT] = "".join(element.itertext()) or None
    if filled:
        return members
    text = element.text
    return None if text is None or text.isspace() else members


def _put(members: dict[str, Any], shape: Shape, value: Any) -> None:
    name = shape.name
    if shape.as_list:
        entries = members.setdefault(name, [])
        if value is not None:
            entries.append(value)
    elif name not in members:
        members[name] = value
    else:
        repeat(members, name, value)


def repeat(members: dict[str, Any], name: str, value: Any) -> None:
    """Add a value to a member that is there already: it repeats."""
    if members[name].__class__ is list:
        members[name].append(value)
    else:
        members[name] = [members[name], value]


def _whole(element: Any, shape: Shape) -> Any:
    """All of an element with others in it; of one that has a text of its own it is the ``#text``.

    Where it is a text that is wanted alone, that.
    """
    attributes, text = element.items(), element.text
    members = _members(attributes, shape) if attributes else {}
    below, own = shape.below, text is not None and not text.isspace()
    for one in element:
        inner = below[one.tag]
        assert inner is not None  # nothing is passed over in a whole one
        _put(members, inner, built(one, inner))
        if not own and (tail := one.tail) is not None:
            own = not tail.isspace()
    if own and shape.text_alone:
        return "".join(element.itertext())
    if own:
        return {TEXT: "".join(element.itertext()), **members}
    if shape.keeps_text:
        members[WITHIN] = "".join(element.itertext())
    return members


def _members(attributes: list[tuple[str, str]], shape: Shape) -> dict[str, Any]:
    """The members that attributes are."""
    names = shape.attributes
    return {name: value for key, value in attributes if key != NIL and (name := names[key])}
