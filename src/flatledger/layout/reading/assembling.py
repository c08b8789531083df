"""Putting a layout together: the layout that it starts from, and the conditions that it uses.

`from: NAME` takes another layout, and what the layout itself says is only what differs. This works
on the items of the text, so that every fault still has its place.
"""

from __future__ import annotations

from pathlib import PurePath

from msgspec.structs import replace

from ...bounds import LONGEST_TRAIL
from ...errors import LayoutError, ShelfError
from ..model.shelved import ShelfCategory
from ..model.text import Item, ItemList, ItemMap, Scalar
from .files import Files
from .merging import Merger, Pairs, parts_of
from .read_layout import read_layout
from .read_tables import TABLES

_CONDITIONS_KEYS = ("conditions", "about", "only")


def assemble(item: Item, name: str, files: Files) -> Item:
    """A layout as a whole; ``files`` opens what it names.

    Raises LayoutError where something that it names is not there or goes round in a circle.
    """
    return _Assembler(name).whole(item, files, ())


def with_changes(base: Item, changes: Item, name: str) -> Item:
    """A layout with only what differs, as `from` does it. Raises LayoutError."""
    if not isinstance(base, ItemMap) or not isinstance(changes, ItemMap):
        return base
    merger = Merger(name)
    merged = merger.merged_with_itself(base, changes)
    merger.stop_at_problems()
    return merged


def check_conditions(item: Item, name: str, files: Files) -> None:
    """Check a file of conditions on its own. Raises LayoutError."""
    assembler = _Assembler(name)
    only = ItemList(assembler.listed(item))
    assembler.stop_at_problems()
    column = ItemMap(((Scalar("any"), Scalar("")),))
    pairs = ((Scalar("columns"), ItemList((column,))), (Scalar("only"), only))
    read_layout(ItemMap(pairs), name, files)


class _Assembler(Merger):
    """Takes the place of what a layout names by what that is."""

    def whole(self, item: Item, files: Files, trail: tuple[str, ...]) -> Item:
        """An item with what it names; ``trail`` are the layouts that start from it."""
        if not isinstance(item, ItemMap):
            return item
        starts = [value for key, value in item.pairs if key.text == "from"]
        pairs = self._with_conditions(
            tuple(one for one in item.pairs if one[0].text != "from"), files
        )
        base = self.base(starts, files, trail)
        if isinstance(base, ItemMap):
            pairs = self.merged(base, pairs).pairs
        self.stop_at_problems()
        return ItemMap(pairs, item.line, item.column, item.file)

    def _with_conditions(self, pairs: Pairs, files: Files) -> Pairs:
        """What some keys hold, with the conditions that are used in their places; of tables in
        each."""
        found = []
        for key, value in pairs:
            if key.text == "only":
                value = self.conditions(value, files)
            elif key.text == TABLES and isinstance(value, ItemMap):
                tables = tuple(
                    (name, replace(one, pairs=self._with_conditions(one.pairs, files)))
                    if isinstance(one, ItemMap)
                    else (name, one)
                    for name, one in value.pairs
                )
                value = replace(value, pairs=tables)
            found.append((key, value))
        return tuple(found)

    def base(self, starts: list[Item], files: Files, trail: tuple[str, ...]) -> Item | None:
        """The items of the layout that this one starts from."""
        for extra in starts[1:]:
            self.fault(extra, "`from` comes twice in a layout; keep one")
        if not starts:
            return None
        start = starts[0]
        if not isinstance(start, Scalar) or not start.text.strip():
            self.fault(start, "`from` takes the name of a layout")
            return None
        place = self.place(start, ShelfCategory.LAYOUT, files)
        if place is None:
            return None
        if place in trail or len(trail) >= LONGEST_TRAIL:
            names = " → ".join(PurePath(one).stem for one in (*trail, place))
            self.fault(start, f"layouts start from each other in a circle: {names}")
            return None
        return self.whole(*files.opened(place), (*trail, place))

    def place(self, name: Scalar, category: ShelfCategory, files: Files) -> str | None:
        """Where something stands that is named."""
        try:
            return files.place(category, name.text.strip())
        except (LayoutError, ShelfError) as error:
            self.fault(name, str(error))
            return None

    def conditions(self, item: Item, files: Files) -> Item:
        """`only` with the conditions that it uses in their places."""
        if not isinstance(item, ItemList):
            item = ItemList((item,), item.line, item.column, item.file)
        items: list[Item] = []
        for entry in item.items:
            used = entry.pairs if isinstance(entry, ItemMap) else ()
            if len(used) == 1 and used[0][0].text == "use" and isinstance(used[0][1], Scalar):
                items += self.used(used[0][1], files)
            else:
                items.append(entry)
        return ItemList(tuple(items), item.line, item.column, item.file)

    def used(self, name: Scalar, files: Files) -> tuple[Item, ...]:
        """The conditions of a name."""
        place = self.place(name, ShelfCategory.CONDITIONS, files)
        return self.listed(files.opened(place)[0]) if place is not None else ()

    def listed(self, item: Item) -> tuple[Item, ...]:
        """The conditions that a file of them holds."""
        keys = {}
        for key, value in item.pairs if isinstance(item, ItemMap) else ():
            keys[key.text] = value
            if key.text not in _CONDITIONS_KEYS:
                known = "there are conditions (their name), about, only"
                self.fault(key, f"no key `{key.text}` in conditions; {known}")
        if "only" not in keys:
            self.fault(item, "conditions stand under `only`")
        return parts_of(keys.get("only"))
