"""Drafting a layout for a published form: its headings in its order, with the fields that match."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..layout.model.column import Column
from ..layout.model.model import PublishedForm
from ..layout.model.text import scalar
from ..layout.settling.fitting import matched, near_ones
from ..structure.survey import FieldSurvey, SurveyResult
from .layout_draft import LayoutDraft
from .row_level import level_of
from .wording import comment, humanised, names_of

_PROPOSED = 3


class FormDraft(LayoutDraft):
    """Writes the layout for a survey and a form: what has no match is blank, with proposals."""

    def __init__(
        self,
        result: SurveyResult,
        row_per: str | None,
        source: Mapping[str, Any],
        form: PublishedForm,
    ) -> None:
        super().__init__(result, row_per, source)
        self.form = form
        self.fields = {field.path: field for field in self.columns()}
        columns = [Column(path, titles=self._titles(path)) for path in self.fields]
        found = matched(form.headings, columns)
        self.found = {
            heading: self.fields[column.heading] for heading, (column, _) in found.items()
        }

    @property
    def deepest(self) -> str:
        """The deepest level among the fields that match."""
        levels = [level_of(field, self.levels) for field in self.found.values()]
        return max(
            levels, key=lambda level: self.levels[level].depth if level in self.levels else -1
        )

    @property
    def first_heading(self) -> str:
        return next(iter(self.found), self.form.headings[0])

    def _titles(self, path: str) -> tuple[str, ...]:
        """What a field could be called: the heading of a draft, its last names, the whole path."""
        names = names_of(path)
        lasts = (humanised(names[-length:]) for length in range(1, len(names) + 1))
        return (self.headings[path], *lasts)

    def head(self) -> list[str]:
        count, whole = len(self.found), len(self.form.headings)
        return [
            *super().head(),
            "",
            comment(f"# {count:,} of the {whole:,} headings of {self.form.file} have a field."),
            comment(f"# To fill the form: flatledger export … --fit-to {self.form.file}"),
        ]

    def column_lines(self) -> list[str]:
        taken = {field.path for field in self.found.values()}
        left = [field for path, field in self.fields.items() if path not in taken]
        lines = [self._line(heading, left) for heading in self.form.headings]
        if left:
            lines += ["", "  # Fields without a heading in the form:"]
        for field in left:
            entry = f"- {scalar(self.headings[field.path])}: {self.value(field)}"
            lines.append(comment(f"  # {entry}"))
        return lines + [comment(f"  # {self.language_entry(path)}") for path in self.languages()]

    def _line(self, heading: str, left: list[FieldSurvey]) -> str:
        if heading in self.found:
            field = self.found[heading]
            return f"  - {scalar(heading)}: {self.value(field)}" + self.remark(field)
        names = {self.headings[field.path]: field.path for field in left}
        near = [names[name] for name in near_ones(heading, list(names))[:_PROPOSED]]
        perhaps = comment(f"   # perhaps {', '.join(near)}") if near else ""
        return f"  - {scalar(heading)}:{perhaps}"
