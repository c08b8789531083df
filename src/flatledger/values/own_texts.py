"""What an object with a text of its own is worth where one plain value is wanted.

Records of some formats have such objects: what is said of the text are members `@name`, what lies
within it members by their names, and all the text is the member `#text`, for which the object
stands. Where there is nothing but the text, it is that alone.
"""

from __future__ import annotations

from typing import Any

TEXT = "#text"
WITHIN = "\ue000text"  # all text within an object that has none of its own, where it is asked for


def own_value(value: Any) -> Any:
    """The text of an object that has one of its own, else the whole; of a list, that of each.

    >>> own_value({"#text": "4", "@unit": "kg"}), own_value({"@no": "1", "qty": "4"})
    ('4', {'@no': '1', 'qty': '4'})
    """
    if value.__class__ is list:
        return [own_value(one) for one in value]
    if value.__class__ is not dict:
        return value
    return value[TEXT] or None if TEXT in value else as_read(value)


def own_text(value: Any) -> Any:
    """All text of an object, be it within others; of a list, that of each entry.

    >>> own_text({"#text": "4", "@unit": "kg"}), own_text("4")
    ('4', '4')
    """
    if value.__class__ is list:
        return [own_text(one) for one in value]
    return value.get(TEXT, value.get(WITHIN)) or None if value.__class__ is dict else value


def own_texts_in(value: Any) -> Any:
    """A whole value in which each object with a text of its own is that text alone, however deep.

    >>> own_texts_in({"@no": "1", "name": {"#text": "wick", "@lang": "en"}})
    {'@no': '1', 'name': 'wick'}
    """
    value = own_value(value)
    if value.__class__ is list:
        return [own_texts_in(one) for one in value]
    if value.__class__ is not dict:
        return value
    return {name: own_texts_in(one) for name, one in value.items()}


def as_read(value: Any) -> Any:
    """A whole value without what a reader keeps in it for `own_text`, however deep it is.

    >>> as_read({"a": {WITHIN: "xy", "b": ["x", "y"]}})
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
