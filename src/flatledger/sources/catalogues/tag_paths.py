"""What the rules of the notation of catalogues become: paths of names."""

from __future__ import annotations

from typing import Any

from lark import v_args
from lark.tree import Meta

from ...language import nodes as n
from ...language.actions import Actions, at
from .catalogue_names import LEADER


@v_args(meta=True)
class TagPaths(Actions):
    """The language's actions, and those of tags."""

    def tag_path(self, meta: Meta, items: list[Any]) -> n.FieldPath:
        """A field by its tag, as in 245, 020[1]$a, 700$a$e."""
        tag, *chosen, codes = items
        segments = [_named(meta, str(tag)), *chosen]
        if codes is not None:
            segments.append(_named(meta, str(codes)))
        return self.field_path(at(meta), tuple(segments))

    def tag_span(self, meta: Meta, items: list[Any]) -> n.FieldPath:
        """Characters of a control field by their positions, as in 008/07-10."""
        tag, span = map(str, items)
        if tag != LEADER and not tag.startswith("00"):
            what = f"{span}: only LDR and 001 to 009 have positions; the number is {tag}.0"
            raise self.fail(what, items[1].start_pos)
        return self.field_path(at(meta), (_named(meta, tag), _named(meta, span)))

    def check_numbers(self, *operands: n.Node) -> None:
        """Refuse a bare tag where a number is meant: in arithmetic, and where size is compared."""
        for one in operands:
            tag = self.whole[one.position : one.position + 3]
            if isinstance(one, n.FieldPath) and len(one.segments) == 1 and tag.isdigit():
                message = f"`{tag}` is a field of the catalogue here; the number is {tag}.0"
                raise self.fail(message, one.position)


def _named(meta: Meta, name: str) -> n.Segment:
    return n.Segment(at(meta), (n.Name(at(meta), name),))
