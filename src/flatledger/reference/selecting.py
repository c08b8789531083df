"""The rest of a path after its plain names: RFC 9535 with the two relaxations of a layout."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator
from decimal import Decimal
from typing import Any

from ..language import nodes as n
from ..structure.levels import Names
from ..values.own_texts import TEXT, WITHIN, own_text, own_value
from ..values.patterns import interoperable
from .exact import compared, is_number

MISSING = object()


class Selecting:
    """Applies segments to a value. ``is_level`` tells of places by their names.
    With ``has_own_texts`` there may be an object where a filter compares a text."""

    def __init__(self, is_level: Callable[[Names], bool], has_own_texts: bool, root: Any) -> None:
        self._is_level, self._has_own_texts, self._root = is_level, has_own_texts, root

    def found(self, value: Any, segments: tuple[n.Segment, ...], start: Names) -> list[Any]:
        """The values that segments select, in the standard's order; ``start`` is where they begin.

        A child name goes to each entry of a list, and a lone object at a level is a list of one
        before a selector.
        """
        values, place = [value], start
        known, chosen = True, False  # whether the place is, and whether it is an entry of it
        for segment in segments:
            only = segment.selectors[0]
            alone = not segment.descendant and len(segment.selectors) == 1
            name = only if alone and isinstance(only, n.Name) else None
            at_level = known and bool(place) and self._is_level(place) and not chosen
            if name is not None and not name.bracketed:
                values = [one for value in values for one in _named(value, name.name)]
            else:
                values = [
                    one
                    for value in values
                    for one in self._step(segment, value, at_level and not segment.descendant)
                ]
            if segment.descendant or not known:
                known = False
            elif name is not None:
                place, chosen = (*place, name.name), False
            else:
                known = chosen = at_level or chosen
        return values

    def _step(self, segment: n.Segment, value: Any, at_level: bool) -> Iterator[Any]:
        if at_level and isinstance(value, dict):
            value = [value]
        waiting = [value]
        while waiting:
            one = waiting.pop()
            for selector in segment.selectors:
                yield from self._selected(selector, one)
            if segment.descendant:
                waiting += reversed([child for _, child in _children(one)])

    def _selected(self, selector: n.Node, value: Any) -> Iterator[Any]:
        """What one selector chooses among the children of a value (RFC 9535, 2.3)."""
        match selector:
            case n.Name(name=name):
                if isinstance(value, dict) and name in value:
                    yield value[name]
            case n.Index(index=index):
                if isinstance(value, list) and -len(value) <= index < len(value):
                    yield value[index]
            case n.Slice(start=start, stop=stop, step=step):
                if isinstance(value, list) and step != 0:
                    yield from value[start:stop:step]
            case n.Filter(test=test):
                yield from (one for _, one in _children(value) if self._holds(test, one))
            case _:
                yield from (one for _, one in _children(value))

    # ---- filters (RFC 9535, 2.3.5)

    def _holds(self, test: n.Node, item: Any) -> bool:
        match test:
            case n.FilterOr(parts=parts):
                return any(self._holds(part, item) for part in parts)
            case n.FilterAnd(parts=parts):
                return all(self._holds(part, item) for part in parts)
            case n.FilterNot(part=part):
                return not self._holds(part, item)
            case n.FilterExists(part=n.FilterCall() as call):
                return self._call(call, item) is True
            case n.FilterExists(part=part):
                return bool(self._query(part, item))
            case n.FilterComparison(operator=operator, left=left, right=right):
                return _compares(operator, self._operand(left, item), self._operand(right, item))
        raise AssertionError(f"no test: {test}")

    def _query(self, path: n.Node, item: Any) -> list[Any]:
        """The values of a query within a filter, where no relaxation reaches."""
        assert isinstance(path, n.FieldPath)
        values = [item if path.relative else self._root]
        for segment in path.segments:
            values = [one for value in values for one in self._step(segment, value, False)]
        return values

    def _operand(self, node: n.Node, item: Any) -> Any:
        if isinstance(node, n.FilterLiteral):
            return node.value
        if isinstance(node, n.FilterCall):
            return self._call(node, item)
        assert isinstance(node, n.FieldPath)
        if not self._has_own_texts:
            return next(iter(self._query(node, item)), MISSING)
        names = node.names()
        if names is not None and names[-1:] == (TEXT,):
            above = n.FieldPath(node.position, node.segments[:-1], node.relative)
            return own_text(next(iter(self._query(above, item)), MISSING))
        return own_value(next(iter(self._query(node, item)), MISSING))

    def _call(self, node: n.FilterCall, item: Any) -> Any:
        first = node.arguments[0]
        if node.name == "count":
            return len(self._query(first, item))
        if node.name == "value":
            found = self._query(first, item)
            only = found[0] if len(found) == 1 else MISSING
            return own_value(only) if self._has_own_texts else only
        value = _plain(self._operand(first, item))
        if node.name == "length":
            return len(value) if isinstance(value, str | list | dict) else MISSING
        pattern = self._operand(node.arguments[1], item)
        compiled = interoperable(pattern) if isinstance(pattern, str) else None
        if compiled is None or not isinstance(value, str):
            return False
        return compiled.full(value) if node.name == "match" else compiled.part(value)


def _named(value: Any, name: str) -> Iterator[Any]:
    if isinstance(value, dict) and name in value:
        yield value[name]
    elif isinstance(value, list):
        for one in value:
            yield from _named(one, name)


def _children(value: Any) -> Iterator[tuple[str | int, Any]]:
    if isinstance(value, dict):
        yield from ((name, one) for name, one in value.items() if name != WITHIN)
    elif isinstance(value, list):
        yield from enumerate(value)


def _compares(operator: str, left: Any, right: Any) -> bool:
    """Two values by RFC 9535, 2.3.5.2.2: only numbers and texts have an order."""
    match operator:
        case "==":
            return _equal(left, right)
        case "!=":
            return not _equal(left, right)
        case "<":
            return _less(left, right)
        case ">":
            return _less(right, left)
        case "<=":
            return _less(left, right) or _equal(left, right)
    return _less(right, left) or _equal(left, right)


def _plain(value: Any) -> Any:
    """A value as JSON would have it, with exact numbers."""
    if isinstance(value, dt.date | dt.time):
        return value.isoformat()
    return Decimal(repr(value)) if isinstance(value, float) else value


def _equal(left: Any, right: Any) -> bool:
    left, right = _plain(left), _plain(right)
    if is_number(left) and is_number(right):
        return compared(left, right) == 0
    if isinstance(left, list) and isinstance(right, list):
        return len(left) == len(right) and all(map(_equal, left, right))
    if isinstance(left, dict) and isinstance(right, dict):
        return left.keys() == right.keys() and all(_equal(left[k], right[k]) for k in left)
    return type(left) is type(right) and bool(left == right)


def _less(left: Any, right: Any) -> bool:
    left, right = _plain(left), _plain(right)
    if is_number(left) and is_number(right):
        return compared(left, right) < 0
    return isinstance(left, str) and isinstance(right, str) and left < right
