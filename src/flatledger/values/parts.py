"""The single values within a whole one: the elements of lists in lists, the parts of objects.

Nothing here goes down step by step of Python's own stack: a document may be deeper than that.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Any

import msgspec

BLANKS = " \t\r\n\f\v"  # a text of nothing else is null (docs/rules.md, 12)
WHOLE = (dict, list, tuple, msgspec.Struct)


def flattened(values: Iterable[Any]) -> Iterator[Any]:
    """The values of a list and of the lists within it.

    >>> list(flattened([1, [2, [3, {"no": [4]}]], None]))
    [1, 2, 3, {'no': [4]}, None]
    """
    ways = [iter(values)]
    while ways:
        for value in ways[-1]:
            if isinstance(value, list | tuple):
                ways.append(iter(value))
                break
            yield value
        else:
            ways.pop()


def parts(value: Any) -> Iterator[Any]:
    """Every value within that is no object and no list, in the order of the document.

    >>> list(parts({"name": "Ilse", "roles": ["mate", {"also": "cook"}], "since": None}))
    ['Ilse', 'mate', 'cook', None]
    """
    waiting = [value]
    while waiting:
        item = waiting.pop()
        if isinstance(item, WHOLE):
            waiting += reversed(_elements(item))
        else:
            yield item


def goes_deeper(value: Any, most: int) -> bool:
    """Whether more than so many lists and objects stand within each other in a value.

    >>> goes_deeper({"no": [1]}, 2), goes_deeper({"no": [[1]]}, 2)
    (False, True)
    """
    within = [value] if isinstance(value, WHOLE) else []
    for _ in range(most):
        within = [part for one in within for part in _elements(one) if isinstance(part, WHOLE)]
        if not within:
            return False
    return True


def _elements(whole: Any) -> Sequence[Any]:
    if isinstance(whole, dict):
        return list(whole.values())
    return msgspec.structs.astuple(whole) if isinstance(whole, msgspec.Struct) else whole
