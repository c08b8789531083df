"""What stands at the positions of a coded field of a catalogue: 008, LDR and their like."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable

from ...structure.profiles import MOST_VALUES
from ...structure.survey import EXAMPLES, FieldSurvey
from .catalogue_names import CODED, LEADER, POSITIONS, called

MOST_SHOWN = 12  # values of a position, with their counts
LONGEST = 200  # positions that are looked at


def has_positions(path: str) -> bool:
    """Whether a path is that of a field of a catalogue without subfields, by itself."""
    return re.fullmatch(f"{LEADER}|00[1-9]", path) is not None


class Positions:
    """Gathers the texts of a coded field, and tells of each of its positions.

    Memory is bounded: of so many values are the counts kept.

    >>> dates = Positions("005")
    >>> dates.add_many(["20260101", "20260102"])
    >>> [(one.path, one.counts) for one in dates.fields()][1]
    ('005/00-07', {'20260101': 1, '20260102': 1})
    """

    def __init__(self, tag: str) -> None:
        self._tag = tag
        self._spans = list(_spans(tag))
        self._lengths: Counter[int] = Counter()
        self._whole: Counter[str] = Counter()
        self._values: list[Counter[str]] = [Counter() for _ in self._spans]
        self._filled = [0] * len(self._spans)
        self._bound = [False] * len(self._spans)

    def add_many(self, texts: Iterable[str]) -> None:
        """Take in the texts of some fields."""
        for text in texts:
            self._lengths[len(text)] += 1
            _count(self._whole, text)
            for at, (first, last) in enumerate(self._spans):
                part = text[first : last + 1]
                if part and not part.isspace():
                    self._filled[at] += 1
                    self._bound[at] |= not _count(self._values[at], part)

    def fields(self) -> list[FieldSurvey]:
        """The field itself with its lengths, and each of its positions that any text has."""
        count, longest = self._lengths.total(), max(self._lengths, default=0)
        if not count:
            return []
        whole = self._field(self._tag, 0, count, self._whole, len(self._whole) >= MOST_VALUES)
        whole.counts = {}
        said = ", ".join(
            f"{length} ({many:,})" for length, many in self._lengths.most_common(MOST_SHOWN)
        )
        whole.remarks.append(f"lengths: {said}")
        return [whole, *self._parts(longest)]

    def _parts(self, longest: int) -> Iterable[FieldSurvey]:
        """Each of the positions; those without a name that are blank in all texts go together."""
        blank_from: int | None = None
        for at, (first, last) in enumerate(self._spans):
            nothing = not self._filled[at] and (first, last) not in POSITIONS.get(self._tag, {})
            if nothing and first < longest:
                blank_from = first if blank_from is None else blank_from
                continue
            if blank_from is not None:
                yield self._field(self._path(blank_from, first - 1), 1, 0, Counter(), False)
                blank_from = None
            if first < longest:
                values, bound = self._values[at], self._bound[at]
                yield self._field(self._path(first, last), 1, self._filled[at], values, bound)

    def _path(self, first: int, last: int) -> str:
        return f"{self._tag}/{first:02}" + (f"-{last:02}" if last > first else "")

    def _field(
        self, path: str, depth: int, filled: int, values: Counter[str], bound: bool
    ) -> FieldSurvey:
        commonest = dict(values.most_common(MOST_SHOWN))
        codes = CODED.get(path, "")
        return FieldSurvey(
            path=path,
            depth=depth,
            parents=self._lengths.total(),
            filled=filled,
            lists=0,
            lone=filled,
            entries=filled,
            least=1,
            most=min(filled, 1),
            kinds={"text": filled} if filled else {},
            distinct=len(values),
            distinct_is_bound=bound,
            longest=max(map(len, values), default=0),
            examples=list(commonest)[:EXAMPLES],
            remarks=[f"`translate: {codes}`"] if codes else [],
            name=called(path),
            counts=commonest,
            code_list=codes,
        )


def _spans(tag: str) -> Iterable[tuple[int, int]]:
    """The positions of a field that belong together, and each of the others alone."""
    at = 0
    for first, last in sorted(POSITIONS.get(tag, {})):
        yield from ((one, one) for one in range(at, first))
        yield first, last
        at = last + 1
    yield from ((one, one) for one in range(at, LONGEST))


def _count(values: Counter[str], text: str) -> bool:
    """Count a value, as long as there are not too many; whether that could be."""
    if text not in values and len(values) >= MOST_VALUES:
        return False
    values[text] += 1
    return True
