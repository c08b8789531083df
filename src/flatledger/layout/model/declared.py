"""A field that a layout declares: a place, and what its values are."""

from __future__ import annotations

from collections.abc import Iterable

import msgspec

from ...language import nodes as n
from ...values.field_values import FieldDeclaration
from .column import Column, Expression

ANY = "*"  # each entry of a list, or each member of a mapping


class DeclaredField(msgspec.Struct, frozen=True):
    """A place with the declaration of its values: ``names`` lead to it, `*` being a wildcard. Its
    ``locale`` is that of the layout where it states none."""

    names: tuple[str, ...]
    expression: Expression
    declared: FieldDeclaration
    locale: str = ""

    def in_locale(self, locale: str, typed: bool = False) -> FieldDeclaration:
        """The declaration with the locale that it is read by, where that of the layout is given;
        of a source that has ``typed`` its dates and times."""
        locale = self.locale or locale or "en"
        return msgspec.structs.replace(self.declared, locale=locale, typed=typed)


def place_of(node: n.Node) -> tuple[str, ...] | None:
    """The place that a path of names and wildcards leads to; None where a selector chooses, or
    nothing is named.

    >>> from flatledger.language import parse_expression
    >>> place_of(parse_expression("lines[*].price")), place_of(parse_expression("lines[0]"))
    (('lines', '*', 'price'), None)
    """
    names: list[str] = []
    for segment in node.segments if isinstance(node, n.FieldPath) else ():
        only = segment.selectors[0]
        if segment.descendant or len(segment.selectors) > 1:
            return None
        if not isinstance(only, n.Name | n.Wildcard):
            return None
        names.append(only.name if isinstance(only, n.Name) else ANY)
    return tuple(names) or None


def field_at(node: n.Node, fields: Iterable[DeclaredField]) -> DeclaredField | None:
    """The declared field that a path ends at, whatever selectors are on the way."""
    if not isinstance(node, n.FieldPath) or any(one.descendant for one in node.segments):
        return None
    steps = (segment.selectors[0] for segment in node.segments)
    names = [
        one.name if isinstance(one, n.Name) else ANY
        for one in steps
        if isinstance(one, n.Name | n.Wildcard)
    ]
    return next((one for one in fields if bare(one.names) == bare(names)), None)


def bare(names: Iterable[str]) -> list[str]:
    """Names without the wildcards between them, which go to the entries of a list."""
    found = [*names]
    return [name for name in found[:-1] if name != ANY] + found[-1:]


def as_declared(column: Column, fields: Iterable[DeclaredField]) -> Column:
    """A column whose value is one declared field: what it does not say itself, the field says."""
    field = field_at(column.value.node, fields) if column.value is not None else None
    if field is None or column.reads or column.spread is not None:
        return column
    declared = field.declared
    if column.datatype is None and not column.clean and declared.datatype:
        column = msgspec.structs.replace(column, datatype=declared.datatype, inherited=True)
    if declared.unit and not column.unit and column.datatype in ("decimal", "integer"):
        column = msgspec.structs.replace(column, unit=declared.unit)
    return column
