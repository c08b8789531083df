"""Recognising what a place holds, and pointing out where layouts go wrong."""

from __future__ import annotations

import re
from itertools import islice

import msgspec

from ..layout.model.text import scalar
from ..values import times
from ..values.numbers import ValueFaultError, read_decimal
from .spots import MOST_COUNTED, Spot
from .text_types import ENOUGH, LOOKED_AT, TextType, text_type
from .typings import Typing

_SHOWN, _EXAMPLES = 30, 3
_LAST_WORD = re.compile(r"[\W_]+|(?<=[a-z0-9])(?=[A-Z])")
_IDENTIFIERS = frozenset(
    "id identifier no nr number code key ref reference barcode uuid".split()  # noqa: SIM905
)
MOST_DEPTHS = 8  # that are told one by one
DEEPER = "nested deeper than is looked at here"
_LANGUAGE = re.compile(r"[a-z]{2,3}(?:-[A-Za-z0-9]{2,8})*")
_ANY_LANGUAGE = "x-default"  # of XMP (ISO 16684-1, 8.2.2.4)
_COMMON_LANGUAGES = frozenset(
    "cy da de en es fi fr ga gd is it ja nl nb nn pl pt ru sv uk zh".split()  # noqa: SIM905
)
_DELIMITERS = {"; ": "'; '", ";": "semicolon", "|": "pipe", ", ": "', '"}


class Recognised(msgspec.Struct):
    """What was recognised. ``members``: what its keys are, where they are data; ``texts_are``: the
    type of texts."""

    members: str = ""
    holds: list[str] = []
    mixed: list[str] = []
    identifies: bool = False
    texts_are: TextType = TextType()

    def texts(self, parents: int, filled: int) -> list[str]:
        """The remarks, the most important first; what is blank in some is no identifier."""
        whole = filled >= parents > 1
        typed = self.texts_are.typing is not None and not self.texts_are.typing.reads
        identifies = self.identifies and whole and not self.mixed and (typed or not self.holds)
        identifier = ["all different and never blank: an identifier"] if identifies else []
        return [*self.mixed, *identifier, *self.holds]


def recognise(spot: Spot, path: str) -> Recognised:
    """What a place holds, with the path or key of a layout that suits it."""
    found = Recognised(mixed=_mixed(spot), texts_are=_type_of(spot))
    duration = found.texts_are.typing is None and _are_durations(spot)
    if duration:
        found.texts_are = TextType(f"durations: working_time({path}, 'hours')")
    found.holds = [found.texts_are.said] if found.texts_are.said else _lists(spot)
    found.members = _members(spot)
    if found.members == "language tags":
        found.holds.append(
            f"its keys are language tags: in_language({path}, 'en'), or {path}.* for all"
        )
    elif found.members and spot.members is not None:
        found.holds.append(f"its keys are data ({key_words(spot)}): {path}.* is each value")
    if spot.of_elements and not {"@xml:lang", "@lang"}.isdisjoint(spot.children):
        found.holds.append(f"texts with their language: in_language({path}, 'en')")
    if spot.depths:
        counts = [f"{spot.depths[at]:,}" for at in sorted(spot.depths)[:MOST_DEPTHS]]
        deepest = max(spot.depths)
        more = ", …" if deepest > MOST_DEPTHS else ""
        itself = f"{spot.name} holds {spot.inner}, to {deepest:,} levels"
        found.holds.insert(0, f"{itself} ({', '.join(counts)}{more})")
        if spot.inner != spot.name:
            one = f"`nests: {{{path}: {scalar(spot.inner)}}}`"
            found.holds.insert(1, f"both have the same fields: {one} makes one level of them")
    if spot.deeper:
        found.mixed.append(DEEPER)
    single = not spot.lists and spot.kinds.total() == spot.filled
    found.identifies = (
        single
        and spot.filled > 1
        and spot.seen is not None
        and len(spot.seen) == spot.filled
        and _may_identify(spot)
    )
    return found


def is_identifier(name: str) -> bool:
    """Whether a field is called like an identifier, by the last word of its name.

    >>> is_identifier("no"), is_identifier("orderId"), is_identifier("amount")
    (True, True, False)
    """
    return _LAST_WORD.split(name)[-1].casefold() in _IDENTIFIERS


def _may_identify(spot: Spot) -> bool:
    """Whether values that are all different are names of something: texts without blanks, or whole
    numbers of a field that is called like one. Other numbers are measurements."""
    if set(spot.kinds) == {"integer"} or Typing("decimal") in spot.typings:
        return is_identifier(spot.name)
    return set(spot.kinds) == {"text"} and not any(" " in text for text in spot.values)


def _mixed(spot: Spot) -> list[str]:
    """Shapes and kinds that differ from entry to entry."""
    remarks: list[str] = []
    if spot.of_elements:  # elements repeat as they come, and have a text or not
        return remarks
    if spot.lists and spot.lone and spot.kinds["object"]:
        remarks.append(
            f"a list {_times(spot.lists)} and a lone object {_times(spot.lone)}: "
            "a layout takes both alike"
        )
    elif spot.lists and spot.lone:
        remarks.append(f"a list {_times(spot.lists)} and one value {_times(spot.lone)}")
    numbers = spot.kinds["integer"] + spot.kinds["decimal"]
    groups = {
        "number": numbers,
        "text": spot.kinds["text"],
        "object": spot.kinds["object"],
        "truth value": spot.kinds["truth"],
    }
    present = {name: count for name, count in groups.items() if count}
    if len(present) > 1:
        parts = sorted(present.items(), key=lambda item: -item[1])
        counts = (f"{count:,} {name}{'s' * (count > 1)}" for name, count in parts)
        remarks.append("mixed: " + ", ".join(counts))
        odd = next((text for text in spot.values if read_decimal(text) is None), "")
        if numbers > spot.kinds["text"] > 0 and odd:
            remarks[-1] += f" (such as {odd[:30]!r})"
    return remarks


def _times(count: int) -> str:
    return "once" if count == 1 else f"{count:,} times"


def _type_of(spot: Spot) -> TextType:
    """What the texts of a place are."""
    if not spot.values or spot.kinds["text"] < spot.kinds.total() * ENOUGH:
        return TextType()
    return text_type(
        list(islice(spot.values, LOOKED_AT)),
        spot.typings,
        all_texts=set(spot.kinds) == {"text"},
        identifier=is_identifier(spot.name),
    )


def _are_durations(spot: Spot) -> bool:
    texts = list(islice(spot.values, LOOKED_AT))
    most = spot.kinds["text"] >= spot.kinds.total() * ENOUGH
    return bool(texts) and most and sum(map(_is_duration, texts)) >= len(texts) * ENOUGH


def _lists(spot: Spot) -> list[str]:
    """Texts that are lists, in words."""
    texts = list(islice(spot.values, LOOKED_AT))
    if spot.kinds["text"] < spot.kinds.total() * ENOUGH:
        return []
    for delimiter, name in _DELIMITERS.items():
        if sum(delimiter in text for text in texts) > len(texts) / 2 and len(texts) > 1:
            return [f"lists in one text, separated by {name}"]
    return []


def _is_duration(text: str) -> bool:
    if not text.strip() or read_decimal(text.strip()) is not None:
        return False
    try:
        times.working_time(text, "hours")
    except ValueFaultError:
        return False
    return True


def _members(spot: Spot) -> str:
    """What the keys of an object are, where they are data rather than names of fields."""
    keys = list(spot.keys if spot.members is not None else spot.children)
    below = [spot.members] if spot.members is not None else list(spot.children.values())
    tags = all(key == _ANY_LANGUAGE or _LANGUAGE.fullmatch(key) for key in keys) and all(
        set(one.kinds) <= {"text"} for one in below
    )
    common = sum(key.split("-")[0] in _COMMON_LANGUAGES or key == _ANY_LANGUAGE for key in keys)
    if tags and common * 2 > len(keys) and not spot.top:
        return "language tags"
    return "data" if spot.members is not None or spot.other_keys else ""


def key_words(spot: Spot) -> str:
    """How many different keys a place has that are data, and a few of them."""
    bound = "or more " if len(spot.keys) >= MOST_COUNTED else ""
    shown = ", ".join(key if len(key) <= _SHOWN else f"{key[:_SHOWN]}…" for key in _first(spot))
    return f"{len(spot.keys):,} {bound}different, such as {shown}"


def _first(spot: Spot) -> list[str]:
    return list(islice(spot.keys, _EXAMPLES))
