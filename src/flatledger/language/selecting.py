"""Selecting: a path applied to a JSON value gives its nodelist (RFC 9535).

Each segment is compiled once into a function from a node to nodes. A node is a pair of its location
(names and indexes, from the outermost) and its value. In a layout two relaxations are on: a name
step on a list goes to each of its entries, and a lone object where the data has lists is taken for
a list of one before a selector.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Iterator
from decimal import Decimal
from math import isfinite
from typing import Any

from ..values.own_texts import TEXT, WITHIN, own_text, own_value
from ..values.patterns import interoperable
from . import nodes as n
from .choosing import Chooser, chooser_of

Location = tuple[str | int, ...]
NodePair = tuple[Location, Any]
Step = Callable[[NodePair, Any], Iterator[NodePair]]
IsLevel = Callable[[tuple[str, ...]], bool]
Test = Callable[[Any, Any], bool]


class Nothing:
    """The special result of RFC 9535 for a value that is not there."""


NOTHING = Nothing()


class Selection:
    """A compiled path. ``find`` gives the values, ``nodes`` also their locations."""

    def __init__(self, steps: list[Step], singular: bool, of_list: Chooser | None = None) -> None:
        """``of_list`` finds the same values in a list, where there is a shorter way to them."""
        self._steps = steps
        self.singular = singular
        self._of_list = of_list

    def nodes(self, value: Any, root: Any = NOTHING) -> list[NodePair]:
        """The nodelist: locations with values, in the standard's order."""
        top = value if root is NOTHING else root
        found: list[NodePair] = [((), value)]
        for step in self._steps:
            found = [below for node in found for below in step(node, top)]
            if not found:
                break
        return found

    def find(self, value: Any, root: Any = NOTHING) -> list[Any]:
        """The values of the nodelist."""
        if self._of_list is not None and value.__class__ is list:
            return self._of_list(value)
        return [item for _, item in self.nodes(value, root)]


def compile_path(
    segments: tuple[n.Segment, ...],
    *,
    start: tuple[str, ...] = (),
    is_level: IsLevel | None = None,
    has_own_texts: bool = False,
) -> Selection:
    """Compile segments. With ``is_level`` the relaxations of a layout are on: it tells whether a
    place (names from the record; ``start`` is where the segments begin) repeats in the data.
    With ``has_own_texts`` an object may stand where filters compare a text.
    """
    steps: list[Step] = []
    place: tuple[str, ...] | None = start
    chosen = False  # whether it is an entry of the place, and no list any longer
    for segment in segments:
        # the record itself is no list, and the relaxation does not reach into `..`
        listed = bool(is_level and place and not segment.descendant and is_level(place))
        listed = listed and not chosen
        relaxed = is_level is not None
        steps.append(_segment(segment, relaxed=relaxed, listed=listed, has_own_texts=has_own_texts))
        place, chosen = _place_after(segment, place, listed or chosen)
    singular = n.FieldPath(0, segments).is_singular()
    has_chooser = is_level is not None and not has_own_texts
    return Selection(steps, singular, chooser_of(segments) if has_chooser else None)


def _place_after(
    segment: n.Segment, place: tuple[str, ...] | None, listed: bool
) -> tuple[tuple[str, ...] | None, bool]:
    """Where a segment leads to, and whether to an entry of that place."""
    if segment.descendant or place is None:
        return None, False
    only = segment.selectors[0]
    if len(segment.selectors) == 1 and isinstance(only, n.Name):
        return (*place, only.name), False
    return (place, True) if listed else (None, False)


# ---- segments --------------------------------------------------------------------------------


def _segment(segment: n.Segment, *, relaxed: bool, listed: bool, has_own_texts: bool) -> Step:
    only = segment.selectors[0]
    if relaxed and not segment.descendant and isinstance(only, n.Name) and not only.bracketed:
        return _relaxed_name(only.name)
    selectors = [_selector(selector, has_own_texts) for selector in segment.selectors]

    def children(node: NodePair, root: Any) -> Iterator[NodePair]:
        if listed and isinstance(node[1], dict):
            node = (node[0], [node[1]])
        for selector in selectors:
            yield from selector(node, root)

    if not segment.descendant:
        return children

    def descendants(node: NodePair, root: Any) -> Iterator[NodePair]:
        waiting = [node]
        while waiting:
            current = waiting.pop()
            yield from children(current, root)
            waiting.extend(reversed(list(_children(current))))

    return descendants


def _relaxed_name(name: str) -> Step:
    def step(node: NodePair, root: Any) -> Iterator[NodePair]:
        location, value = node
        if isinstance(value, dict):
            if name in value:
                yield (*location, name), value[name]
        elif isinstance(value, list):
            for index, entry in enumerate(value):
                yield from step(((*location, index), entry), root)

    return step


def _children(node: NodePair) -> Iterator[NodePair]:
    location, value = node
    if isinstance(value, dict):
        for name, item in value.items():
            if name != WITHIN:
                yield (*location, name), item
    elif isinstance(value, list):
        for index, item in enumerate(value):
            yield (*location, index), item


# ---- selectors -------------------------------------------------------------------------------


def _selector(selector: n.Node, has_own_texts: bool) -> Step:
    match selector:
        case n.Name():
            return _name(selector.name)
        case n.Index():
            return _index(selector.index)
        case n.Slice():
            return _slice(slice(selector.start, selector.stop, selector.step))
        case n.Filter():
            return _filter(_test(selector.test, has_own_texts))
        case _:
            return lambda node, root: _children(node)


def _name(name: str) -> Step:
    def step(node: NodePair, root: Any) -> Iterator[NodePair]:
        location, value = node
        if isinstance(value, dict) and name in value:
            yield (*location, name), value[name]

    return step


def _index(index: int) -> Step:
    def step(node: NodePair, root: Any) -> Iterator[NodePair]:
        location, value = node
        if isinstance(value, list) and -len(value) <= index < len(value):
            place = index if index >= 0 else len(value) + index
            yield (*location, place), value[place]

    return step


def _slice(bounds: slice) -> Step:
    def step(node: NodePair, root: Any) -> Iterator[NodePair]:
        location, value = node
        if isinstance(value, list) and bounds.step != 0:
            for place in range(*bounds.indices(len(value))):
                yield (*location, place), value[place]

    return step


def _filter(test: Test) -> Step:
    def step(node: NodePair, root: Any) -> Iterator[NodePair]:
        for child in _children(node):
            if test(child[1], root):
                yield child

    return step


# ---- filters ---------------------------------------------------------------------------------


def _test(node: n.Node, has_own_texts: bool) -> Test:
    match node:
        case n.FilterOr():
            parts = [_test(part, has_own_texts) for part in node.parts]
            return lambda item, root: any(part(item, root) for part in parts)
        case n.FilterAnd():
            parts = [_test(part, has_own_texts) for part in node.parts]
            return lambda item, root: all(part(item, root) for part in parts)
        case n.FilterNot():
            negated = _test(node.part, has_own_texts)
            return lambda item, root: not negated(item, root)
        case n.FilterExists():
            return _exists(node.part, has_own_texts)
        case n.FilterComparison():
            sides = _operand(node.left, has_own_texts), _operand(node.right, has_own_texts)
            return _comparison(node.operator, *sides)
    raise AssertionError(f"no test: {node}")


def _exists(part: n.Node, has_own_texts: bool) -> Test:
    if isinstance(part, n.FilterCall):
        call = _call(part, has_own_texts)
        return lambda item, root: call(item, root) is True
    assert isinstance(part, n.FieldPath)
    nodes = _query(part, has_own_texts)
    return lambda item, root: bool(nodes(item, root))


def _query(path: n.FieldPath, has_own_texts: bool) -> Callable[[Any, Any], list[Any]]:
    selection = compile_path(path.segments, has_own_texts=has_own_texts)
    if path.relative:
        return lambda item, root: selection.find(item, root)
    return lambda item, root: selection.find(root, root)


def _operand(node: n.Node, has_own_texts: bool) -> Callable[[Any, Any], Any]:
    """A value, or NOTHING."""
    if has_own_texts and isinstance(node, n.FieldPath):
        return _element_operand(node)
    if isinstance(node, n.FilterLiteral):
        value = node.value
        return lambda item, root: value
    if isinstance(node, n.FilterCall):
        return _call(node, has_own_texts)
    assert isinstance(node, n.FieldPath)
    names = node.names()
    if node.relative and names is not None and len(names) == 1:
        name = names[0]
        return lambda item, root: item.get(name, NOTHING) if isinstance(item, dict) else NOTHING
    return _single(_query(node, has_own_texts))


def _single(nodes: Callable[[Any, Any], list[Any]]) -> Callable[[Any, Any], Any]:
    def single(item: Any, root: Any) -> Any:
        found = nodes(item, root)
        return found[0] if found else NOTHING

    return single


def _element_operand(path: n.FieldPath) -> Callable[[Any, Any], Any]:
    """The value of an element, or all its text where a path ends so."""
    names, segments = path.names(), path.segments
    of_text = names is not None and names[-1:] == (TEXT,)
    if of_text:
        segments = segments[:-1]
    single = _single(_query(n.FieldPath(path.position, segments, path.relative), True))
    value = own_text if of_text else own_value
    return lambda item, root: value(single(item, root))


def _comparison(
    operator: str, left: Callable[[Any, Any], Any], right: Callable[[Any, Any], Any]
) -> Test:
    compare: Test = {
        "==": equal,
        "!=": lambda a, b: not equal(a, b),
        "<": less,
        ">": lambda a, b: less(b, a),
        "<=": lambda a, b: less(a, b) or equal(a, b),
        ">=": lambda a, b: less(b, a) or equal(a, b),
    }[operator]
    return lambda item, root: compare(left(item, root), right(item, root))


# ---- functions -------------------------------------------------------------------------------


def _call(node: n.FilterCall, has_own_texts: bool) -> Callable[[Any, Any], Any]:
    first = node.arguments[0]
    if node.name in ("count", "value"):
        assert isinstance(first, n.FieldPath)
        nodes = _query(first, has_own_texts)
        if node.name == "count":
            return lambda item, root: len(nodes(item, root))
        single = own_value if has_own_texts else _as_it_is
        return lambda item, root: single(_only(nodes(item, root)))
    value = _operand(first, has_own_texts)
    if node.name == "length":
        return lambda item, root: _length(value(item, root))
    pattern, full = _operand(node.arguments[1], has_own_texts), node.name == "match"
    return lambda item, root: _matches(value(item, root), pattern(item, root), full)


def _as_it_is(value: Any) -> Any:
    return value


def _only(values: list[Any]) -> Any:
    return values[0] if len(values) == 1 else NOTHING


def _length(value: Any) -> Any:
    value = _moment_text(value)
    return len(value) if isinstance(value, str | list | dict) else NOTHING


def _matches(text: Any, pattern: Any, full: bool) -> bool:
    text = _moment_text(text)
    compiled = interoperable(pattern) if isinstance(pattern, str) else None
    if compiled is None or not isinstance(text, str):
        return False
    return compiled.full(text) if full else compiled.part(text)


# ---- the public face -------------------------------------------------------------------------


class StandardPath:
    """A JSONPath query exactly as RFC 9535 has it.

    >>> from flatledger.language import parse_path
    >>> path = parse_path("$.lines[?@.qty > 1].part")
    >>> requisition = {"lines": [{"part": "wick", "qty": 1}, {"part": "lens", "qty": 2}]}
    >>> path.find(requisition), path.paths(requisition)
    (['lens'], ["$['lines'][1]['part']"])
    """

    def __init__(self, path: n.FieldPath) -> None:
        self.path = path
        self._selection = compile_path(path.segments)

    def find(self, value: Any) -> list[Any]:
        """The values that the query selects, in the standard's order."""
        return self._selection.find(value)

    def paths(self, value: Any) -> list[str]:
        """The normalised paths of the nodes that the query selects (RFC 9535, 2.7)."""
        return [normalised(location) for location, _ in self._selection.nodes(value)]


_SHORT = {"\b": "\\b", "\t": "\\t", "\n": "\\n", "\f": "\\f", "\r": "\\r", "'": "\\'", "\\": "\\\\"}


def normalised(location: Location) -> str:
    r"""The normalised path of a location.

    >>> normalised(("it's", 0))
    "$['it\\'s'][0]"
    """
    steps = (f"[{part}]" if isinstance(part, int) else f"['{_escaped(part)}']" for part in location)
    return "$" + "".join(steps)


def _escaped(name: str) -> str:
    return "".join(
        _SHORT.get(letter) or (f"\\u{ord(letter):04x}" if letter < " " else letter)
        for letter in name
    )


# ---- comparing JSON values, as filters do (RFC 9535, 2.3.5.2.2)


def _is_number(value: Any) -> bool:
    if isinstance(value, float | Decimal):
        return isfinite(value)
    return isinstance(value, int) and not isinstance(value, bool)


def _exact(number: Any) -> Any:
    """A binary float as the decimal that it shows, so that 1.1 is 1.1."""
    return Decimal(repr(number)) if isinstance(number, float) else number


def equal(left: Any, right: Any) -> bool:
    """Equality of JSON values: true is not 1, 1 is 1.0; nothing equals nothing."""
    if _is_number(left) and _is_number(right):
        return bool(_exact(left) == _exact(right))
    if left.__class__ is not right.__class__:
        texts = _moment_text(left), _moment_text(right)
        return texts != (left, right) and equal(*texts)
    if isinstance(left, list):
        return len(left) == len(right) and all(map(equal, left, right))
    if isinstance(left, dict):
        return left.keys() == right.keys() and all(equal(left[key], right[key]) for key in left)
    return bool(left == right)


def less(left: Any, right: Any) -> bool:
    """Order: numbers among numbers, texts among texts by code points; else false."""
    if _is_number(left) and _is_number(right):
        return bool(_exact(left) < _exact(right))
    left, right = _moment_text(left), _moment_text(right)
    return isinstance(left, str) and isinstance(right, str) and left < right


def _moment_text(value: Any) -> Any:
    """A day, moment or time of day, which a program's records may have, as JSON would have it."""
    return value.isoformat() if isinstance(value, dt.date | dt.time) else value
