"""What an element of marked-up text is worth where one plain value is wanted.

An element is an object: its attributes are members `@name`, its child elements members by their
names. One that has a text of its own has all its text as the member `#text`, and stands for that.
An element with neither attributes nor child elements is that text alone.
"""

from __future__ import annotations

from typing import Any

TEXT = "#text"
LEADER = "LDR"  # what the notation of catalogues calls the leader of a record
WITHIN = "\ue000text"  # all text of an element that has none of its own, where a layout asks for it


def element_value(value: Any) -> Any:
    """The text of an element, if it has one; else the whole. Of a list, that of each entry.

    >>> element_value({"#text": "4", "@unit": "kg"}), element_value({"@no": "1", "qty": "4"})
    ('4', {'@no': '1', 'qty': '4'})
    """
    if value.__class__ is list:
        return [element_value(one) for one in value]
    if value.__class__ is not dict:
        return value
    return value[TEXT] or None if TEXT in value else told(value)


def element_text(value: Any) -> Any:
    """All text of an element, be it within others; of a list, that of each entry.

    >>> element_text({"#text": "4", "@unit": "kg"}), element_text("4")
    ('4', '4')
    """
    if value.__class__ is list:
        return [element_text(one) for one in value]
    return value.get(TEXT, value.get(WITHIN)) or None if value.__class__ is dict else value


def texts_for_elements(value: Any) -> Any:
    """A whole value in which each element that has a text is that text alone, however deep.

    >>> texts_for_elements({"@no": "1", "name": {"#text": "wick", "@lang": "en"}})
    {'@no': '1', 'name': 'wick'}
    """
    value = element_value(value)
    if value.__class__ is list:
        return [texts_for_elements(one) for one in value]
    if value.__class__ is not dict:
        return value
    return {name: texts_for_elements(one) for name, one in value.items()}


def told(value: Any) -> Any:
    """A whole value without what a reader keeps in it for `element_text`, however deep it is.

    >>> told({"a": {WITHIN: "xy", "b": ["x", "y"]}})
    {'a': {'b': ['x', 'y']}}
    """
    made = _empty(value)
    waiting = [] if made is value else [(value, made)]
    while waiting:
        source, copy = waiting.pop()
        for name, one in source.items() if source.__class__ is dict else enumerate(source):
            if name == WITHIN:
                continue
            below = _empty(one)
            if copy.__class__ is dict:
                copy[name] = below
            else:
                copy.append(below)
            if below is not one:
                waiting.append((one, below))
    return made


def _empty(value: Any) -> Any:
    """What an object or a list is copied into; a single value itself."""
    return {} if value.__class__ is dict else [] if value.__class__ is list else value
