"""A survey as text for a terminal: a line for each field, with marks that are explained below."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

from ..structure.survey import FieldSurvey, SurveyResult
from .field_tree import Branch, tree_of
from .screen import Part, Screen, cut, wide
from .words import different, example_texts, pasted, repeats, share, shown_text, types

_GAP = "  "
_PATHS = 0.4  # of the width, at most; a longer path has a line of its own
_LONGEST_NAME, _LONGEST_TYPE = 30, 14
_EXAMPLE = 36
_FEWEST = 12  # letters for examples, however narrow the terminal is


def print_survey(result: SurveyResult, screen: Screen, depth: int | None = None) -> int:
    """Print a line for each place, or for several where they are too many, or deeper than a
    ``depth``; what was recognised is explained below, each thing once. How many places are told of
    in lines that stand for several."""
    marks = _Marks()
    lines = folded(tree_of(result), depth)
    rows = [None if line.place is None else _Row(line, marks) for line in lines]
    columns = _Columns([row for row in rows if row is not None], screen.width)
    if rows:
        screen.parts([(columns.line(_HEADINGS), "underline")])
    for line, row in zip(lines, rows, strict=True):
        if row is None:
            screen.parts([(f"{pasted(line.above)}…  {line.text}", "dim")])
            continue
        for parts in columns.parts(row):
            screen.parts(parts)
    if marks.texts:
        screen.line()
    for text, number in marks.texts.items():
        screen.line(f"{number:>3}  {text}", whole=True)
    return fields_folded(lines)


class _Marks:
    """Numbers for what was recognised, in the order in which it is met."""

    def __init__(self) -> None:
        self.texts: dict[str, int] = {}

    def of(self, field: FieldSurvey) -> str:
        numbers = [self.texts.setdefault(one, len(self.texts) + 1) for one in field.remarks]
        return ",".join(map(str, numbers))


class _Row:
    """The cells of a field, beside its path."""

    def __init__(self, line: Line, marks: _Marks) -> None:
        assert line.place is not None
        branch = line.place
        field = self.field = branch.place
        self.above = pasted(branch.above)
        self.cells = [
            shown_text(pasted(field.path)),
            cut(field.name, _LONGEST_NAME),
            share(field.filled, field.parents),
            different(field),
            cut(types(field), _LONGEST_TYPE),
            marks.of(field),
        ]
        longest = f"(longest: {field.longest:,} letters)" if field.longest > _EXAMPLE else ""
        self.examples = [
            line.text,
            repeats(field),
            *(cut(one, _EXAMPLE) for one in example_texts(field)),
        ]
        self.examples = [one for one in [*self.examples, longest] if one]


_HEADINGS = ["path", "called", "filled", "different", "type", "see", "examples"]
_TO_THE_RIGHT = (2, 3)


class _Columns:
    """How wide each column is, so that the whole fits."""

    def __init__(self, rows: list[_Row], width: int) -> None:
        cells = [[row.cells[at] for row in rows] for at in range(len(_HEADINGS) - 1)]
        self._shown = [at for at, texts in enumerate(cells) if any(texts) or at == 0]
        self._widths = {at: max([wide(_HEADINGS[at]), *map(wide, cells[at])]) for at in self._shown}
        others = sum(self._widths.values()) - self._widths[0] + len(_GAP) * len(self._shown)
        most = min(int(_PATHS * width), width - others - _FEWEST)
        self._widths[0] = max(min(self._widths[0], most), len(_HEADINGS[0]))
        self._left = max(width - others - self._widths[0], _FEWEST)

    def line(self, cells: list[str]) -> str:
        """A line of cells, of which the last are the examples."""
        padded = [self._padded(cells[at], at) for at in self._shown]
        return _GAP.join([*padded, cells[-1]]).rstrip()

    def parts(self, row: _Row) -> list[list[Part]]:
        """A row in one line, or in two where its path is long: the path's beginning, which others
        share, is dim."""
        path, above = row.cells[0], shown_text(row.above)
        style = "bold" if row.field.is_level else ""
        named: list[Part] = [(above, "dim"), (path.removeprefix(above), style)]
        rest = self.line(["", *row.cells[1:], self._fitted(row.examples)])[self._widths[0] :]
        if wide(path) > self._widths[0]:
            return [named, [(" " * self._widths[0] + rest, "")]]
        blanks = " " * (self._widths[0] - wide(path)) if rest else ""
        return [[*named, (blanks + rest, "")]]

    def _padded(self, text: str, at: int) -> str:
        blanks = " " * (self._widths[at] - wide(text))
        return blanks + text if at in _TO_THE_RIGHT else text + blanks

    def _fitted(self, examples: list[str]) -> str:
        """As many examples as there is room for; the first is cut if it has to be."""
        text = cut(examples[0], self._left) if examples else ""
        for one in examples[1:]:
            longer = f"{text} · {one}"
            if wide(longer) > self._left:
                return text
            text = longer
        return text


# ---- folding a long survey: what is alike, hardly ever filled, or deep is told of in one line


MOST_LINES = 100  # a longer survey is folded
_RARE = 100  # filled in fewer than one in so many
_DEEP = (3, 2, 1)  # levels that are shown, the most that fit
_NAMED = 3


class Line(NamedTuple):
    """A line of a survey: of a place, or of several ``above`` which lie in one. It has a ``text``
    where it stands for ``hidden`` places beside its own."""

    place: Branch | None
    above: str = ""
    text: str = ""
    hidden: int = 0


class _How(NamedTuple):
    alike: bool = False
    rare: bool = False
    depth: int = 0


def folded(branches: Sequence[Branch], depth: int | None = None) -> list[Line]:
    """The lines of a survey: all of them, or so many that they fit; with a ``depth`` as many levels
    of names, however many these are."""
    if depth is not None:
        return list(_lines(branches, _How(depth=depth)))
    found: list[Line] = []
    ways = (_How(), _How(alike=True), _How(alike=True, rare=True))
    for how in (*ways, *(_How(True, True, deep) for deep in _DEEP)):
        found = list(_lines(branches, how))
        if len(found) <= MOST_LINES:
            return found
    left = found[MOST_LINES - 1 :]
    count = sum((line.place is not None) + line.hidden for line in left)
    return [*found[: MOST_LINES - 1], Line(None, "", f"{count:,} more fields", count)]


def fields_folded(lines: Iterable[Line]) -> int:
    """How many places have no line of their own."""
    return sum(line.hidden for line in lines)


def _lines(
    branches: Sequence[Branch], how: _How, level: int = 1, above: str = ""
) -> Iterator[Line]:
    rare = [one for one in branches if how.rare and _is_rare(one)]
    left = [one for one in branches if one not in rare] if len(rare) > 1 else list(branches)
    taken: dict[object, list[Branch]] = {}
    for one in left:
        taken.setdefault(_shape(one) if how.alike and one.below else id(one), []).append(one)
    for alike in taken.values():
        shown = alike if len(alike) < _NAMED else alike[:1]
        for one in shown:
            yield from _of_place(one, how, level)
        others = alike[len(shown) :]
        if others:
            text = f"{len(others):,} more of the same shape: {_names(others)}"
            yield Line(None, above, text, sum(map(_size, others)))
    if len(rare) > 1:
        count = sum(map(_size, rare))
        yield Line(None, above, f"{count:,} fields filled in under 1 %: {_names(rare)}", count)


def _of_place(branch: Branch, how: _How, level: int) -> Iterator[Line]:
    deeper = _size(branch) - 1
    if how.depth and level >= how.depth and deeper:
        text = "1 field deeper" if deeper == 1 else f"{deeper:,} fields deeper"
        yield Line(branch, branch.above, text, deeper)
        return
    yield Line(branch, branch.above)
    yield from _lines(branch.below, how, level + 1, branch.place.path)


def _is_rare(branch: Branch) -> bool:
    return branch.place.filled * _RARE < branch.place.parents


def _size(branch: Branch) -> int:
    return 1 + sum(map(_size, branch.below))


def _shape(branch: Branch) -> object:
    """What a place is made of, its own name apart."""
    return frozenset((_name(one), _shape(one)) for one in branch.below)


def _names(branches: Sequence[Branch]) -> str:
    shown = [_name(one) for one in branches[:_NAMED]]
    return ", ".join([*shown, *(["…"] if len(branches) > _NAMED else [])])


def _name(branch: Branch) -> str:
    return branch.place.path.removeprefix(branch.above)
