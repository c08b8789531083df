"""A survey as a page: the tree of levels and fields, foldable."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from ..structure.survey import SurveyResult
from . import words
from .field_tree import Branch, tree_of
from .page import render


@dataclass(slots=True)
class ShownField:
    """One field with those below it, as the page shows it."""

    path: str
    above: str
    name: str
    called: str
    level: bool
    filled: str
    percent: int
    repeats: str
    different: str
    types: str
    longest: str
    examples: list[str]
    remarks: list[str]
    below: list[ShownField]


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
            "tree": list(map(_shown, tree_of(result))),
        }
        for kind, result in results.items()
    ]


def _shown(branch: Branch) -> ShownField:
    one = branch.place
    return ShownField(
        path=one.path,
        above=words.pasted(branch.above),
        name=words.pasted(one.path).removeprefix(words.pasted(branch.above)),
        called=one.name,
        level=one.is_level,
        filled=words.share(one.filled, one.parents),
        percent=100 * one.filled // max(one.parents, 1),
        repeats=words.repeats(one),
        different=words.different(one),
        types=words.types(one, with_shares=True),
        longest=f"{one.longest:,}" if one.longest else "",
        examples=words.example_texts(one),
        remarks=one.remarks,
        below=list(map(_shown, branch.below)),
    )
