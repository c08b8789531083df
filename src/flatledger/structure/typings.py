"""Types that give texts back as they are: what a draft may give a field without changing a value.

A typing is kept for a place as long as each text that is met there, read and written by it, is that
text again. Those that are left hold for all that was met, however much it was, and for what comes
later they are safe: what they would change is a fault to them.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import lru_cache

import msgspec

from ..values.field_values import FieldDeclaration, is_written_so
from ..values.numbers import ValueFaultError
from ..values.parts import BLANKS

_DAYS = ("yyyy-MM-dd", "yyyyMMdd", "yyyy/MM/dd", "yyyy.MM.dd")
_ORDERS = ("{0}{2}{1}{2}{3}", "{1}{2}{0}{2}{3}")  # the day first, or the month
_AS_ISO = ("yyyy-MM-dd", "yyyy-MM-dd'T'HH:mm:ss", "HH:mm:ss")  # written so without a format
_YEARS = ("19", "20")  # in which a number of eight digits may be a day
_LONGEST = 40


class Typing(msgspec.Struct, frozen=True):
    """A ``datatype`` of CSVW and the pattern that its texts are read and written by, if any."""

    datatype: str
    reads: str = ""

    @property
    def format(self) -> str:
        """The pattern that a column writes it by; blank where it is written so by itself."""
        return "" if self.reads in _AS_ISO else self.reads

    @property
    def keys(self) -> dict[str, str]:
        """What declares it under `fields`.

        >>> Typing("date", "dd/MM/yyyy").keys
        {'datatype': 'date', 'reads': 'dd/MM/yyyy'}
        """
        return {"datatype": self.datatype, **({"reads": self.reads} if self.reads else {})}

    def gives_back(self, text: str) -> bool:
        """Whether a text that is read and written by it is the same again.

        >>> Typing("decimal").gives_back("4.50"), Typing("date", "d/M/yyyy").gives_back("01/2/2026")
        (True, False)
        """
        return _tests()[self](text)


def _patterns() -> dict[str, tuple[str, ...]]:
    days = [*_DAYS]
    for order in _ORDERS:
        for mark in "/.-":
            for day, month in (("dd", "MM"), ("d", "M")):
                days += (order.format(day, month, mark, year) for year in ("yyyy", "yy"))
    moments = [f"{day}{gap}{time}"
               for day in ("yyyy-MM-dd", "dd/MM/yyyy", "MM/dd/yyyy", "dd.MM.yyyy")
               for gap in (" ", "'T'")
               for time in ("HH:mm:ss", "HH:mm")]  # fmt: skip
    return {"date": tuple(days), "dateTime": tuple(moments), "time": ("HH:mm:ss", "HH:mm")}


TYPINGS = (
    Typing("integer"),
    Typing("decimal"),
    *(Typing(datatype, reads) for datatype, all_ in _patterns().items() for reads in all_),
)


@lru_cache(1)
def _tests() -> dict[Typing, Callable[[str], bool]]:
    """How each is tested. A pattern of digits and signs takes only what it would write."""
    tests: dict[Typing, Callable[[str], bool]] = {
        Typing("integer"): lambda text: is_written_so(text, whole=True),
        Typing("decimal"): is_written_so,
    }
    return tests | {one: _reading(one) for one in TYPINGS if one.reads}


def _reading(typing: Typing) -> Callable[[str], bool]:
    read = FieldDeclaration(typing.datatype, (typing.reads,)).reader().read
    packed = "yyyyMMdd" in typing.reads

    def gives_back(text: str) -> bool:
        if len(text) > _LONGEST or (packed and not text.startswith(_YEARS)):
            return False
        try:
            return read(text) is not None
        except ValueFaultError:
            return False

    return gives_back


def left_of(typings: Iterable[Typing], texts: Iterable[str]) -> tuple[Typing, ...]:
    """Those of some typings that give each of some texts back; blanks are null to all."""
    left = tuple(typings)
    for text in texts:
        if not left:
            break
        if text.strip(BLANKS):
            left = tuple(one for one in left if one.gives_back(text))
    return left
