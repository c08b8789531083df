"""Surveying records: every place with how often it is filled, how it repeats, and what it holds."""

from __future__ import annotations

import re
from collections.abc import Iterator
from decimal import Decimal
from typing import Any, Self

import msgspec

from ..values.faults import Fault
from .data_keys import keys_are_data
from .path_texts import path_of
from .profiles import PlaceProfile
from .recognising import key_words, recognise
from .text_types import Proposal
from .total_rows import TotalsFound
from .typings import Typing

EXAMPLES = 3
TOTAL = "@total"  # the member of total rows in JSON
AGGREGATE = "@aggregate"  # that of total rows where there are several: of which kind they are
GROUP = "@group"  # that of the headings of groups: how many groups there are with its own
LEVEL = "@level"  # that of stacked rows
_MARKS = {TOTAL: "total row", GROUP: "heading of a group"}
FURTHER = "further fields, which are not listed one by one"
_EXACT = 15  # digits of a binary fraction that are sure
_NOISE = re.compile(r"\.\d*(?:0{6}|9{6})\d{1,3}$")


class FieldSurvey(msgspec.Struct):
    """What is known of one place.

    ``path`` is as a layout takes it. ``filled`` of ``parents`` entries of the level above have a
    value that is not null. A place with ``lists`` repeats: it has from ``least`` to ``most``
    entries, ``entries`` in all; ``lone`` values stood where others have lists.
    Of a place that nests in itself ``nested`` says how many entries stand at each depth, from 1.
    ``name`` is what the field is called, where its format says so.
    Of positions in a coded field ``counts`` are the commonest values with how often they come;
    ``code_list`` is the one of a standard by which codes have names.
    ``inner`` is the name by which a place nests in itself.
    ``typing`` is a type that gives back all texts that were met as they are, ``proposal`` one that
    may be meant and does not.
    """

    path: str
    depth: int
    parents: int
    filled: int
    lists: int
    lone: int
    entries: int
    least: int
    most: int
    kinds: dict[str, int]
    distinct: int
    distinct_is_bound: bool
    longest: int
    examples: list[str]
    remarks: list[str]
    nested: list[int] = []
    name: str = ""
    counts: dict[str, int] = {}
    code_list: str = ""
    inner: str = ""
    typing: Typing | None = None
    proposal: Proposal | None = None

    @property
    def marks(self) -> str:
        """The rows that it marks, as tables in JSON that are written here have it: total rows, or
        headings of groups; blank where it marks none."""
        found = next((what for name, what in _MARKS.items() if self.path == f"['{name}']"), "")
        return found if set(self.kinds) == {"integer"} else ""

    @property
    def is_level(self) -> bool:
        """Whether it is a level: a list of whatever length was met there, or it nests in itself."""
        return self.lists > 0 or self.most > 1 or bool(self.nested)

    @property
    def mean(self) -> Decimal:
        """How many entries it has on average, where it is filled."""
        return Decimal(self.entries) / (self.lists + self.lone) if self.filled else Decimal(0)


def unfilled(path: str) -> FieldSurvey:
    """A place of a table that has no record."""
    nothing: list[str] = []
    return FieldSurvey(path, 0, 0, 0, 0, 0, 0, 0, 0, {}, 0, False, 0, nothing, nothing)


class SurveyResult(msgspec.Struct):
    """A survey: how many records were read, whether these are all, and every place met.

    ``faults`` counts the records that could not be read; ``told`` are these and whatever else is
    wrong with the text of the source, as far as they are kept. ``notices`` are to be looked at.
    ``manner`` is how it was read, and ``headings`` are those of a table; ``states`` are keys for a
    layout's `source` that say what was found by looking. ``total_rows`` of a table sum up others,
    ``short_rows`` have fewer cells than it has headings.
    """

    source: str
    records: int
    complete: bool
    faults: int
    fields: list[FieldSurvey]
    told: list[Fault] = []
    told_count: int = 0
    notices: list[str] = []
    manner: str = ""
    headings: list[str] = []
    states: dict[str, Any] = {}
    total_rows: TotalsFound = TotalsFound()
    short_rows: int = 0

    def field(self, path: str) -> FieldSurvey:
        """The place with a path. Raises KeyError."""
        path = path.removeprefix("$") if path.startswith("$[") else path
        for field in self.fields:
            if field.path == path:
                return field
        raise KeyError(path)

    def under(self, path: str) -> Self:
        """The same for one place and what lies below it."""
        path = path.removeprefix("$") if path.startswith("$[") else path
        fields = [
            field
            for field in self.fields
            if field.path == path or field.path.startswith(tuple(path + one for one in ".[$/"))
        ]
        return msgspec.structs.replace(self, fields=fields)


def fields_of(
    profile: PlaceProfile, path: str = "", depth: int = 0, around: int | None = None
) -> list[FieldSurvey]:
    """The places below one, each before what lies below it, in the order they were met. ``around``
    are the entries of the level that all this belongs to: what identifies them is in each."""
    fields: list[FieldSurvey] = []
    settle(profile)
    if around is None or profile.lists or profile.most > 1 or profile.depths:
        around = profile.objects
    if profile.members is not None:
        together = f"{path or '$'}.*"
        settle(profile.members)
        members = _field(profile.members, together, depth, profile.objects)
        members.filled, members.lists, members.lone, members.most = profile.objects, 0, 0, 0
        if profile.top:
            members.remarks.append(f"the keys are data ({key_words(profile)})")
        fields.append(members)
        fields += fields_of(profile.members, together, depth + 1)
    parents = dict(parents_among(profile)) if not profile.depths else {}
    for name, child in profile.children.items():
        below = path_of(path, name)
        settle(child)
        field = _field(child, below, depth, profile.objects, around)
        if name in parents:
            field.remarks.insert(0, _as_a_tree(name, parents[name], path))
        fields.append(field)
        fields += fields_of(child, below, depth + 1, around)
    if profile.others is not None:
        others = _field(profile.others, f"{path or '$'}.*", depth, profile.objects)
        others.remarks.append(FURTHER)
        fields.append(others)
    return fields


def _as_a_tree(parent: str, key: str, path: str) -> str:
    """That entries name each other, and what makes a tree of them."""
    where = f"of: {path}" if path else "into: nodes"
    nest = f"`nest: {{{where}, key: {key}, parent: {parent}}}`"
    return f"names another entry by its {key}: {nest} makes a tree"


def settle(profile: PlaceProfile) -> None:
    """Decide, when all has been met, whether a place nests in itself, and its keys are data."""
    profile.fold()
    if not profile.top and (profile.lists or profile.most > 1):
        for child in profile.children.values():
            child.fold()
        profile.join()
    told = profile.members is None and profile.children
    if told and (recognise(profile, "").members == "language tags" or keys_are_data(profile)):
        profile.gather()


def _noise(profile: PlaceProfile) -> list[str]:
    """That numbers show the noise of binary fractions, and to how many decimals they are right."""
    known = profile.values if profile.kinds["decimal"] else ()
    noisy = [text for text in known if len(text) > _EXACT and _NOISE.search(text)]
    if not noisy:
        return []
    right = [format(round(Decimal(text), 10).normalize(), "f") for text in noisy]
    digits = max(len(text.partition(".")[2]) for text in right)
    return [f"the noise of binary fractions shows ({noisy[0]}): `decimals: {digits}` rounds it"]


def _field(
    profile: PlaceProfile, path: str, depth: int, parents: int, around: int | None = None
) -> FieldSurvey:
    found = recognise(profile, path)
    remarks = [*found.texts(around or parents, profile.filled), *_noise(profile)]
    return FieldSurvey(
        path=path,
        depth=depth,
        parents=parents,
        filled=profile.filled,
        lists=profile.lists,
        lone=profile.lone,
        entries=profile.entries,
        least=min(profile.least or 0, 1) if profile.lone else profile.least or 0,
        most=max(profile.most, min(profile.lone, 1)),
        kinds=dict(profile.kinds.most_common()),
        distinct=len(profile.values),
        distinct_is_bound=profile.overflow,
        longest=profile.longest,
        examples=list(profile.values)[:EXAMPLES],
        remarks=remarks,
        inner=profile.inner if profile.depths else "",
        typing=found.texts_are.typing,
        proposal=found.texts_are.proposal,
        nested=[profile.depths[depth] for depth in range(1, max(profile.depths, default=0) + 1)],
    )


# ---- flat rows that name each other, so that they are a tree: by which fields


MOST = 0.8  # of the names have an entry; the others are faults where a tree is made
_NAMED = re.compile(r"parent|within|above|upper|belong|super|part.?of|child.?of", re.IGNORECASE)


def parents_among(profile: PlaceProfile) -> Iterator[tuple[str, str]]:
    """Pairs of fields of the entries of a place: one that names another entry, and the identifier
    by which it does.

    Numbers name others only where the field is called so: small numbers are among any others.
    """
    own = {name: child for name, child in profile.children.items() if _is_plain(child)}
    keys = [name for name, child in own.items() if recognise(child, name).identifies]
    for name, child in own.items():
        numbers = all(text.isdigit() for text in child.values)
        roots = child.filled < profile.objects
        if name in keys or not child.values or not roots or (numbers and not _NAMED.search(name)):
            continue
        wanted = MOST * len(child.values)
        found = (k for k in keys if len(child.values.keys() & own[k].values.keys()) >= wanted)
        key = next(found, None)
        if key is not None and (len(child.values) > 1 or _NAMED.search(name)):
            yield name, key


def _is_plain(profile: PlaceProfile) -> bool:
    """Whether a place holds texts or whole numbers only, and all of them are known."""
    return not profile.lists and not profile.overflow and set(profile.kinds) <= {"text", "integer"}
