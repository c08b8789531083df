"""The keys of rows that are watched: texts that could be meant as numbers, days shown alike."""

from __future__ import annotations

from collections.abc import Iterator

from ..language.nodes import FieldPath, Node
from ..layout.model.column import Column
from ..plan.known import declared_of
from ..plan.plan import Plan
from ..plan.row_type import RowType
from ..values.field_values import DATES
from ..values.shown_alike import period_shown


def _is_typed(node: Node | None) -> bool:
    """Whether a value is a field that is declared to have a datatype."""
    declared = declared_of(node) if node is not None else None
    return declared is not None and bool(declared.datatype)


def watched_keys(row_type: RowType) -> Iterator[tuple[int, str, bool]]:
    """The keys whose texts could be meant as numbers: their places, what to call them, and whether
    they are ordered."""
    clear = {c.slot for c in row_type.columns if c.numeric or c.column.typed or _is_typed(c.value)}
    keys = enumerate(row_type.extra_keys, len(row_type.columns))
    clear |= {slot for slot, (node, _) in keys if _is_typed(node)}
    sorted_by = set()
    for key in row_type.sort:
        if not key.collation and key.slot not in clear:
            sorted_by.add(key.slot)
            yield key.slot, f"sort by `{key.text}`", True
    for key in row_type.group:
        if key.slot not in sorted_by | clear:
            yield key.slot, f"group by `{key.text}`", False


def keys_shown_alike(plan: Plan, row_type: RowType) -> Iterator[tuple[int, str, str, str]]:
    """The keys of days that a format shows by a longer period: their places, what to call them,
    the value, and the format."""
    table = plan if plan.over is None else plan.over.plan
    shown = [one.column for one in table.columns if one.column.format and one.column.value]
    for way, keys in (("group", row_type.group), ("sort", row_type.sort)):
        for key in keys:
            if key.slot >= len(row_type.columns):
                continue
            own = row_type.columns[key.slot].column
            for column in shown:
                same = column.heading == own.heading or _stands_for(column, own.heading)
                pattern, value = column.format or "", own.value
                if same and value and column.datatype in DATES and period_shown(pattern):
                    text = f"{way} by `{column.heading}`"
                    yield key.slot, text, " ".join(value.text.split()), pattern


def _stands_for(column: Column, key: str) -> bool:
    """Whether a column over groups shows a key as it is."""
    node = column.value.node if column.value is not None else None
    return isinstance(node, FieldPath) and node.names() == (key,)
