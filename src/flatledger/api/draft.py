"""Drafting a layout for a source."""

from __future__ import annotations

from collections.abc import Mapping
from os import PathLike, fspath
from pathlib import Path
from typing import Any

from ..bounds import LARGEST_RECORD
from ..drafting.form_draft import FormDraft
from ..drafting.layout_draft import LayoutDraft
from ..drafting.wording import comment
from ..errors import LayoutError, SourceError
from ..layout.model.model import FormReference
from ..sources import AnySource
from ..structure.survey import SurveyResult
from .form_files import read_form
from .layout import Layout
from .survey import SAMPLE, SHORT_ROWS, TOTAL_ROWS, short_rows_told, survey
from .total_rows import notices_of, rows_told

_MANY = 10  # one in so many rows that ends early makes a draft take them all


class DraftedLayout(str):
    """The text of a drafted layout, with its comments. ``fields`` are those of the source.

    >>> draft([{"no": 1, "lines": [{"qty": 2}]}]).fields
    ('no', 'lines', 'lines.qty')
    """

    fields: tuple[str, ...] = ()

    @property
    def layout(self) -> Layout:
        """The layout that the text gives.

        >>> draft([{"no": 1, "unit_price": 2}]).layout.headings
        ('No', 'Unit price')
        """
        return Layout.from_text(self, "draft")

    def _repr_html_(self) -> str:
        from ..reports.page import render

        return render("text_fragment.html", text=str(self))


def draft(
    source: AnySource,
    *,
    row_per: str | None = None,
    records: str | None = None,
    sample: int | None = SAMPLE,
    fit_to: str | PathLike[str] | None = None,
    largest_record: int = LARGEST_RECORD,
    reading: Mapping[str, Any] | None = None,
    fields: Mapping[str, Any] | None = None,
) -> DraftedLayout:
    """The text of a layout for a source (as in `table`): every field at or above the row's level.

    ``row_per`` is left out: the first level that repeats on the main branch is taken, and the
    comments say what else there is. With ``fit_to`` its columns are those of a published form (CSV
    or XLSX), filled where a field's name is the heading's, and else blank with proposals. What
    ``fields`` declares is written into it. Raises SourceError, also where there is no such level,
    and LayoutError where the form can't be read.

    >>> text = draft([{"no": 1, "unit_price": 2}])
    >>> [line for line in text.splitlines() if line.startswith("  - ")]
    ['  - No: no', '  - Unit price: unit_price']
    """

    def looked_at(reading: Mapping[str, Any] | None) -> SurveyResult:
        return survey(
            source,
            records=records,
            sample=sample,
            largest_record=largest_record,
            reading=reading,
            fields=fields,
        )

    result = looked_at(reading)
    added = _said_of_rows(result)
    if added:
        reading, before = {**(reading or {}), **added}, result
        if _can_be_read_again(source):
            result = looked_at(reading)
        settled = notices_of(before.total_rows, unlabelled=True) if TOTAL_ROWS in added else []
        settled += short_rows_told(before.short_rows) if SHORT_ROWS in added else []
        result.notices = [one for one in result.notices if one not in settled]
        if TOTAL_ROWS in added:
            found = before.total_rows.rows
            do = "sums up others, and is" if len(found) == 1 else "sum up others, and are"
            result.notices.append(f"{rows_told(found)} {do} left out")
    source_states = {**result.states, **source_keys(records, reading)}
    writer = _writer(result, row_per, source_states, fit_to)
    writer.declared = dict(fields or {})
    drafted = DraftedLayout(sound(writer.text()))
    drafted.fields = tuple(field.path for field in result.fields)
    return drafted


def _said_of_rows(result: SurveyResult) -> dict[str, Any]:
    """What a layout says of rows that sum up others, if each of them does, and of rows that end
    early, if these are many."""
    found, said = result.total_rows, dict[str, Any]()
    if found.all_sum_up and found.blank:
        said[TOTAL_ROWS] = {"drop": list(found.blank)}
        said[TOTAL_ROWS] |= {"subtotals": "before"} if found.before else {}
    if result.short_rows * _MANY >= result.records + result.faults and result.short_rows:
        said[SHORT_ROWS] = "blank"
    return said


def _can_be_read_again(source: AnySource) -> bool:
    return isinstance(source, str | PathLike | list | tuple) and source != "-"


def sound(text: str) -> str:
    """The text of a layout without the lines that are refused: they are comments that say why.

    >>> print(sound("columns:\\n  - No: no\\n  - Odd: 1 +\\n").splitlines()[-1][:12])
      # - Odd: 1
    """
    while True:
        try:
            Layout.from_text(text, "draft")
        except LayoutError as error:
            lines = text.splitlines()
            refused = {one.line: one.message for one in error.problems if one.line}
            if max(refused, default=0) > len(lines):
                what = "no column could be drafted that stands in a row of its own"
                raise SourceError(f"{what}; `row_per` (--row-per) says what a row is") from None
            if not refused or all(lines[at - 1].lstrip().startswith("#") for at in refused):
                raise
            for at, why in refused.items():
                line, start = lines[at - 1], len(lines[at - 1]) - len(lines[at - 1].lstrip())
                lines[at - 1] = comment(f"{line[:start]}# {line[start:]}   # refused: {why}")
            text = "\n".join(lines) + "\n"
        else:
            return text


def source_keys(records: str | None, reading: Mapping[str, Any] | None) -> dict[str, Any]:
    """What stands under `source` in the layout."""
    return {**({"records": records} if records else {}), **(reading or {})}


def _writer(
    result: SurveyResult,
    row_per: str | None,
    source: Mapping[str, Any],
    fit_to: str | PathLike[str] | None,
) -> LayoutDraft:
    """What writes the layout; for a form, a row stands for what its deepest field is of."""
    if fit_to is None:
        return LayoutDraft(result, row_per, source)
    form = read_form(Path(fit_to), FormReference(fspath(fit_to)))
    writer = FormDraft(result, row_per, source, form)
    if row_per is None and writer.found:
        return FormDraft(result, writer.deepest, source, form)
    return writer
