"""Laying trees flat: each level that nests in itself becomes a plain list of all its nodes.

It is the first step with records, so that all that follows meets a level like any other. Where each
node of a list stands is known beside the records (`places_of`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from copy import copy
from functools import partial
from operator import attrgetter
from typing import Any

import msgspec

from ...layout.model.tree_options import Nest
from ...plan.plan import Plan
from ...structure.levels import Names, level_name
from ...structure.record_types import Field, Other
from ...structure.structure import MEMBERS
from ...values.faults import Fault, FaultNotes, shown
from ...values.functions import text_of
from ...values.numbers import read_decimal
from ..runtime.definitions import NodeDefinitions, name_of
from ..runtime.level_entries import NO_FIELDS
from ..runtime.plain_data import as_structs, is_null, siblings
from ..runtime.subtrees import Subtrees
from ..runtime.tree import NodePlaces, Tree
from .opening import Closed, Opener, pruned

NONE = NodePlaces.of(Tree((), ()))


class Flattener:
    """Lays the trees of one plan flat, and knows where the nodes of each list stand."""

    def __init__(
        self, plan: Plan, faults: FaultNotes, definitions: NodeDefinitions | None = None
    ) -> None:
        """``definitions`` are there where nodes are opened by them."""
        self._plan, self._definitions = plan, definitions
        self._openers: dict[Names, Opener] = {}
        self.passes: Callable[[Any, int], bool] | None = None  # else it is opened by no definition
        self._faults, self._number, self._own_name, self._passed = faults, 0, "", True
        self._nest = plan.layout.nest
        self._root = plan.record_types.root
        trees = plan.chain.known.trees
        self._levels = [names for names in plan.repeating if names in trees]
        self._inner = trees
        self.nested: set[Names] = set()  # members by which levels were met to nest
        self._places: dict[
            int, tuple[NodePlaces, Any]
        ] = {}  # by the identity of a list, which is held
        self._depths: dict[int, int] = {}  # of nodes, by their identity
        self._noted: list[NodePlaces] = []  # those whose depths are not among these yet

    @property
    def needed(self) -> bool:
        """Whether there is a tree to lay flat."""
        return bool(self._levels)

    def open_by(self, closed: Mapping[Names, Closed]) -> None:
        """Take note how far nodes are opened; ``closed`` says which of a level stay closed.

        Raises msgspec.ValidationError where definitions do not fit the types of the records.
        """
        depths = {one.chain.levels[-1]: one.to_depth for one in self._plan.openings}
        by = self._plan.layout.opens_by
        defined = [by.level] if by is not None and self._definitions is not None else []
        for level in (one for one in self._levels if one in (*depths, *defined)):
            place = self._plan.record_types.place_of(level)
            inner = _getter(place, below=True), self._inner[level]
            typed = place is not None and not place.whole and place.only is None
            below = partial(_of_node, *inner, struct=place.struct if typed else None)
            how = Opener(level, below, depths.get(level), closed.get(level))
            self._openers[level] = self._defined(how, place) if level in defined else how

    def _defined(self, how: Opener, place: Field) -> Opener:
        """The same with the definitions of what nodes hold."""
        by, definitions = self._plan.layout.opens_by, self._definitions
        assert by is not None
        assert definitions is not None
        shape = place.struct if place.only else place.struct | Other
        return how._replace(
            key=partial(_of_node, _getter(place), by.key[0]),
            defined=definitions.of_type(None if place.whole else shape),
            used=definitions.used,
            tell=self._tell_circle,
        )

    def _tell_circle(self, place: int, name: str, reason: str) -> None:
        by = self._plan.layout.opens_by
        path = level_name((*by.level, *by.key)) if by is not None else ""
        self._faults.add(Fault(self._number, path, name, reason, ordinals=(place,)))

    def _name(self, record: Any) -> str:
        """What a record is called that may be a definition itself."""
        by = self._plan.layout.opens_by
        if by is None or self._definitions is None or self._definitions.file:
            return ""
        return name_of(_getter(self._root)(record, by.named_by))

    def functions(self) -> dict[str, Callable[..., Any]]:
        """What generated code may call, by name."""
        own = (self.places_of, self.object_places, self.object_nodes, self.standing, self.chosen)
        named: dict[str, Callable[..., Any]] = {"note_places": self.note, "Subtrees": Subtrees}
        return {**{function.__name__: function for function in (*own, all_nodes)}, **named}

    def lay(self, records: list[Any], numbers: Sequence[int]) -> list[Any]:
        """The records with each tree as a list of its nodes; those of before are forgotten."""
        for held in (self._places, self._depths, self._noted):
            held.clear()
        for names in self._levels:
            laid = []
            for record, self._number in zip(records, numbers, strict=True):
                self._own_name = self._name(record)
                self._passed = self.passes is None or self.passes(record, self._number)
                laid.append(self._changed(record, names, names, self._root))
            records = laid
        return records

    def _changed(self, value: Any, rest: Names, level: Names, place: Field | None) -> Any:
        """What is on the way to a level, with the list there; what changes is a copy, since another
        table may be made of the same records, or they are a caller's own."""
        if value.__class__ is list:
            return self._renewed(value, [self._changed(v, rest, level, place) for v in value])
        name, rest = rest[0], rest[1:]
        child = place.children.get(name) if place is not None and not place.whole else None
        if value.__class__ is dict:
            names = [*value] if name == MEMBERS else [name] if name in value else []
            found = {key: self._below(value[key], rest, level, child) for key in names}
            return {**value, **found} if found else value
        if child is not None and isinstance(value, msgspec.Struct):
            inner, value = getattr(value, child.attribute), copy(value)
            setattr(value, child.attribute, self._below(inner, rest, level, child))
        return value

    def _renewed(self, former: list[Any], changed: list[Any]) -> list[Any]:
        """A list in the place of another: of nodes it keeps where they stand."""
        if id(former) in self._places:
            depths = self._places[id(former)][0].tree.depths
            self.note(changed, NodePlaces.of(Tree(changed, depths)))
        return changed

    def _below(self, value: Any, rest: Names, level: Names, place: Field | None) -> Any:
        if rest:
            return self._changed(value, rest, level, place)
        if is_null(value):
            return None
        typed = place is not None and not place.whole and place.only is None
        if place is not None and typed and _has_plain_objects(value):
            value = as_structs(list(siblings(value)), place.struct)
        how = self._openers.get(level)
        if how is not None and not self._passed:
            how = how._replace(key=None)
        if self._nest is not None and level == self._nest.level:
            nodes, depths = self._arranged(value, self._nest, place)
            if how is not None:
                nodes, depths = pruned(nodes, depths, how, self._number)
        elif how is not None:
            nodes, depths = how.opened(value, self._number, self._own_name)
            nodes = [without(node, self._inner[level]) for node in nodes]
        elif place is not None and place.only is list and place.below:
            nodes, depths = structs_laid_flat(value, attrgetter(place.below))
        else:
            struct = place.struct if place is not None and typed else None
            below = place.below if place is not None else ""
            nodes, depths = laid_flat(value, self._inner[level], below, struct)
        self.note(nodes, NodePlaces.of(Tree(nodes, depths)))
        inner = (*level, self._inner[level])
        if inner not in self.nested and max(depths, default=1) > 1:
            self.nested.add(inner)
        return nodes

    def _arranged(self, value: Any, nest: Nest, place: Field | None) -> tuple[list[Any], list[int]]:
        """Flat rows as a tree."""
        rows = list(siblings(value))
        get = _getter(place)

        def tell(index: int, field: str, value: Any, reason: str) -> None:
            path = level_name((*nest.level, field))
            fault = Fault(self._number, path, shown(value), reason, ordinals=(index + 1,))
            self._faults.add(fault)

        order, depths = arranged(rows, nest, get, tell)
        return [rows[index] for index in order], depths

    def note(self, nodes: list[Any], places: NodePlaces) -> None:
        """Remember where the nodes of a list stand."""
        self._places[id(nodes)] = places, nodes
        self._noted.append(places)

    def places_of(self, nodes: Any) -> NodePlaces:
        """Where the nodes of a list stand."""
        if not nodes:
            return NONE
        if id(nodes) not in self._places:  # put together from several lists, by a path across them
            for places in self._noted:
                self._depths.update((id(node), depth) for node, depth in places.standing_nodes())
            self._noted.clear()
            entries = nodes if nodes.__class__ is list else list(siblings(nodes))
            tree = Tree(entries, [self._depths.get(id(node), 1) for node in entries])
            self.note(nodes, NodePlaces.of(tree))
        return self._places[id(nodes)][0]

    def chosen(
        self,
        nodes: list[Any],
        at: Sequence[int],
        places: NodePlaces,
        left: frozenset[int],
        matched: frozenset[int],
    ) -> list[Any]:
        """Those nodes, which stand ``at`` some places of a tree, that are left; some of them are
        ``matched``."""
        found = [(node, place) for node, place in zip(nodes, at, strict=True) if place in left]
        kept = [node for node, _ in found]
        self.note(kept, places.left([place for _, place in found], matched))
        return kept

    def object_nodes(self, nodes: Any, path: str, where: Any) -> Iterator[tuple[int, Any]]:
        """The nodes of a list that are objects, with where they stand; what is none is told."""
        for place, node in zip(self.places_of(nodes), nodes or (), strict=True):
            if node.__class__ is dict or isinstance(node, msgspec.Struct):
                yield place, node
            elif node is not None:
                reason = NO_FIELDS
                fault = Fault(where[0], path, shown(node), reason, ordinals=tuple(where[1:]))
                self._faults.add(fault)

    def object_places(self, nodes: Any) -> NodePlaces:
        """Where they stand."""
        places = self.places_of(nodes)
        if {*map(type, nodes or ())} <= {dict}:
            return places
        pairs = zip(places, nodes, strict=True)
        left = [at for at, node in pairs if isinstance(node, dict | msgspec.Struct)]
        return places if len(left) == len(places) else places.left(left)

    def standing(self, nodes: Any, ordinals: Sequence[int]) -> NodePlaces:
        """The same of those nodes of a list that can be read, by their places in it."""
        places = self.places_of(nodes)
        return places if len(places) == len(ordinals) else places.left(ordinals)


def with_structs(below: Any, struct: Any) -> Any:
    """What is below a node, with the objects as structs: those in lists within a list came as
    plain ones."""
    if below.__class__ is list and any(one.__class__ is list for one in below):
        return as_structs(list(siblings(below)), struct)
    return below


def _has_plain_objects(value: Any) -> bool:
    """Whether one of some entries is no struct yet."""
    return any(one.__class__ is dict for one in siblings(value))


def structs_laid_flat(value: Any, below: Callable[[Any], Any]) -> tuple[list[Any], list[int]]:
    """The same where the decoder has seen to it that there are lists of structs and nothing else.

    It is what most trees go through, so that each step counts.
    """
    nodes: list[Any] = []
    depths: list[int] = []
    add, note = nodes.append, depths.append
    ways: list[Any] = []
    way, depth = iter(value), 1
    while True:
        for node in way:
            add(node)
            note(depth)
            inner = below(node)
            if inner:
                ways.append(way)
                way, depth = iter(inner), depth + 1
                break
        else:
            if not ways:
                return nodes, depths
            way, depth = ways.pop(), depth - 1


def all_nodes(value: Any, below: str) -> list[Any]:
    """All nodes of a tree of structs, in the order of the document."""
    return structs_laid_flat(value or (), attrgetter(below))[0]


def without(node: Any, inner: str) -> Any:
    """A node without what is below it: an object is copied, where it has that member."""
    if node.__class__ is not dict or inner not in node:
        return node
    return {key: value for key, value in node.items() if key != inner}


def _getter(place: Field | None, below: bool = False) -> Callable[[Any, str], Any]:
    """A function from an entry and a field of it to what it has there, or to what is below it."""
    children = place.children if place is not None and not place.whole else {}
    attributes = {name: child.attribute for name, child in children.items()}
    nodes = place.below if place is not None and below else ""

    def get(entry: Any, field: str) -> Any:
        if entry.__class__ is dict:
            return entry.get(field)
        return getattr(entry, nodes or attributes.get(field, ""), None)

    return get


def _of_node(get: Callable[[Any, str], Any], field: str, node: Any, struct: Any = None) -> Any:
    found = get(node, field)
    return with_structs(found, struct) if found and struct is not None else found


def laid_flat(
    value: Any, inner: str, attribute: str, struct: Any = None
) -> tuple[list[Any], list[int]]:
    """All nodes of a tree in the order of the document, and how deep each stands, from 1.

    What is below a node is its member ``inner``, of a struct its ``attribute``. An object is copied
    without that member, or is made a ``struct``; a lone node is a list of one.

    >>> tree = [{"no": 1, "parts": [{"no": 2}]}, {"no": 3}]
    >>> laid_flat(tree, "parts", "")
    ([{'no': 1}, {'no': 2}, {'no': 3}], [1, 2, 1])
    """
    nodes: list[Any] = []
    depths: list[int] = []
    ways = [iter(siblings(value))]
    while ways:
        for node in ways[-1]:
            below = None
            if node.__class__ is dict:
                below = node.get(inner)
                node = without(node, inner)
            elif attribute and isinstance(node, msgspec.Struct):
                below = getattr(node, attribute)
                below = with_structs(below, struct) if below and struct is not None else below
            nodes.append(node)
            depths.append(len(ways))
            if below is not None and not is_null(below):
                ways.append(iter(siblings(below)))
                break
        else:
            ways.pop()
    return nodes, depths


# ---- arranging flat rows as a tree: by identifiers, by depths, or by numbers of their places
#
# Whatever the rows say, each of them becomes one node, and what is wrong is told: nothing is lost,
# and nothing goes round in circles.


Get = Callable[[Any, str], Any]  # a field of a row, None where it has none
Tell = Callable[[int, str, Any, str], None]  # a row by its index, a field, its value, what is wrong
ROOT = -1
LONGEST_SHOWN = 5  # of a circle


def arranged(rows: Sequence[Any], nest: Nest, get: Get, tell: Tell) -> tuple[list[int], list[int]]:
    """The rows in the order of the tree, by their index, and how deep each stands, from 1.

    Entries of one parent stay in the order in which they came.

    >>> rows = [{"id": 2, "within": 1}, {"id": 1}, {"id": 3, "within": 1}]
    >>> nest = Nest("parts", key="id", parent="within")
    >>> arranged(rows, nest, lambda row, field: row.get(field), print)
    ([1, 0, 2], [1, 2, 2])
    """
    above = _by_depth(rows, nest, get, tell) if nest.depth else _by_name(rows, nest, get, tell)
    below: list[list[int]] = [[] for _ in rows]
    roots: list[int] = []
    for index, parent in enumerate(above):
        (roots if parent == ROOT else below[parent]).append(index)
    order, depths = [], []
    waiting = [(index, 1) for index in reversed(roots)]
    while waiting:
        index, depth = waiting.pop()
        order.append(index)
        depths.append(depth)
        waiting += [(inner, depth + 1) for inner in reversed(below[index])]
    return order, depths


def _by_depth(rows: Sequence[Any], nest: Nest, get: Get, tell: Tell) -> list[int]:
    """The parent of each row: the nearest before it that is less deep."""
    above: list[int] = []
    way: list[tuple[int, int]] = []  # depths, each with its row
    for index, row in enumerate(rows):
        value = get(row, nest.depth)
        depth = _whole(value)
        if depth is None:
            what = "is no whole number" if value not in (None, "") else "is missing"
            tell(index, nest.depth, value, f"the depth {what}; the entry is kept as a root")
            above.append(ROOT)
            continue
        while way and way[-1][0] >= depth:
            way.pop()
        if way and depth > way[-1][0] + 1:
            tell(index, nest.depth, value, f"a depth is left out: one of {way[-1][0]} is above it")
        above.append(way[-1][1] if way else ROOT)
        way.append((depth, index))
    return above


def _whole(value: Any) -> int | None:
    number = read_decimal(text_of(value)) if value is not None and value != "" else None
    if number is None or number != int(number) or isinstance(value, bool):
        return None
    return int(number)


def _by_name(rows: Sequence[Any], nest: Nest, get: Get, tell: Tell) -> list[int]:
    """The parent of each row: the one that has the identifier, or the number by place."""
    named: dict[str, int] = {}
    parents: list[str] = []
    field, points = nest.key or nest.numbering, nest.parent or nest.numbering
    for index, row in enumerate(rows):
        name, parent = _names(row, nest, get)
        parents.append(parent)
        if not name:
            if nest.numbering:
                tell(index, field, None, "has no number by place; the entry is kept as a root")
            continue
        if name in named:
            first = named[name] + 1
            what = f"entry {first:,} has this {field} too, and what names it goes below that"
            tell(index, field, name, what)
        named.setdefault(name, index)
    above = []
    for index, parent in enumerate(parents):
        found = named.get(parent, ROOT) if parent else ROOT
        if parent and found == ROOT:
            name = _names(rows[index], nest, get)[0] or f"in place {index + 1:,}"
            what = f"no entry has this {field}; entry {name} is kept as a root"
            tell(index, points, parent, what)
        above.append(found)
    for index, circle in _circles(above):
        names = [_names(rows[at], nest, get)[0] for at in circle]
        more = " → …" if len(names) > LONGEST_SHOWN else ""
        shown = f"{' → '.join([*names[:LONGEST_SHOWN]])}{more} → {names[0]}"
        what = f"goes round in a circle ({shown}), which is cut: entry {names[0]} is kept as a root"
        tell(index, points, parents[index], what)
        above[index] = ROOT
    return above


def _names(row: Any, nest: Nest, get: Get) -> tuple[str, str]:
    """What a row is called, and what its parent is called; blank where it says nothing."""
    if not nest.numbering:
        return name_of(get(row, nest.key)), name_of(get(row, nest.parent))
    number = name_of(get(row, nest.numbering)).rstrip(".")
    return number, number.rpartition(".")[0]


def _circles(above: Sequence[int]) -> Iterator[tuple[int, list[int]]]:
    """The circles among parents: the first entry of each, and all of them from there up."""
    walk_of = [ROOT] * len(above)  # by which walk upwards an entry was met
    for start in range(len(above)):
        at = start
        while at != ROOT and walk_of[at] == ROOT:
            walk_of[at] = start
            at = above[at]
        if at != ROOT and walk_of[at] == start:
            circle = [at]
            while above[circle[-1]] != at:
                circle.append(above[circle[-1]])
            first = circle.index(min(circle))
            yield circle[first], [*circle[first:], *circle[:first]]
