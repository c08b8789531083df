"""Columns for keys: what all keys take in is gathered in one mapping, by the key of each entry.

A column for the key `voltage` is ``listagg(case when <key> = 'voltage' then <value> end, '; ')``;
those of one `columns-from` differ in the text only.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from ..language import nodes as n


class ForKey(NamedTuple):
    """An aggregate that takes in the values of entries with one key."""

    call: n.Call
    key: n.Node
    text: str
    value: n.Node


def for_key(call: n.Call) -> ForKey | None:
    """What an aggregate takes in, if it is one for a key; else None."""
    case = call.arguments[0]
    if call.name != "listagg" or call.distinct or call.order is not None:
        return None
    if not isinstance(case, n.Case) or case.operand is not None or case.otherwise is not None:
        return None
    test, value = case.branches[0]
    if len(case.branches) > 1 or not isinstance(test, n.Comparison) or test.operator != "=":
        return None
    text = test.right.value if isinstance(test.right, n.Literal) else None
    if not isinstance(test.left, n.Cast) or test.left.type != "varchar":
        return None
    return ForKey(call, test.left, text, value) if isinstance(text, str) and text else None


def by_key(calls: Sequence[n.Call]) -> list[list[ForKey]]:
    """The aggregates that are for several keys of the same entries, together."""
    found: list[list[ForKey]] = []
    for one in filter(None, map(for_key, calls)):
        for group in found:
            if n.same(group[0].key, one.key) and n.same(group[0].value, one.value):
                group.append(one)
                break
        else:
            found.append([one])
    return [group for group in found if len(group) > 1]
