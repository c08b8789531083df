"""The notation of catalogues: 245, 245$a, 700$a$e, 020[1]$a, 008/07-10, LDR/06 (MARC 21's tags,
subfield codes and character positions)."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import TYPE_CHECKING

from ...language import nodes as n
from ...language.notations import Names, Notation
from ...layout.model.source_options import CATALOGUE
from ...structure.path_texts import path_of

if TYPE_CHECKING:
    from ...language.actions import Actions

_TAG = re.compile(r"\d{3}")
_IN_A_TAG = ("$", "/")  # how the names begin of what is in a field
_PATH = re.compile(r"\b\d{3}\$[a-z0-9]|\b(?:00\d|LDR)/\d\d")


class CatalogueNotation(Notation):
    """The notation of catalogues, as `language.notations` asks for it.

    >>> from flatledger.language import parse_expression
    >>> parse_expression("245$a", NOTATION).names()
    ('245', '$a')
    """

    format = CATALOGUE
    paths = r"""
    | TAG tag_segment* [CODES]                                  -> tag_path
    | TAG SPAN                                                  -> tag_span
"""
    rules = r"""
// where a layout says that its source is a catalogue: 245$a, 700$a$e, 020, 020[1]$a,
// 245[?@.ind1=='1']$a, 008/07-10

tag_segment: _OPEN selectors "]"                                -> child
    | DOT_NAME                                                  -> child_name

TAG.4: /(?:[0-9]{3}|LDR)(?!\w|\.(?![^\W\d]))/
CODES: /(?:\$[a-z0-9])+(?![a-z0-9$])/
SPAN.4: /\/[0-9]{2}(?:-[0-9]{2})?(?![0-9])/
"""

    def actions(self) -> type[Actions]:
        """What becomes of tags."""
        from .tag_paths import TagPaths

        return TagPaths

    def hint(self, text: str) -> str:
        """Where a tag with a subfield or a position is in a text, what the layout has to say."""
        if not _PATH.search(text):
            return ""
        return f"paths as in 245$a are for catalogues: `source: {{format: {CATALOGUE}}}`"

    def without_path(self, heading: str, text: str) -> str:
        """245 would be a number in each row."""
        if not text.isdigit():
            return ""
        return (
            f"column `{heading}` has no path; over a catalogue `{text}` is a field where the "
            f"layout says `source: {{format: {CATALOGUE}}}`"
        )

    def has(self, path: n.FieldPath) -> bool:
        """Whether a path is that of a field, by its tag.

        >>> from flatledger.language import parse_expression
        >>> [NOTATION.has(parse_expression(one, NOTATION)) for one in ("020[1]$a", "fields")]
        [True, False]
        """
        first = path.segments[0].selectors[0] if path.segments else None
        return isinstance(first, n.Name) and len(first.name) == 3 and first.name.isdigit()

    def lists(self, path: n.FieldPath, *, in_aggregate: bool) -> Iterable[Names]:
        """The field of which a selector chooses some; the field and the subfield of which an
        aggregate takes all."""
        names = _named_by(path)
        if in_aggregate:
            return {names[:1], names} if _is_subfield(names) else ()
        chooses = len(path.segments) > 1 and not isinstance(path.segments[1].selectors[0], n.Name)
        return {names[:1]} if chooses else ()

    def called(self, names: Names) -> str:
        """A tag with what is in it.

        >>> NOTATION.called(("700", "$e")), NOTATION.called(("245", "ind1"))
        ('700$e', '245.ind1')
        """
        if not names or not _TAG.fullmatch(names[0]):
            return ""
        inside = len(names) > 1 and names[1].startswith(_IN_A_TAG)
        called = names[0] + names[1] if inside else names[0]
        for name in names[1 + inside :]:
            called = path_of(called, name)
        return called


def _named_by(path: n.FieldPath) -> Names:
    selectors = (segment.selectors[0] for segment in path.segments)
    return tuple(one.name for one in selectors if isinstance(one, n.Name))


def _is_subfield(names: Names) -> bool:
    return len(names) == 2 and len(names[1]) == 2 and names[1].startswith("$")


NOTATION = CatalogueNotation()
