"""Cells of OpenDocument: values with their types as XML (OpenDocument 1.3, part 3, 19.385)."""

from __future__ import annotations

import datetime as dt
import re
from decimal import Decimal
from typing import Any
from xml.sax.saxutils import escape, quoteattr

from ..layout.column import Column
from ..values.literals import Interval
from .opendocument_styles import Styles

EARLIEST = dt.datetime(1, 1, 1)
_UNFIT = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]")
_INSTEAD = "\ufffd"
_LINE_BREAK = re.compile(r"\r\n|[\r\n]")
_SPACES = re.compile(r"(?:^| ) +|^ | $|\t")


class Cells:
    """Makes cells. Characters that XML can't hold are replaced, and counted."""

    def __init__(self, styles: Styles) -> None:
        self._styles = styles
        self._replaced = 0

    def cell(self, value: Any, column: Column, style: str) -> str:
        """One cell.

        >>> Cells(Styles()).cell(True, Column("Sent"), "wrap").partition(" office")[2]
        ':value-type="boolean" office:boolean-value="true"/>'
        """
        if value is None:
            name = self._styles.of("", None, style)
            return f"<table:table-cell{_styled(name)}/>"
        if isinstance(value, str):
            return self.text(value, style)
        kind, attribute, text = _value(value)
        name = self._styles.of(kind, column, style)
        return (
            f'<table:table-cell{_styled(name)} office:value-type="{kind}" '
            f'office:{attribute}="{text}"/>'
        )

    def text(self, text: str, style: str) -> str:
        """A cell that holds a text: a paragraph for each of its lines."""
        text, count = _UNFIT.subn(_INSTEAD, text)
        self._replaced += count
        lines = "".join(f"<text:p>{_line(line)}</text:p>" for line in _LINE_BREAK.split(text))
        name = self._styles.of("string", None, style or ("wrap" if "\n" in text else ""))
        return (
            f'<table:table-cell{_styled(name)} office:value-type="string">{lines}'
            "</table:table-cell>"
        )

    def notes(self) -> list[str]:
        """What a reader of the workbook should know."""
        if not self._replaced:
            return []
        return [
            f"{self._replaced:,} control characters, which a workbook of OpenDocument can't hold, "
            f"were replaced by {_INSTEAD}"
        ]


def _styled(name: str) -> str:
    return f" table:style-name={quoteattr(name)}" if name else ""


def _value(value: Any) -> tuple[str, str, str]:
    """The kind of a value, the attribute that holds it, and its text."""
    if isinstance(value, bool):
        return "boolean", "boolean-value", str(value).lower()
    if isinstance(value, int | Decimal):
        return "float", "value", format(value, "f") if isinstance(value, Decimal) else str(value)
    if isinstance(value, dt.date):  # moments too
        return "date", "date-value", value.isoformat()
    if isinstance(value, dt.time):
        return "time", "time-value", _clock(dt.timedelta(0), value)
    assert isinstance(value, Interval)
    return "time", "time-value", _clock(value.time, dt.time(0))


def _clock(span: dt.timedelta, time: dt.time) -> str:
    """A time of day, or a duration, in hours, minutes and seconds."""
    hours, seconds = divmod(span.seconds + time.hour * 3600 + time.minute * 60 + time.second, 3600)
    minutes, seconds = divmod(seconds, 60)
    part = span.microseconds or time.microsecond
    fraction = f".{part:06d}" if part else ""
    return f"PT{hours + 24 * span.days:02d}H{minutes:02d}M{seconds:02d}{fraction}S"


def _line(text: str) -> str:
    """A line of a text; blanks and tabs, which XML would drop, by elements of their own."""
    return _SPACES.sub(_spaced, escape(text))


def _spaced(found: re.Match[str]) -> str:
    text = found[0]
    return "<text:tab/>" if text == "\t" else f'<text:s text:c="{len(text)}"/>'
