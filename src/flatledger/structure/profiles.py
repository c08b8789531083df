"""Gathering what is met at the places of records, of which a survey tells.

Memory is bounded whatever the records hold: so many keys at a place, so many distinct values, so
deep. Members of one place that are many and look alike are one place, `name.*`: then its keys are
data, and no names of fields.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping
from decimal import Decimal
from itertools import chain, islice
from typing import Any

from ..values.own_texts import TEXT
from ..values.parts import BLANKS
from .data_keys import FIRST_LOOK, MOST_KEYS, keys_are_data
from .profile_values import columns_of, kind_name, text_of_value, texts_of
from .trees import holds_objects
from .typings import TYPINGS, left_of

MOST_COUNTED = 100_000  # keys of one place that are told apart
MOST_VALUES = 1_000
MOST_SEEN = 200_000  # values that are told apart to the last
DEEPEST = 60
LONGEST_VALUE = 200
DEEP = 3  # lone objects of one name within each other are a tree from here on
NEVER = 1 << 62
_KINDS = {
    str: "text",
    int: "integer",
    bool: "truth",
    Decimal: "decimal",
    dict: "object",
    list: "list",
}
_TOGETHER = _KINDS.keys() - {list}  # classes whose values are taken note of together


class PlaceProfile:
    """Gathers what is met at one place.

    ``members`` are its children together, once its keys are known to be data; then ``keys`` are
    those met. ``top`` is the record itself, whose keys are the names of fields as a rule.
    With ``has_own_texts`` an object may stand for a text (`values/own_texts`).
    ``nested`` is what stands in members of its own ``name`` that hold objects, however deep; of
    those ``depths`` counts the objects, by how deep they stand.
    ``typings`` are those that give back all values met, which are texts. ``seen`` are the hashes of
    the values as long as all differ, so that they may be identifiers.
    """

    __slots__ = (
        *("filled", "lists", "lone", "entries", "longest", "objects", "least", "most", "kinds"),
        *("values", "overflow", "children", "others", "deeper", "other_keys", "members", "keys"),
        *("top", "name", "nested", "depths", "_waiting", "_depth", "_next_look", "has_own_texts"),
        *("typings", "seen", "inner"),
    )

    def __init__(self, top: bool = False, name: str = "", has_own_texts: bool = False) -> None:
        self.filled = self.lists = self.lone = self.entries = self.longest = self.objects = 0
        self.least: int | None = None
        self.most = 0
        self.kinds: Counter[str] = Counter()
        self.values: dict[str, int] = {}  # the first so many texts, with their counts
        self.overflow = False
        self.typings = TYPINGS
        self.seen: set[int] | None = set()
        self.children: dict[str, PlaceProfile] = {}
        self.others: PlaceProfile | None = None
        self.members: PlaceProfile | None = None
        self.keys: dict[str, None] = {}
        self.deeper = False
        self.other_keys = 0
        self.top, self.name, self.has_own_texts = top, name, has_own_texts
        self.nested: PlaceProfile | None = None
        self.depths: Counter[int] = Counter()
        self.inner = name  # the member that holds further nodes, where they nest
        self._waiting: list[tuple[Any, int]] = []  # of a nested place: values, and how deep
        self._depth = 1
        self._next_look = FIRST_LOOK

    def add(self, value: Any, depth: int = 0) -> None:
        """Take note of the value of one entry of the level above."""
        self._add(value, depth)
        if self.nested is not None:
            self.nested.take_waiting(depth)

    def _add(self, value: Any, depth: int) -> None:
        if value is None or value == "":
            return
        self.filled += 1
        kind = value.__class__
        if kind is not list:
            self.lone += 1
            self.entries += 1
            if kind is str:
                self.kinds["text"] += 1
                self._text(value, typed=False)
            else:
                self._entry(value, depth)
            return
        self._note_lists([value])
        self.entries += len(value)
        for entry in value:
            self._entry(entry, depth)

    def add_many(self, values: list[Any], depth: int = 0) -> None:
        """The same as `add` for each of several values, but faster: what is alike goes together."""
        present = [value for value in values if value is not None and value != ""]
        self.filled += len(present)
        lists = [value for value in present if value.__class__ is list]
        self.lone += len(present) - len(lists)
        entries = present
        if lists:
            self._note_lists(lists)
            parts = (value if value.__class__ is list else (value,) for value in present)
            entries = list(chain.from_iterable(lists if len(lists) == len(present) else parts))
        self.entries += len(entries)
        self._add_entries(entries, depth)
        if self.nested is not None:
            self.nested.take_waiting(depth)

    def take_waiting(self, depth: int) -> None:
        """Of a nested place: add what waits, and what is within that, depth after depth."""
        self._waiting.reverse()  # so that each is taken with all that is within it
        while self._waiting:
            value, self._depth = self._waiting.pop()
            entries = value if value.__class__ is list else [value]
            self.depths[self._depth] += sum(entry.__class__ is dict for entry in entries)
            self._add(value, depth)

    def _nest(self, value: Any) -> None:
        """Let the value of a member of its own name wait until all here has been added."""
        if self.nested is None:
            self.nested = self._new(self.name)
            self.nested.nested = self.nested
        self.nested._waiting.append((value, self._depth + 1))

    def _note_lists(self, lists: list[list[Any]]) -> None:
        lengths = list(map(len, lists))
        least, self.lists = min(lengths), self.lists + len(lists)
        self.least = least if self.least is None else min(self.least, least)
        self.most = max(self.most, *lengths)

    def _add_entries(self, entries: list[Any], depth: int) -> None:
        met = Counter(map(type, entries))
        objects = dict in met
        with_texts = objects and self.has_own_texts and any(TEXT in one for one in entries)
        if not met.keys() <= _TOGETHER or (objects and len(met) > 1) or with_texts:
            for entry in entries:
                self._entry(entry, depth)
            return
        for kind, count in met.items():
            self.kinds[_KINDS[kind]] += count
        if objects:
            self._add_objects(entries, depth)
        elif entries:
            self._add_texts(texts_of(entries, {*met}), typed={*met} != {str})

    def _add_objects(self, objects: list[dict[str, Any]], depth: int) -> None:
        """Take note of objects: key by key, as far as all keys are known; one by one else."""
        start, known_all = 0, self._knows_all(objects, depth)
        while start < len(objects):
            end = start
            known = self.children.keys() if self.members is None and depth < DEEPEST else ()
            while not known_all and end < len(objects) and known and objects[end].keys() <= known:
                end += 1
            end = len(objects) if known_all else end
            self.objects += end - start
            for key, values in columns_of(objects[start:end]):
                if key == self.name != "":
                    for value in filter(holds_objects, values):
                        self._nest(value)
                    values = [value for value in values if not holds_objects(value)]
                self.children[key].add_many(values, depth + 1)
            if end < len(objects):
                self._object(objects[end], depth)
                end += 1
            start = end

    def _knows_all(self, objects: list[dict[str, Any]], depth: int) -> bool:
        """Whether objects have no key that is new here."""
        if self.members is not None or depth >= DEEPEST or not self.children:
            return False
        return set().union(*objects) <= self.children.keys()

    def _add_texts(self, texts: list[str], typed: bool) -> None:
        self.longest = max(self.longest, max(map(len, texts), default=0))
        if self.longest > LONGEST_VALUE:
            texts = [text[:LONGEST_VALUE] for text in texts]
        counts = Counter(texts)
        if self.typings:
            self._narrow(() if typed else counts.keys() - self.values.keys(), typed)
        if self.seen is not None:
            self._see(set(map(hash, counts)) if len(counts) == len(texts) else None)
        if len(self.values) < MOST_VALUES:
            for text, count in counts.items():
                self._value(text, count)
            return
        known = self.values.keys() & counts.keys()
        for text in known:
            self.values[text] += counts[text]
        self.overflow = self.overflow or len(known) < len(counts)

    def _entry(self, value: Any, depth: int) -> None:
        kind = _KINDS.get(value.__class__) or kind_name(value)
        if kind == "object" and self.has_own_texts and TEXT in value:  # it stands for its text
            text, value = value[TEXT], {k: one for k, one in value.items() if k != TEXT}
            if text and text.strip(BLANKS):
                self._object(value, depth)
                kind, value = "text", text
        self.kinds[kind] += 1
        if kind == "text":
            self._text(value, typed=False)
        elif kind == "object":
            self._object(value, depth)
        elif kind == "list":
            if depth >= DEEPEST:
                self.deeper = True
                return
            for entry in value:
                self._entry(entry, depth + 1)
        else:
            self._text(text_of_value(value))

    def _object(self, value: dict[str, Any], depth: int) -> None:
        self.objects += 1
        if depth >= DEEPEST:
            self.deeper = True
            return
        if self.members is not None:
            self._note_keys(value)
            self.members.add_many(list(value.values()), depth + 1)
            return
        children, name = self.children, self.name
        for key, below in value.items():
            if key == name != "" and holds_objects(below):
                self._nest(below)
            else:
                (children.get(key) or self._child(key)).add(below, depth + 1)

    def _child(self, key: str) -> PlaceProfile:
        """The place of a key that is new here."""
        if self.members is None and len(self.children) >= self._next_look:
            seen_all = self._next_look >= MOST_KEYS
            self._next_look = NEVER if seen_all else min(2 * self._next_look, MOST_KEYS)
            if keys_are_data(self):
                self.gather()
        if self.members is not None:
            self._note_keys((key,))
            return self.members
        if len(self.children) < MOST_KEYS:
            child = self.children[key] = self._new(key)
            return child
        self.other_keys += 1
        self.others = self.others or self._new()
        return self.others

    def _new(self, name: str = "") -> PlaceProfile:
        """A place of the same records."""
        return PlaceProfile(name=name, has_own_texts=self.has_own_texts)

    def _note_keys(self, keys: Iterable[str]) -> None:
        if len(self.keys) < MOST_COUNTED:
            self.keys.update(dict.fromkeys(islice(keys, MOST_COUNTED - len(self.keys))))

    def gather(self) -> None:
        """Take all children as one place from now on: they are members, by keys that are data."""
        together = self.members or self._new()
        self.members = together
        for key, child in self.children.items():
            self.keys[key] = None
            together.merge(child)
        if self.others is not None:
            together.merge(self.others)
        self.children.clear()
        self.others = None

    def merge(self, other: PlaceProfile) -> None:
        """Take in what was met at another place."""
        for name in ("filled", "lists", "lone", "entries", "objects", "other_keys"):
            setattr(self, name, getattr(self, name) + getattr(other, name))
        self.longest, self.most = max(self.longest, other.longest), max(self.most, other.most)
        least = [one for one in (self.least, other.least) if one is not None]
        self.least = min(least, default=None)
        self.kinds.update(other.kinds)
        for text, count in other.values.items():
            self._value(text, count)
        self.overflow = self.overflow or other.overflow
        self.deeper = self.deeper or other.deeper
        self.typings = tuple(one for one in self.typings if one in other.typings)
        self._see(other.seen)
        if other.members is not None and self.members is None:
            self.gather()
        for key, child in other.children.items():
            (self.children.get(key) or self._child(key)).merge(child)
        if other.others is not None:
            self.others = self.others or self._new()
            self.others.merge(other.others)
        if other.members is not None and self.members is not None:
            self._note_keys(other.keys)
            self.members.merge(other.members)
        self.depths.update(other.depths)
        if other.nested is not None and other.nested is not other:
            if self.nested is None:
                self.nested = self._new(self.name)
                self.nested.nested = self.nested
            if self.nested is not self:
                self.nested.merge(other.nested)

    def fold(self) -> None:
        """Once all has been met: take what is nested for entries of the same level, if that is one;
        if not, for a member."""
        nested = self.nested
        if nested is None or nested is self:
            return
        self.nested = None
        listed = self.lists or nested.lists or max(self.most, nested.most) > 1
        if not listed and max(nested.depths) < DEEP:
            nested.depths.clear()
            self.children[self.name] = nested
            return
        self._take_nodes(nested, nested.depths)

    def join(self) -> None:
        """Take a tree that lies in entries of the same fields for more of them: they are one level,
        whose inner nodes have another name."""
        for name, child in self.children.items():
            if child.depths and not self.depths and self._is_alike(child):
                del self.children[name]
                self.inner = name
                self._take_nodes(child, {at + 1: count for at, count in child.depths.items()})
                return

    def _is_alike(self, child: PlaceProfile) -> bool:
        own, other = self.children.keys() - {child.name}, child.children.keys() - {child.name}
        return bool(own) and 2 * len(own & other) >= len(own | other)

    def _take_nodes(self, nested: PlaceProfile, depths: Mapping[int, int]) -> None:
        """Take in what is nested here, however deep."""
        self.depths[1] = self.kinds["object"]
        self.depths.update(depths)
        for name in ("lists", "lone", "entries", "objects"):
            setattr(self, name, getattr(self, name) + getattr(nested, name))
        self.most = max(self.most, nested.most)
        least = [one for one in (self.least, nested.least) if one is not None]
        self.least = min(least, default=None)
        self.kinds.update(nested.kinds)
        self.typings = tuple(one for one in self.typings if one in nested.typings)
        self._see(nested.seen)
        for key, child in nested.children.items():
            (self.children.get(key) or self._child(key)).merge(child)

    def _see(self, hashes: set[int] | None) -> None:
        """Take note of values that differ from each other; of None, that some do not."""
        if self.seen is None or hashes is None or not self.seen.isdisjoint(hashes):
            self.seen = None
            return
        self.seen |= hashes
        if len(self.seen) > MOST_SEEN:
            self.seen = None

    def _narrow(self, texts: Iterable[str], typed: bool) -> None:
        """Keep the typings that give texts back; a text that is cut, and what is ``typed`` already,
        has none."""
        none = typed or self.longest > LONGEST_VALUE
        self.typings = () if none else left_of(self.typings, texts)

    def _text(self, text: str, typed: bool = True) -> None:
        """Take note of a value as text, which is that of one that is ``typed``."""
        length = len(text)
        if length > self.longest:
            self.longest = length
            if length > LONGEST_VALUE:
                text = text[:LONGEST_VALUE]
        elif length > LONGEST_VALUE:
            text = text[:LONGEST_VALUE]
        values = self.values
        if self.typings and (typed or text not in values):
            self._narrow((text,), typed)
        if text in values:
            values[text] += 1
            self.seen = None
            return
        if self.seen is not None:
            self._see({hash(text)})
        if len(values) < MOST_VALUES:
            values[text] = 1
        else:
            self.overflow = True

    def _value(self, text: str, count: int) -> None:
        values = self.values
        if text in values:
            values[text] += count
        elif len(values) < MOST_VALUES:
            values[text] = count
        else:
            self.overflow = True
