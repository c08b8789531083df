"""What generated code takes note of besides its results: it changes no figure, and is pointed out.

What a batch shows is taken out, so that it can be carried elsewhere and merged with what others
showed.
"""

from __future__ import annotations

from typing import Any

from ...layout.model.model import SettledLayout
from ...values.amounts import UnitWatch
from ...values.date_forms import ComparisonWatch, DateFormWatch
from ...values.matching import ListWatch, ValuesSeen
from ...values.numerals import NumeralWatch
from ...values.shown_alike import AlikeWatch


class Watches:
    """All that is watched in one run, by what it is about."""

    def __init__(self) -> None:
        self.lists: dict[tuple[str, str | None], ListWatch] = {}  # by name and heading
        self.seen: dict[int, ValuesSeen] = {}  # by the index of a condition
        self.numerals: dict[str, NumeralWatch] = {}
        self.dates: dict[str, DateFormWatch] = {}  # by the comparison
        self.alike: dict[str, AlikeWatch] = {}  # by the key
        self.units: dict[str, UnitWatch] = {}  # by what they are amounts of

    @classmethod
    def of(cls, layout: SettledLayout) -> Watches:
        """What watches the lists of a layout; all else is made when it is asked for."""
        made = cls()
        made.lists = {(one.name, one.heading): ListWatch(one.values) for one in layout.lists}
        return made

    def values_of(self, index: int, field: str) -> ValuesSeen:
        """What watches the values that a condition turns away."""
        return self.seen.setdefault(index, ValuesSeen(field))

    def numerals_of(self, what: str, ordered: bool = True, codes: bool = False) -> NumeralWatch:
        """What watches whether numbers are compared as texts, or ``codes`` with numbers in them."""
        return self.numerals.setdefault(what, NumeralWatch(what, ordered, codes))

    def comparison_of(self, what: str, field: str) -> ComparisonWatch:
        """What watches what is compared as texts; ``field`` is what the comparison is about."""
        dates = self.dates.setdefault(what, DateFormWatch(what, field))
        return ComparisonWatch(self.numerals_of(what, codes=True), dates)

    def alike_of(self, what: str, value: str, pattern: str) -> AlikeWatch:
        """What watches whether a key is shown alike by a pattern though it differs."""
        return self.alike.setdefault(what, AlikeWatch(what, value, pattern))

    def units_of(self, what: str) -> UnitWatch:
        """What watches the units of a column's amounts, or of a field's."""
        return self.units.setdefault(what, UnitWatch(what))

    @property
    def counts(self) -> bool:
        """Whether something is counted: of the rest it is only noted whether it was met."""
        return bool(self.numerals or self.dates or self.units)

    def taken(self) -> Watches:
        """What has been noted since this was last asked."""
        found = Watches()
        for own, other in self._tables(found):
            other |= {key: watch.taken() for key, watch in own.items()}
        return found

    def merge(self, later: Watches) -> None:
        """Take in what was noted elsewhere, after this."""
        for own, other in self._tables(later):
            for key, watch in other.items():
                if key in own:
                    own[key].merge(watch)
                else:
                    own[key] = watch

    def _tables(self, other: Watches) -> list[tuple[dict[Any, Any], dict[Any, Any]]]:
        names = ("lists", "seen", "numerals", "dates", "alike", "units")
        return [(getattr(self, name), getattr(other, name)) for name in names]


class ListsMet:
    """Whether a list was met where one value is looked at."""

    def __init__(self) -> None:
        self.some = False

    def taken(self) -> bool:
        """Whether one was met since this was last asked."""
        found, self.some = self.some, False
        return found
