"""A survey as a page: the tree of levels and fields, foldable."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from ..structure.survey import FieldSurvey, SurveyResult
from . import words
from .page import render


@dataclass(slots=True)
class Branch:
    """One field with those below it, as the page shows it."""

    path: str
    above: str
    name: str
    level: bool
    filled: str
    percent: int
    repeats: str
    different: str
    kinds: str
    longest: str
    examples: list[str]
    remarks: list[str]
    below: list[Branch] = field(default_factory=list)


def survey_page(results: Mapping[str, SurveyResult], by: str | None = None) -> str:
    """The page of a survey; of several where records were told apart ``by`` a path."""
    return render("survey.html", surveys=_surveys(results, by), title="Survey")


def survey_fragment(result: SurveyResult) -> str:
    """The tree alone, for a notebook."""
    return render("survey_fragment.html", surveys=_surveys({"": result}, None))


def _surveys(results: Mapping[str, SurveyResult], by: str | None) -> list[dict[str, object]]:
    return [
        {
            "heading": f"{by} = {kind}" if by else result.source,
            "how_much": words.how_much(result),
            "told": words.told_lines(result),
            "tree": tree(result.fields),
        }
        for kind, result in results.items()
    ]


def tree(fields: list[FieldSurvey]) -> list[Branch]:
    """Fields, listed each before what lies below it, as a tree."""
    top: list[Branch] = []
    open_branches: list[tuple[int, Branch]] = []
    for one in fields:
        while open_branches and open_branches[-1][0] >= one.depth:
            open_branches.pop()
        above = open_branches[-1][1] if open_branches else None
        branch = _branch(one, above.path if above else "")
        (above.below if above else top).append(branch)
        open_branches.append((one.depth, branch))
    return top


def _branch(one: FieldSurvey, above: str) -> Branch:
    start = above if one.path.startswith(above) else ""
    if one.path.startswith(f"{start}.") and start:
        start += "."
    return Branch(
        path=one.path,
        above=start,
        name=one.path.removeprefix(start),
        level=one.is_level,
        filled=words.share(one.filled, one.parents),
        percent=100 * one.filled // max(one.parents, 1),
        repeats=words.repeats(one),
        different=words.different(one),
        kinds=words.kinds(one),
        longest=f"{one.longest:,}" if one.longest else "",
        examples=words.example_texts(one),
        remarks=one.remarks,
    )
