"""The fields of a survey as a tree, in the order in which people look for them."""

from __future__ import annotations

from dataclasses import dataclass, field

from ..layout.model.source_options import CATALOGUE
from ..structure.survey import FieldSurvey, SurveyResult


@dataclass(slots=True)
class Branch:
    """A place with those below it; ``above`` is how the path of what it lies in begins its own."""

    place: FieldSurvey
    above: str
    below: list[Branch] = field(default_factory=list)


def tree_of(result: SurveyResult) -> list[Branch]:
    """The fields as a tree: those that hold nothing else come first, as they were met. Those of a
    catalogue stay in the order of their tags."""
    top: list[Branch] = []
    around: list[Branch] = []
    for one in result.fields:
        while around and around[-1].place.depth >= one.depth:
            around.pop()
        branch = Branch(one, _beginning(one.path, around[-1].place.path if around else ""))
        (around[-1].below if around else top).append(branch)
        around.append(branch)
    return top if result.states.get("format") == CATALOGUE else _direct_first(top)


def _direct_first(branches: list[Branch]) -> list[Branch]:
    for one in branches:
        one.below = _direct_first(one.below)
    return sorted(branches, key=lambda one: bool(one.below))


def _beginning(path: str, above: str) -> str:
    start = above if path.startswith(above) else ""
    return f"{start}." if start and path.startswith(f"{start}.") else start
