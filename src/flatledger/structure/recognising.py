"""Recognising what a place holds, and pointing out where layouts go wrong."""

from __future__ import annotations

import re
from itertools import islice

import msgspec

from ..layout.model.text import scalar
from ..values import times
from ..values.functions import LANGUAGE_TAGS
from ..values.numbers import ValueFaultError, read_decimal
from .profiles import MOST_COUNTED, PlaceProfile
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


def recognise(profile: PlaceProfile, path: str) -> Recognised:
    """What a place holds, with the path or key of a layout that suits it."""
    found = Recognised(mixed=_mixed(profile), texts_are=_type_of(profile))
    duration = found.texts_are.typing is None and _are_durations(profile)
    if duration:
        found.texts_are = TextType(f"durations: working_time({path}, 'hours')")
    found.holds = [found.texts_are.said] if found.texts_are.said else _lists(profile)
    found.members = _members(profile)
    if found.members == "language tags":
        found.holds.append(
            f"its keys are language tags: in_language({path}, 'en'), or {path}.* for all"
        )
    elif found.members and profile.members is not None:
        found.holds.append(f"its keys are data ({key_words(profile)}): {path}.* is each value")
    if profile.has_own_texts and not profile.children.keys().isdisjoint(LANGUAGE_TAGS):
        found.holds.append(f"texts with their language: in_language({path}, 'en')")
    if profile.depths:
        counts = [f"{profile.depths[at]:,}" for at in sorted(profile.depths)[:MOST_DEPTHS]]
        deepest = max(profile.depths)
        more = ", …" if deepest > MOST_DEPTHS else ""
        itself = f"{profile.name} holds {profile.inner}, to {deepest:,} levels"
        found.holds.insert(0, f"{itself} ({', '.join(counts)}{more})")
        if profile.inner != profile.name:
            one = f"`nests: {{{path}: {scalar(profile.inner)}}}`"
            found.holds.insert(1, f"both have the same fields: {one} makes one level of them")
    if profile.deeper:
        found.mixed.append(DEEPER)
    single = not profile.lists and profile.kinds.total() == profile.filled
    found.identifies = (
        single
        and profile.filled > 1
        and profile.seen is not None
        and len(profile.seen) == profile.filled
        and _may_identify(profile)
    )
    return found


def is_identifier(name: str) -> bool:
    """Whether a field is called like an identifier, by the last word of its name.

    >>> is_identifier("no"), is_identifier("orderId"), is_identifier("amount")
    (True, True, False)
    """
    return _LAST_WORD.split(name)[-1].casefold() in _IDENTIFIERS


def _may_identify(profile: PlaceProfile) -> bool:
    """Whether values that are all different are names of something: texts without blanks, or whole
    numbers of a field that is called like one. Other numbers are measurements."""
    if set(profile.kinds) == {"integer"} or Typing("decimal") in profile.typings:
        return is_identifier(profile.name)
    return set(profile.kinds) == {"text"} and not any(" " in text for text in profile.values)


def _mixed(profile: PlaceProfile) -> list[str]:
    """Shapes and kinds that differ from entry to entry."""
    remarks: list[str] = []
    if profile.has_own_texts:  # elements repeat as they come, and have a text or not
        return remarks
    if profile.lists and profile.lone and profile.kinds["object"]:
        remarks.append(
            f"a list {_times(profile.lists)} and a lone object {_times(profile.lone)}: "
            "a layout takes both alike"
        )
    elif profile.lists and profile.lone:
        remarks.append(f"a list {_times(profile.lists)} and one value {_times(profile.lone)}")
    numbers = profile.kinds["integer"] + profile.kinds["decimal"]
    groups = {
        "number": numbers,
        "text": profile.kinds["text"],
        "object": profile.kinds["object"],
        "truth value": profile.kinds["truth"],
    }
    present = {name: count for name, count in groups.items() if count}
    if len(present) > 1:
        parts = sorted(present.items(), key=lambda item: -item[1])
        counts = (f"{count:,} {name}{'s' * (count > 1)}" for name, count in parts)
        remarks.append("mixed: " + ", ".join(counts))
        odd = next((text for text in profile.values if read_decimal(text) is None), "")
        if numbers > profile.kinds["text"] > 0 and odd:
            remarks[-1] += f" (such as {odd[:30]!r})"
    return remarks


def _times(count: int) -> str:
    return "once" if count == 1 else f"{count:,} times"


def _type_of(profile: PlaceProfile) -> TextType:
    """What the texts of a place are."""
    if not profile.values or profile.kinds["text"] < profile.kinds.total() * ENOUGH:
        return TextType()
    return text_type(
        list(islice(profile.values, LOOKED_AT)),
        profile.typings,
        all_texts=set(profile.kinds) == {"text"},
        identifier=is_identifier(profile.name),
    )


def _are_durations(profile: PlaceProfile) -> bool:
    texts = list(islice(profile.values, LOOKED_AT))
    most = profile.kinds["text"] >= profile.kinds.total() * ENOUGH
    return bool(texts) and most and sum(map(_is_duration, texts)) >= len(texts) * ENOUGH


def _lists(profile: PlaceProfile) -> list[str]:
    """Texts that are lists, in words."""
    texts = list(islice(profile.values, LOOKED_AT))
    if profile.kinds["text"] < profile.kinds.total() * ENOUGH:
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


def _members(profile: PlaceProfile) -> str:
    """What the keys of an object are, where they are data rather than names of fields."""
    keys = list(profile.keys if profile.members is not None else profile.children)
    below = [profile.members] if profile.members is not None else list(profile.children.values())
    tags = all(key == _ANY_LANGUAGE or _LANGUAGE.fullmatch(key) for key in keys) and all(
        set(one.kinds) <= {"text"} for one in below
    )
    common = sum(key.split("-")[0] in _COMMON_LANGUAGES or key == _ANY_LANGUAGE for key in keys)
    if tags and common * 2 > len(keys) and not profile.top:
        return "language tags"
    return "data" if profile.members is not None or profile.other_keys else ""


def key_words(profile: PlaceProfile) -> str:
    """How many different keys a place has that are data, and a few of them."""
    bound = "or more " if len(profile.keys) >= MOST_COUNTED else ""
    shown = ", ".join(key if len(key) <= _SHOWN else f"{key[:_SHOWN]}…" for key in _first(profile))
    return f"{len(profile.keys):,} {bound}different, such as {shown}"


def _first(profile: PlaceProfile) -> list[str]:
    return list(islice(profile.keys, _EXAMPLES))
