"""Checking what a layout takes from elsewhere: cells taken apart, side lists, a form."""

from __future__ import annotations

from collections.abc import Callable
from typing import TypeVar

from ..language.nodes import Node, Path
from .check_ask import AskForms
from .model import Attachment, FormReference, Split
from .text import Item, Mapping, Scalar

Named = TypeVar("Named", Split, Attachment)
ATTACH_KEYS = ("file", "matched-by", "key", "many")
SPLIT_KEYS = ("by", "of", "pair")
FIT_KEYS = ("form", "header-row", "first-row")
MOST_ROWS = 1_000


class AdditionForms(AskForms):
    """Reads `split`, `attach` and `fit-to`."""

    def named(
        self, item: Item | None, says: str, read: Callable[[Scalar, Item], Named | None]
    ) -> tuple[Named, ...]:
        """What stands under names of the layout's own choice."""
        if item is not None and not isinstance(item, Mapping):
            self.fault(item, says)
        pairs = item.pairs if isinstance(item, Mapping) else ()
        return tuple(one for name, value in pairs if (one := read(name, value)) is not None)

    def splits(self, item: Item | None) -> tuple[Split, ...]:
        """Levels made from cells, by their names."""
        says = "`split` takes names: crew: {by: semicolon, pair: {name: names, …}}"
        return self.named(item, says, self.split)

    def split(self, name: Scalar, item: Item) -> Split | None:
        where = f"`split` of `{name.text}`"
        keys = self.mapping(item, where, SPLIT_KEYS)
        if len(keys.keys() & {"of", "pair"}) != 1:
            self.fault(item, f"{where} is `of` one cell, or of several that `pair` names")
            return None
        separator = self.named_text(keys["by"], "`by`") if "by" in keys else ";"
        cells = self.cells(keys["pair"]) if "pair" in keys else {"": keys["of"]}
        paths = {field: self.plain_path(path, where) or () for field, path in cells.items()}
        parents = {path[:-1] for path in paths.values()}
        if not all(paths.values()) or not separator:
            return None
        if len(parents) > 1:
            self.fault(item, f"{where}: the cells stand in different places; they can't be paired")
        fields = tuple((field, path[-1]) for field, path in paths.items())
        return Split(name.text, separator, parents.pop(), fields, paired="pair" in keys)

    def cells(self, item: Item) -> dict[str, Item]:
        pairs = item.pairs if isinstance(item, Mapping) else ()
        if len({name.text for name, _ in pairs}) < 2:
            self.fault(item, "`pair` takes two names or more, each with a cell: {name: names, …}")
        return {name.text: path for name, path in pairs}

    def attachments(self, item: Item | None) -> tuple[Attachment, ...]:
        """Side lists by the names of the fields that they become."""
        says = "`attach` takes names: bay: {file: bays.csv, matched-by: …, key: …}"
        return self.named(item, says, self.attachment)

    def attachment(self, name: Scalar, item: Item) -> Attachment | None:
        keys = self.mapping(item, f"`attach` of `{name.text}`", ATTACH_KEYS)
        missing = [key for key in ATTACH_KEYS[:3] if key not in keys]
        if missing:
            self.fault(item, f"`attach` of `{name.text}` has no `{missing[0]}`")
            return None
        path = self.plain_path(keys["matched-by"], "matched-by")
        file, key = (self.text(keys[one], f"`{one}`") for one in ("file", "key"))
        many = self.switch(keys["many"], "`many`") if "many" in keys else False
        return Attachment(name.text, file, path, key, many, name.place(0)) if path else None

    def fit_to(self, item: Item | None) -> FormReference | None:
        """A published form: its file, or that with the rows of its headings and its table."""
        if item is None:
            return None
        if isinstance(item, Scalar):
            return FormReference(self.text(item, "`fit-to`"), place=item.place(0))
        keys = self.mapping(item, "`fit-to`", FIT_KEYS)
        if "form" not in keys:
            self.fault(item, "`fit-to` has at least `form`: {form: register.xlsx, header-row: 4}")
            return None
        rows = {
            key.replace("-", "_"): self.whole_number(keys[key], f"`{key}`", MOST_ROWS)
            for key in FIT_KEYS[1:]
            if key in keys
        }
        place = (item.line, item.column, item.file)
        return FormReference(self.text(keys["form"], "`form`"), **rows, place=place)

    def plain_path(
        self, item: Item, where: str, node: Node | None = None
    ) -> tuple[str, ...] | None:
        """The names of a path of names."""
        expression = self.expression(item, f"`{where}`") if node is None else None
        node = node or (expression.node if expression else None)
        names = node.names() if isinstance(node, Path) else None
        if node is not None and not names:
            self.fault(item, f"`{where}` takes a path of names, such as lines.no")
        return names or None
