"""Several tables of one layout: each is what stands beside `tables`, with only what differs.

The parts are put together as a layout is with the one that it starts from.
"""

from __future__ import annotations

import re
from collections.abc import Sequence

from msgspec.structs import replace

from ...errors import LayoutError, Problem
from ..model.names import proposal
from ..model.text import Item, ItemList, ItemMap, Scalar
from .merging import Merger

TABLES = "tables"
PLACE_OF_NAME = "{table}"  # in the names of files
SHARED = (  # what one reading has once
    *("source", "fields", "levels", "may-lack", "ask"),
    *("split", "lookup", "nest", "nests", "open", "opens-by"),
)
_OF_ALL = (*SHARED, "layout", "from", TABLES)
_NO_NAME = re.compile(r'[\x00-\x1f/\\:*?"<>|{}]|\A[.\s~-]|[.\s]\Z')
_RESERVED = re.compile(r"(con|prn|aux|nul|com\d|lpt\d)(\..*)?\Z", re.IGNORECASE)
_LONGEST = 100


def tables_of(item: Item, name: str) -> dict[str, Item]:
    """The whole layout of each table, by its name; none where a layout is of one table.

    Raises LayoutError with all faults of how they are put together.
    """
    if not isinstance(item, ItemMap) or not any(key.text == TABLES for key, _ in item.pairs):
        return {}
    merger = Merger(name)
    stated = [value for key, value in item.pairs if key.text == TABLES]
    for extra in stated[1:]:
        merger.fault(extra, "`tables` comes twice in a layout; keep one")
    pairs = stated[0].pairs if isinstance(stated[0], ItemMap) else ()
    if not pairs:
        merger.fault(stated[0], "`tables` takes names, each with what differs in it: {lines: {…}}")
    _check_names([key for key, _ in pairs], merger)
    base = replace(item, pairs=tuple(pair for pair in item.pairs if pair[0].text != TABLES))
    found = {key.text: _whole(base, key, own, merger) for key, own in pairs}
    merger.problems = list(dict.fromkeys(merger.problems))  # those of what all have come with each
    merger.stop_at_problems()
    return found


def _check_names(keys: list[Scalar], merger: Merger) -> None:
    """A table's name is the name of a file, whatever the file system."""
    met: dict[str, str] = {}
    for key in keys:
        called = key.text
        if not called or _NO_NAME.search(called) or _RESERVED.match(called):
            what = "can't be the name of a file everywhere; use letters, digits and hyphens"
            merger.fault(key, f"`tables`: `{called}` {what}")
        elif len(called) > _LONGEST:
            merger.fault(key, f"`tables`: a name has {_LONGEST} letters at most: {called[:30]}…")
        other = met.get(called.casefold())
        met[called.casefold()] = called
        if other is not None:
            same = "comes twice" if other == called else f"is `{other}` but for its capitals"
            merger.fault(key, f"`tables`: `{called}` {same}; give each table a name of its own")


def _whole(base: ItemMap, name: Scalar, own: Item, merger: Merger) -> Item:
    """The layout of one table, which has the table's name."""
    if isinstance(own, Scalar) and not own.text:
        own = ItemMap((), own.line, own.column, own.file)  # it differs in nothing
    if not isinstance(own, ItemMap):
        merger.fault(own, f"`tables`: {name.text} takes keys and values, as a layout does")
        return base
    for key, _ in own.pairs:
        if key.text in _OF_ALL:
            why = "all tables come from one reading"
            merger.fault(key, f"`{key.text}` stands beside `tables`, not in {name.text}: {why}")
    merged = merger.merged(base, tuple(one for one in own.pairs if one[0].text not in _OF_ALL))
    pairs = tuple(_named(pair, name.text) for pair in merged.pairs)
    return replace(merged, pairs=((Scalar("layout"), Scalar(name.text)), *pairs))


def _named(pair: tuple[Scalar, Item], name: str) -> tuple[Scalar, Item]:
    """`output` with the table's name in the names of its files."""
    key, value = pair
    if key.text != "output" or not isinstance(value, ItemMap):
        return pair
    pairs = ((k, _filled(v, name) if k.text == "file" else v) for k, v in value.pairs)
    return key, replace(value, pairs=tuple(pairs))


def _filled(item: Item, name: str) -> Item:
    if isinstance(item, Scalar):
        return replace(item, text=item.text.replace(PLACE_OF_NAME, name))
    if isinstance(item, ItemList):
        return replace(item, items=tuple(_filled(one, name) for one in item.items))
    return item


def joined_tables(name: str, about: str, parts: dict[str, Item]) -> Item:
    """One layout of the whole layouts of its tables: what they share stands once."""
    first = next(iter(parts.values()))
    assert isinstance(first, ItemMap)
    shared = [pair for pair in first.pairs if pair[0].text in SHARED]
    tables = []
    for called, part in parts.items():
        assert isinstance(part, ItemMap)
        own = tuple(pair for pair in part.pairs if pair[0].text not in _OF_ALL)
        tables.append((Scalar(called), replace(part, pairs=own)))
    own_texts = [(Scalar("layout"), Scalar(name))]
    own_texts += [(Scalar("about"), Scalar(about))] if about else []
    return ItemMap((*own_texts, *shared, (Scalar(TABLES), ItemMap(tuple(tables)))))


def check_chosen(names: Sequence[str], known: Sequence[str], layout: str) -> None:
    """Raise LayoutError for a table that a layout has not."""
    others = f"; there are {', '.join(known)}"
    problems = [
        Problem(f"no table `{one}`{proposal(one, known) or others}")
        for one in names
        if one not in known
    ]
    if problems:
        raise LayoutError(layout, problems)
