"""Fitting columns to a published form: its headings and order, our values."""

from __future__ import annotations

import unicodedata
from collections import Counter
from collections.abc import Callable, Iterable, Sequence

from msgspec.structs import replace

from ...errors import LayoutError, Problem
from ..model.column import Column
from ..model.model import Fit, Placed, SettledLayout
from ..model.names import nearest


def folded(heading: str) -> str:
    """A heading without case, spaces and punctuation.

    >>> folded("Unit-Price (SKC)")
    'unitpriceskc'
    """
    text = unicodedata.normalize("NFKC", heading).casefold()
    return "".join(letter for letter in text if letter.isalnum()) or text.strip()


EXACTLY, ALIKE, TITLE = "exactly", "but for case, spaces and punctuation", "by another name"
Names = Callable[[Column], Iterable[str]]
_WAYS: tuple[tuple[str, Callable[[str], str], Names], ...] = (
    (EXACTLY, str, lambda column: (column.title, column.heading)),
    (ALIKE, folded, lambda column: (column.title, column.heading)),
    (TITLE, folded, lambda column: column.titles),
)


def matched(headings: Sequence[str], columns: Sequence[Column]) -> dict[str, tuple[Column, str]]:
    """The column for each heading of a form that has one, and by what it was found.

    Each way is gone for all headings before the next; where two headings or two columns come to
    be the same, it tells nothing.
    """
    found: dict[str, tuple[Column, str]] = {}
    taken: set[str] = set()
    for by, form, names in _WAYS:
        offered: dict[str, list[Column]] = {}
        for column in columns:
            for name in {form(name) for name in names(column)}:
                if column.heading not in taken:
                    offered.setdefault(name, []).append(column)
        waiting = [heading for heading in headings if heading not in found]
        counts = Counter(map(form, waiting))
        for heading in waiting:
            name = form(heading)
            fitting = offered.get(name, [])
            if len(fitting) == counts[name] == 1 and fitting[0].heading not in taken:
                found[heading] = fitting[0], by
                taken.add(fitting[0].heading)
    return found


def fitted(layout: SettledLayout, strict: bool = False) -> SettledLayout:
    """The layout with the columns of its form, in its order; the others are not written.

    Raises LayoutError where the fit is not perfect and that is ``strict``.
    """
    form = layout.form
    if form is None:
        return layout
    found = matched(form.headings, layout.written)
    taken = {column.heading for column, _ in found.values()}
    left = [column for column in layout.written if column.heading not in taken]
    blank = [heading for heading in form.headings if heading not in found]
    fit = Fit(
        form=form.file,
        row=form.header_row,
        placed=tuple(Placed(h, found[h][0].heading, found[h][1]) for h in found),
        blank=tuple((heading, _near(heading, [c.title for c in left])) for heading in blank),
        left=tuple((column.heading, _near(column.title, blank)) for column in left),
    )
    if strict and not fit.perfect:
        raise LayoutError(layout.name, [Problem(text) for text in misfits(fit)])
    names = {column.heading for column in layout.columns}
    columns = [
        replace(found[heading][0], form_heading=heading)
        if heading in found
        else _blank(heading, names)
        for heading in form.headings
    ]
    columns += [replace(column, suppressed=True) for column in left]
    columns += [column for column in layout.columns if column.suppressed]
    delimiter = layout.output.delimiter or form.delimiter
    output = replace(layout.output, delimiter=delimiter)
    return replace(layout, columns=tuple(columns), output=output, fit=fit)


def misfits(fit: Fit) -> list[str]:
    """What does not fit, a sentence for each heading."""
    return [
        *(f"no column for the form's heading `{h}`{_perhaps(near)}" for h, near in fit.blank),
        *(f"no heading in the form for the column `{c}`{_perhaps(near)}" for c, near in fit.left),
    ]


def _perhaps(near: str) -> str:
    return f"; perhaps `{near}`" if near else ""


def _blank(heading: str, names: set[str]) -> Column:
    """A column that the receiver fills in; its own name is one that no other column has."""
    name = heading
    while name in names:
        name += " (blank)"
    return Column(name, form_heading=heading)


def near_ones(name: str, others: Sequence[str]) -> list[str]:
    """The names that are nearest: by letters, then those that share a word of some length.

    >>> near_ones("Remarks", ["Qty", "Remark", "Remarks of the keeper"])
    ['Remark', 'Remarks of the keeper']
    """
    by_folded = {folded(other): other for other in others}
    near = nearest(folded(name), by_folded)
    found = [by_folded[near]] if near is not None else []
    return [*found, *(o for o in others if o not in found and _words(name) & _words(o))]


def _near(name: str, others: Sequence[str]) -> str:
    return next(iter(near_ones(name, others)), "")


def _words(name: str) -> set[str]:
    return {word for word in map(folded, name.split()) if len(word) > 2}
