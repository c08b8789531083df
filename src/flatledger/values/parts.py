"""The single values within a whole one: the parts of an object or a list, at any depth."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any


def parts(value: Any) -> Iterator[Any]:
    """Every value within that is no object and no list, in the order of the document.

    >>> list(parts({"name": "Ilse", "roles": ["mate", {"also": "cook"}], "since": None}))
    ['Ilse', 'mate', 'cook', None]
    """
    waiting = [value]  # no recursion: a document may be deep
    while waiting:
        item = waiting.pop()
        if isinstance(item, dict):
            waiting += reversed(item.values())
        elif isinstance(item, list | tuple):
            waiting += reversed(item)
        else:
            yield item
