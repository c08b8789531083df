"""Putting a layout together: the layout that it starts from, and the conditions that it uses.

`from: NAME` takes another layout, and what the layout itself says is only what differs. This works
on the items of the text, so that every fault still has its place.
"""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from ..errors import LayoutError, Problem, ShelfError
from .check import check_layout
from .files import SUFFIXES, beside, read_items
from .names import proposal
from .shelf import Shelf
from .text import Item, Mapping, Scalar, Sequence

LONGEST_TRAIL = 20
_MERGED = ("source", "ask", "totals", "calendar", "output")
_OWN = ("layout", "about")  # what a layout says of itself only
_TAKES_PLACE = {"row-per-group": ("row-per", "group"), "row-per": ("row-per-group",)}

Pairs = tuple[tuple[Scalar, Item], ...]


def assemble(item: Item, name: str, folder: Path | None, shelf: Shelf) -> Item:
    """A layout as a whole. ``folder`` is the one that its file is in.

    Raises LayoutError where something that it names is not there or goes round in a circle.
    """
    return _Assembler(name, shelf).whole(item, folder, ())


def with_changes(base: Item, changes: Item, name: str) -> Item:
    """A layout with only what differs, as `from` does it."""
    if not isinstance(base, Mapping) or not isinstance(changes, Mapping):
        return base
    assembler = _Assembler(name, Shelf(()))
    changed = {key.text for key, _ in changes.pairs}
    itself = tuple(one for one in base.pairs if one[0].text in _OWN and one[0].text not in changed)
    merged = assembler.merged(base, (*itself, *changes.pairs))
    assembler.stop_at_problems()
    return merged


def check_conditions(path: Path) -> None:
    """Check a file of conditions on its own. Raises LayoutError."""
    assembler = _Assembler(str(path), Shelf(()))
    only = Sequence(assembler.listed(path))
    assembler.stop_at_problems()
    column = Mapping(((Scalar("any"), Scalar("")),))
    pairs = ((Scalar("columns"), Sequence((column,))), (Scalar("only"), only))
    check_layout(Mapping(pairs), str(path))


class _Assembler:
    def __init__(self, name: str, shelf: Shelf) -> None:
        self.name = name
        self.shelf = shelf
        self.problems: list[Problem] = []

    def whole(self, item: Item, folder: Path | None, trail: tuple[Path, ...]) -> Item:
        if not isinstance(item, Mapping):
            return item
        starts = [value for key, value in item.pairs if key.text == "from"]
        pairs = tuple(
            (key, self.conditions(value) if key.text == "only" else value)
            for key, value in item.pairs
            if key.text != "from"
        )
        base = self.base(starts, folder, trail)
        if isinstance(base, Mapping):
            pairs = self.merged(base, pairs).pairs
        merged = _with(item, pairs)
        self.stop_at_problems()
        return merged

    def fault(self, item: Item, message: str) -> None:
        self.problems.append(Problem(message, item.line, item.column, item.file))

    def stop_at_problems(self) -> None:
        if self.problems:
            raise LayoutError(self.name, self.problems)

    # ---- what it names

    def base(self, starts: list[Item], folder: Path | None, trail: tuple[Path, ...]) -> Item | None:
        """The items of the layout that this one starts from."""
        for extra in starts[1:]:
            self.fault(extra, "`from` comes twice in a layout; keep one")
        if not starts:
            return None
        start = starts[0]
        if not isinstance(start, Scalar) or not start.text.strip():
            self.fault(start, "`from` takes the name of a layout")
            return None
        path = self.found(start, "layout", folder)
        if path is None:
            return None
        path = path.resolve()
        if path in trail or len(trail) >= LONGEST_TRAIL:
            names = " → ".join(one.stem for one in (*trail, path))
            self.fault(start, f"layouts start from each other in a circle: {names}")
            return None
        return self.whole(read_items(path), path.parent, (*trail, path))

    def found(self, name: Scalar, kind: str, folder: Path | None) -> Path | None:
        """A file beside the layout where the name ends as one does, else from the shelf."""
        text = name.text.strip()
        is_file = Path(text).suffix in SUFFIXES[kind]
        try:
            return beside(text, folder) if is_file else self.shelf.find(kind, text)
        except (LayoutError, ShelfError) as error:
            self.fault(name, str(error))
            return None

    def conditions(self, item: Item) -> Item:
        """`only` with the conditions that it uses in their places."""
        if not isinstance(item, Sequence):
            item = Sequence((item,), item.line, item.column, item.file)
        items: list[Item] = []
        for entry in item.items:
            used = entry.pairs if isinstance(entry, Mapping) else ()
            if len(used) == 1 and used[0][0].text == "use" and isinstance(used[0][1], Scalar):
                items += self.used(used[0][1])
            else:
                items.append(entry)
        return Sequence(tuple(items), item.line, item.column, item.file)

    def used(self, name: Scalar) -> tuple[Item, ...]:
        path = self.found(name, "conditions", None)
        return self.listed(path) if path else ()

    def listed(self, path: Path) -> tuple[Item, ...]:
        """The conditions that a file holds."""
        item = read_items(path)
        keys = {}
        for key, value in item.pairs if isinstance(item, Mapping) else ():
            keys[key.text] = value
            if key.text not in ("conditions", "about", "only"):
                known = "there are conditions (their name), about, only"
                self.fault(key, f"no key `{key.text}` in conditions; {known}")
        if "only" not in keys:
            self.fault(item, "conditions stand under `only`")
        return _items(keys.get("only"))

    # ---- only what differs

    def merged(self, base: Mapping, pairs: Pairs) -> Mapping:
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
            pairs = (*pairs, (Scalar("columns"), Sequence(())))
            kept = tuple((key, value) for key, value in kept if key.text != "columns")
        changed = []
        for key, value in pairs:
            before = former.get(key.text)
            if key.text == "columns" and isinstance(before, Sequence):
                value = self.columns(before, value, leave_out)
            elif key.text == "only" and before is not None:
                value = _joined(before, value)
            elif key.text in _MERGED and isinstance(before, Mapping):
                value = _overlaid(before, value)
            if key.text != "leave-out":
                changed.append((key, value))
        return Mapping((*kept, *changed), base.line, base.column, base.file)

    def columns(self, before: Sequence, now: Item, leave_out: Item | None) -> Sequence:
        """Columns by their headings: one of the former is changed where it stands.

        A new one comes after the one that is listed before it, else at the end; a heading alone
        stands for the former column. What is said of one heading twice, or of one that is left out
        too, would be lost in part, and is a fault.
        """
        self.check_clashes(before, now, leave_out)
        columns = list(before.items)
        after: int | None = None
        for item in now.items if isinstance(now, Sequence) else (now,):
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
        for item in _items(leave_out):
            place = _place(columns, _heading(item))
            if place is None or not isinstance(item, Scalar):
                text = _heading(item) or ""
                self.fault(item, f"no column `{text}` to leave out{_near(text, columns)}")
            else:
                del columns[place]
        return Sequence(tuple(columns), before.line, before.column, before.file)

    def check_clashes(self, before: Sequence, now: Item, leave_out: Item | None) -> None:
        """Each heading is spoken of once: in the base, and in what differs."""
        listed = [item for item in _items(now) if isinstance(item, Mapping)]
        for columns in (before.items, listed):
            for item in _doubles(columns):
                self.fault(item, f"the heading `{_heading(item)}` comes twice; keep one")
        left = {_heading(item) for item in _items(leave_out)}
        for item in _items(now):
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


def _with(item: Mapping, pairs: Pairs) -> Mapping:
    return Mapping(pairs, item.line, item.column, item.file)


def _items(item: Item | None) -> tuple[Item, ...]:
    if item is None:
        return ()
    return item.items if isinstance(item, Sequence) else (item,)


def _joined(before: Item, now: Item) -> Sequence:
    """Both lists of conditions; one takes the place of a former one of the same name."""
    named = {_name(item) for item in _items(now)} - {None}
    kept = (item for item in _items(before) if _name(item) not in named)
    return Sequence((*kept, *_items(now)), now.line, now.column, now.file)


def _name(item: Item) -> str | None:
    """The name of a condition."""
    pairs = item.pairs if isinstance(item, Mapping) else ()
    return next((v.text for k, v in pairs if k.text == "name" and isinstance(v, Scalar)), None)


def _overlaid(before: Mapping, now: Item) -> Item:
    """A mapping's values over those of another, key by key."""
    if not isinstance(now, Mapping):
        return now
    own = {key.text for key, _ in now.pairs}
    kept = tuple((key, value) for key, value in before.pairs if key.text not in own)
    return _with(now, (*kept, *now.pairs))


def _heading(item: Item) -> str | None:
    """The heading of a column, whether it stands alone or has an expression."""
    if isinstance(item, Scalar):
        return item.text.strip()
    return item.pairs[0][0].text if isinstance(item, Mapping) and item.pairs else None


def _place(columns: list[Item], heading: str | None) -> int | None:
    return next((i for i, one in enumerate(columns) if _heading(one) == heading), None)


def _near(text: str, columns: list[Item]) -> str:
    headings = [heading for one in columns if (heading := _heading(one))]
    return proposal(text, headings) or f"; there are {', '.join(headings)}"


def _changed(before: Item, now: Item) -> Item:
    """A column with its properties over the former ones; an expression alone takes its place."""
    if isinstance(now, Scalar):
        return before
    if not isinstance(now, Mapping) or not isinstance(before, Mapping):
        return now
    (heading, properties), *extra = now.pairs
    former = before.pairs[0][1]
    if isinstance(former, Scalar):
        former = Mapping(((Scalar("value"), former),)) if former.text else Mapping(())
    if not isinstance(properties, Mapping) or not isinstance(former, Mapping):
        return now
    if {key.text for key, _ in properties.pairs} & {"value", "text"}:
        pairs = [(key, value) for key, value in former.pairs if key.text not in ("value", "text")]
        former = Mapping(tuple(pairs))
    return _with(now, ((heading, _overlaid(former, properties)), *extra))
