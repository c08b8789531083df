"""Noting the paths that no record read so far has; they are judged at the end of the run."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from ..language import nodes as n
from ..structure.levels import Names, plain_steps
from ..structure.missing_fields import TREE_FIELD, MissingPath
from ..structure.structure import MEMBERS, Place
from ..values.own_texts import TEXT
from .draft import PlanDraft
from .plan import expressions_in


class MissingPaths:
    """Notes in a draft what it uses, and which of it the records lack; ``given`` is their structure
    before trees are one level in it."""

    def __init__(self, draft: PlanDraft, structure: Place, given: Place) -> None:
        self._draft, self._structure, self._given = draft, structure, given

    def note(self, levels: Iterable[MissingPath]) -> None:
        """Note them, with the ``levels`` that rows are to stand for, if these are among them."""
        used = {
            plain_steps(part, self._draft.chain)[0]
            for expression in expressions_in(self._draft.layout)
            for part in expression.node.walk()
            if isinstance(part, n.FieldPath)
        }
        used |= {names[:length] for names in used for length in range(len(names))}
        self._draft.used = used
        for expression in expressions_in(self._draft.layout):
            compared = {id(part) for part in _compared(expression.node)}
            for part in expression.node.walk():
                if isinstance(part, n.FieldPath) and not part.relative:
                    names, _ = plain_steps(part, self._draft.chain)
                    if self._structure.has_own_texts and names[-1:] == (TEXT,):
                        names = names[:-1]  # each element has it
                    exact = any(
                        isinstance(selector, n.Name) and selector.bracketed
                        for segment in part.segments
                        for selector in segment.selectors
                    )
                    self._miss(
                        MissingPath(
                            names, expression, part.position, exact, compared=id(part) in compared
                        )
                    )
        for level in levels:
            self._miss(level)
        for names in (
            names for e in self._draft.layout.expects for names in (e.names, e.after) if names
        ):
            self._miss(MissingPath(names))
        nest = self._draft.layout.nest
        for field in (nest.key, nest.parent, nest.depth, nest.numbering) if nest else ():
            if field and nest:
                self._miss(MissingPath((*nest.level, field), what=TREE_FIELD))
        self._of_trees()

    def _of_trees(self) -> None:
        """The same of levels that nest or are opened, and of what does so."""
        by = self._draft.layout.opens_by
        levels = [names for names, _ in self._draft.layout.nests]
        levels += [one.level for one in self._draft.layout.openings]
        for level in (*levels, *([by.level] if by else [])):
            self._miss(MissingPath(level, what="level"))
        if by is not None:
            self._miss(MissingPath((*by.level, *by.key)))
        for names, inner in self._draft.layout.nests:
            if self._given.find((*names, inner)) is None:
                self._draft.missing.append(MissingPath((*names, inner), what="level"))

    def _miss(self, path: MissingPath) -> None:
        if self._structure.find(_known_part(path.names)) is None:
            self._draft.missing.append(path)


def _known_part(names: Names) -> Names:
    """The names as far as they are a record's own: those of a mapping's members are data."""
    return names[: names.index(MEMBERS)] if MEMBERS in names else names


def _compared(node: n.Node) -> Iterator[n.Node]:
    """What stands beside a comparison for equality, where a text may have been meant."""
    for part in node.walk():
        if isinstance(part, n.Comparison) and part.operator in ("=", "<>"):
            yield part.right
        elif isinstance(part, n.In):
            yield from part.options
