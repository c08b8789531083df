"""Items of a layout's text as plain data, which JSON can hold, and back.

>>> from ..model.text import read_yaml
>>> to_plain(read_yaml("row-per: no", "a layout"))
['map', 1, 1, [[['', 'row-per', 1, 1], ['', 'no', 1, 10]]]]
"""

from __future__ import annotations

from typing import Any

from ..model.text import Item, ItemList, ItemMap, Scalar

_STYLES = ("", "'", '"', "|", ">")


def to_plain(item: Item) -> list[Any]:
    """Items of one file as lists, texts and numbers."""
    if isinstance(item, Scalar):
        return [item.style, item.text, item.line, item.column]
    if isinstance(item, ItemList):
        return ["list", item.line, item.column, [*map(to_plain, item.items)]]
    pairs = [[to_plain(key), to_plain(value)] for key, value in item.pairs]
    return ["map", item.line, item.column, pairs]


def from_plain(data: Any, file: str) -> Item:
    """The items of a file that plain data stand for. Raises ValueError for what is none."""
    match data:
        case ["list", int(line), int(column), list(items)]:
            return ItemList(tuple(from_plain(one, file) for one in items), line, column, file)
        case ["map", int(line), int(column), list(pairs)]:
            read = [(_scalar(key, file), from_plain(value, file)) for key, value in pairs]
            return ItemMap(tuple(read), line, column, file)
    return _scalar(data, file)


def _scalar(data: Any, file: str) -> Scalar:
    match data:
        case [str(style), str(text), int(line), int(column)] if style in _STYLES:
            return Scalar(text, line, column, style, file)
    raise ValueError(f"{data!r:.60} is no item")
