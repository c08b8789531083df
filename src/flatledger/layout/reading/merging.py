"""A layout with only what differs from another: conditions are added, columns changed by their
headings, the rest is replaced.
"""

from __future__ import annotations

from collections.abc import Iterable

from ...errors import ExpressionError, LayoutError, Problem
from ...language import parse_expression
from ..model.declared import place_of
from ..model.names import proposal
from ..model.text import Item, ItemList, ItemMap, Scalar

_MERGED = ("source", "ask", "totals", "calendar", "output")
_OWN = ("layout", "about")  # what a layout says of itself only
_TAKES_PLACE = {"row-per-group": ("row-per", "group"), "row-per": ("row-per-group",)}
Pairs = tuple[tuple[Scalar, Item], ...]


class Merger:
    """Puts what differs over a base; what is wrong is gathered in ``problems``."""

    def __init__(self, name: str) -> None:
        self.name = name
        self.problems: list[Problem] = []

    def fault(self, item: Item, message: str) -> None:
        """Note what is wrong with an item, at its place."""
        self.problems.append(Problem(message, item.line, item.column, item.file))

    def stop_at_problems(self) -> None:
        """Raise LayoutError if anything is wrong."""
        if self.problems:
            raise LayoutError(self.name, self.problems)

    def merged_with_itself(self, base: ItemMap, changes: ItemMap) -> ItemMap:
        """A layout with changes of its own, so that it keeps its name."""
        changed = {key.text for key, _ in changes.pairs}
        own = (one for one in base.pairs if one[0].text in _OWN and one[0].text not in changed)
        return self.merged(base, (*own, *changes.pairs))

    def merged(self, base: ItemMap, pairs: Pairs) -> ItemMap:
        """The base with what differs: lists of conditions grow, columns go by their headings."""
        for keys in (base.pairs, pairs):
            for key in _doubles([key for key, _ in keys]):
                self.fault(key, f"`{_heading(key)}` comes twice in a layout; keep one")
        own = {key.text for key, _ in pairs}
        gone = {text for key in own for text in (*_TAKES_PLACE.get(key, ()), key)} | {*_OWN}
        former = {key.text: value for key, value in base.pairs}
        kept = tuple((key, value) for key, value in base.pairs if key.text not in gone)
        leave_out = next((value for key, value in pairs if key.text == "leave-out"), None)
        if "columns" in former and "columns" not in own and leave_out is not None:
            pairs = (*pairs, (Scalar("columns"), ItemList(())))
            kept = tuple((key, value) for key, value in kept if key.text != "columns")
        changed = []
        for key, value in pairs:
            before = former.get(key.text)
            if key.text == "columns" and isinstance(before, ItemList):
                value = self.columns(before, value, leave_out)
            elif key.text == "columns" and isinstance(before, ItemMap):
                value = self._by_level(before, value, leave_out)
            elif key.text == "tables" and isinstance(before, ItemMap):
                value = self._tables(before, value)
            elif key.text == "only" and before is not None:
                value = _joined(before, value)
            elif key.text == "fields" and isinstance(before, ItemMap):
                value = _fields(before, value)
            elif key.text in _MERGED and isinstance(before, ItemMap):
                value = _overlaid(before, value)
            if key.text != "leave-out":
                changed.append((key, value))
        return ItemMap((*kept, *changed), base.line, base.column, base.file)

    def columns(self, before: ItemList, now: Item, leave_out: Item | None) -> ItemList:
        """Columns by their headings: one of the former is changed where it stands.

        A new one comes after the one that is listed before it, else at the end; a heading alone
        stands for the former column. What is said of one heading twice, or of one that is left out
        too, would be lost in part, and is a fault.
        """
        self.check_clashes(before, now, leave_out)
        columns = list(before.items)
        after: int | None = None
        for item in now.items if isinstance(now, ItemList) else (now,):
            heading = _heading(item)
            place = _place(columns, heading)
            if place is not None:
                columns[place] = _changed(columns[place], item)
                after = place
            elif isinstance(item, Scalar) and item.text:
                self.fault(item, f"no column `{item.text}`{_near(item.text, columns)}")
            else:
                after = len(columns) if after is None else after + 1
                columns.insert(after, item)
        for item in parts_of(leave_out):
            place = _place(columns, _heading(item))
            if place is None or not isinstance(item, Scalar):
                text = _heading(item) or ""
                self.fault(item, f"no column `{text}` to leave out{_near(text, columns)}")
            else:
                del columns[place]
        return ItemList(tuple(columns), before.line, before.column, before.file)

    def _by_level(self, before: ItemMap, now: Item, leave_out: Item | None) -> Item:
        """Columns by level: those of each level by their headings. One list takes the place of all;
        what is left out is left out of each level that has it."""
        if isinstance(now, ItemList) and now.items:
            return now
        pairs = now.pairs if isinstance(now, ItemMap) else ()
        own = {key.text: value for key, value in pairs}
        there = {_heading(one) for _, of in before.pairs for one in parts_of(of)}
        for item in parts_of(leave_out):
            if _heading(item) not in there:
                self.fault(item, f"no column `{_heading(item) or ''}` to leave out")
        found = []
        for key, of in before.pairs:
            listed = ItemList(parts_of(of), key.line, key.column, key.file)
            headings = {_heading(one) for one in listed.items}
            left = tuple(one for one in parts_of(leave_out) if _heading(one) in headings)
            changed = self.columns(listed, own.pop(key.text, ItemList(())), ItemList(left))
            found.append((key, changed))
        further = tuple((key, of) for key, of in pairs if key.text in own)
        return _with(before, (*found, *further))

    def _tables(self, before: ItemMap, now: Item) -> Item:
        """Tables by their names: one of the former takes what differs in it."""
        if not isinstance(now, ItemMap):
            return now
        for key in _doubles([key for key, _ in now.pairs]):
            self.fault(key, f"the table `{_heading(key)}` comes twice; keep one")
        own = {key.text: value for key, value in now.pairs}
        found = []
        for key, former in before.pairs:
            changed = own.pop(key.text, None)
            if isinstance(former, ItemMap) and isinstance(changed, ItemMap):
                changed = self.merged(former, changed.pairs)
            found.append((key, former if changed is None else changed))
        further = tuple((key, value) for key, value in now.pairs if key.text in own)
        return _with(before, (*found, *further))

    def check_clashes(self, before: ItemList, now: Item, leave_out: Item | None) -> None:
        """Each heading is spoken of once: in the base, and in what differs."""
        listed = [item for item in parts_of(now) if isinstance(item, ItemMap)]
        for columns in (before.items, listed):
            for item in _doubles(columns):
                self.fault(item, f"the heading `{_heading(item)}` comes twice; keep one")
        left = {_heading(item) for item in parts_of(leave_out)}
        for item in parts_of(now):
            if _heading(item) in left:
                what = f"`{_heading(item)}` stands under `leave-out` too; keep one of the two"
                self.fault(item, what)


def _doubles(items: Iterable[Item]) -> list[Item]:
    """The items whose heading, or text, an earlier one has."""
    found: list[Item] = []
    seen: set[str | None] = set()
    for item in items:
        if _heading(item) in seen:
            found.append(item)
        seen.add(_heading(item))
    return found


def _with(item: ItemMap, pairs: Pairs) -> ItemMap:
    return ItemMap(pairs, item.line, item.column, item.file)


def _joined(before: Item, now: Item) -> ItemList:
    """Both lists of conditions; one takes the place of a former one of the same name."""
    named = {_name(item) for item in parts_of(now)} - {None}
    kept = (item for item in parts_of(before) if _name(item) not in named)
    return ItemList((*kept, *parts_of(now)), now.line, now.column, now.file)


def _name(item: Item) -> str | None:
    """The name of a condition."""
    pairs = item.pairs if isinstance(item, ItemMap) else ()
    return next((v.text for k, v in pairs if k.text == "name" and isinstance(v, Scalar)), None)


def _overlaid(before: ItemMap, now: Item) -> Item:
    """A mapping's values over those of another, key by key."""
    if not isinstance(now, ItemMap):
        return now
    own = {key.text for key, _ in now.pairs}
    kept = tuple((key, value) for key, value in before.pairs if key.text not in own)
    return _with(now, (*kept, *now.pairs))


def _fields(before: ItemMap, now: Item) -> Item:
    """Declared fields over those of another layout, by their places and keys."""
    if not isinstance(now, ItemMap):
        return now
    former = {_spelt(key): (key, value) for key, value in before.pairs}
    changed = []
    for key, value in now.pairs:
        _, other = former.pop(_spelt(key), (key, ItemMap(())))
        changed.append((key, _overlaid(_with_datatype(other), _with_datatype(value))))
    return _with(now, (*former.values(), *changed))


def _spelt(key: Scalar) -> object:
    """A place however it is spelt; the text where it is none."""
    try:
        return place_of(parse_expression(key.text)) or key.text
    except ExpressionError:
        return key.text


def _with_datatype(item: Item) -> ItemMap:
    """A field's keys; a datatype alone is one of them."""
    if isinstance(item, ItemMap):
        return item
    return ItemMap(((Scalar("datatype", item.line, item.column), item),))


def _heading(item: Item) -> str | None:
    """The heading of a column, whether it stands alone or has an expression."""
    if isinstance(item, Scalar):
        return item.text.strip()
    return item.pairs[0][0].text if isinstance(item, ItemMap) and item.pairs else None


def _place(columns: list[Item], heading: str | None) -> int | None:
    return next((i for i, one in enumerate(columns) if _heading(one) == heading), None)


def _near(text: str, columns: list[Item]) -> str:
    headings = [heading for one in columns if (heading := _heading(one))]
    return proposal(text, headings) or f"; there are {', '.join(headings)}"


def _changed(before: Item, now: Item) -> Item:
    """A column with its properties over the former ones; an expression alone takes its place."""
    if isinstance(now, Scalar):
        return before
    if not isinstance(now, ItemMap) or not isinstance(before, ItemMap):
        return now
    (heading, properties), *extra = now.pairs
    former = before.pairs[0][1]
    if isinstance(former, Scalar):
        former = ItemMap(((Scalar("value"), former),)) if former.text else ItemMap(())
    if not isinstance(properties, ItemMap) or not isinstance(former, ItemMap):
        return now
    if {key.text for key, _ in properties.pairs} & {"value", "text"}:
        pairs = [(key, value) for key, value in former.pairs if key.text not in ("value", "text")]
        former = ItemMap(tuple(pairs))
    return _with(now, ((heading, _overlaid(former, properties)), *extra))


def parts_of(item: Item | None) -> tuple[Item, ...]:
    """The items of a list, or what stands alone."""
    if item is None:
        return ()
    return item.items if isinstance(item, ItemList) else (item,)
