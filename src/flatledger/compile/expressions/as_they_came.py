"""What is walked as it came: records of which nothing is filtered out, and trees that need not be
laid flat."""

from __future__ import annotations

from collections.abc import Iterator

from ...language import nodes as n
from ...plan.known import Known
from ...plan.plan import Plan
from ...structure.levels import Names

COME_DOWN = {  # functions of a node that are known by what is above it, and by its own value
    "depth",
    "ordinal",
    "numbering",
    "is_leaf",
    "is_counted",
    "parent",
    "root",
    "trail",
    "indented",
    "chain_product",
}


def keeps_all(plan: Plan) -> bool:
    """Whether all records are kept with all that they hold, and can be walked as they are."""
    take = plan.layout.take
    by_record = take is not None and take.of == "records"
    if plan.conditions or plan.drops_without_entries or by_record:
        return False
    places = [plan.record_types.field_of(level) for level in plan.chain.levels[1:]]
    exact = all(one is not None and one.holds_structs for one in places)
    return exact and (plan.chain.row < 2 or not goes_deeper(plan))


def goes_deeper(plan: Plan) -> bool:
    """Whether there is an aggregate: one over levels of the row asks what is kept below each."""
    return any(
        isinstance(k := one.known, Known) and k.aggregate is not None for one in _nodes(plan)
    )


def _nodes(plan: Plan) -> Iterator[n.Node]:
    values = [one for column in plan.columns for one in (column.value, column.once)]
    values += [node for node, _ in plan.extra_keys]
    return (part for value in values if value is not None for part in value.walk())


def walked_trees(plan: Plan) -> frozenset[Names]:
    """The trees of a plan if they can be walked where they stand, all of them or none.

    Their nodes come as structs in lists, for certain, and stay all; what is asked of a node is
    known on the way down to it; nothing else looks at them.
    """
    trees = frozenset(names for names in plan.repeating if names in plan.chain.known.trees)
    layout = plan.layout
    arranged = layout.nest or layout.opens_by or plan.openings
    if not trees or arranged or layout.expects or plan.doubts or not keeps_all(plan):
        return frozenset()
    places = [plan.record_types.field_of(names) for names in trees]
    exact = all(one is not None and one.holds_structs and one.below for one in places)
    missed = any(one.names[: len(names)] == names for one in plan.missing for names in trees)
    return trees if exact and not missed and all(map(_comes_down, _nodes(plan))) else frozenset()


def _comes_down(node: n.Node) -> bool:
    known = node.known
    if not isinstance(known, Known):
        return True
    if known.aggregate is not None and known.aggregate.under is not None:
        return False
    if known.node is None or not isinstance(node, n.Call):
        return True
    separators = node.arguments[1:] if node.name == "trail" else ()
    fixed = all(isinstance(o, n.Literal) and isinstance(o.value, str) for o in separators)
    return fixed and node.name in COME_DOWN
