"""The loops over records and their entries, as `unfold` and `control_sums` walk them.

They walk what `keep` has kept; where nothing can be filtered out and each level is a list of
objects for certain, the records themselves, and there is no `keep`.
"""

from __future__ import annotations

from ..language import nodes as n
from ..plan.known import Known
from ..plan.plan import Plan
from ..structure.levels import Access
from ..structure.structure import MEMBERS
from .emission import entry_name, ordinal_name, places_name
from .emitter import Emitter


def keeps_all(plan: Plan) -> bool:
    """Whether all records are kept with all that they hold, and can be walked as they are."""
    take = plan.layout.take
    by_record = take is not None and take.of == "records"
    if plan.conditions or plan.drops_without_entries or by_record:
        return False
    places = [plan.record_types.field_of(level) for level in plan.chain.levels[1:]]
    exact = all(one is not None and one.holds_structs for one in places)
    return exact and (plan.chain.row < 2 or not any(map(_goes_deeper, _nodes(plan))))


def _nodes(plan: Plan) -> list[n.Node]:
    values = [one for column in plan.columns for one in (column.value, column.once)]
    values += [node for node, _ in plan.extra_keys]
    return [part for value in values if value is not None for part in value.walk()]


def _goes_deeper(node: n.Node) -> bool:
    """Whether a node is an aggregate: one over levels of the row asks what is kept below each."""
    return isinstance(node.known, Known) and node.known.aggregate is not None


def load_entries(emitter: Emitter, plan: Plan, deepest: int) -> None:
    """Emit what finds the entries of each level as far as one, where there is no `keep`."""
    if not keeps_all(plan):
        return
    levels = plan.chain.levels
    if any(map(_goes_deeper, _nodes(plan))):  # which may run over entries that are not walked here
        deepest = plan.chain.row
    for level in range(deepest):
        names = levels[level + 1][len(levels[level]) :]
        raw = emitter.paths.load(Access(level, names, ())).code
        with emitter.code.at(level, whole=True):
            emitter.code.add(f"entries_{level + 1} = {raw} or ()")
            places = f"range(1, len(entries_{level + 1}) + 1)"
            if levels[level + 1] in plan.chain.known.trees:
                places = f"places_of({raw})"
            emitter.code.add(f"{places_name(level + 1)} = {places}")


def loop(plan: Plan, level: int) -> str:
    """The `for` over the entries of a level, with their places and what is kept below them."""
    entry, parts = entry_name(level), [f"ordinals_{level}", f"entries_{level}"]
    if plan.chain.levels[level][-1:] == (MEMBERS,):
        entry = f"(key_of_{entry}, {entry})"
    names = [ordinal_name(level), entry]
    if level == 0:
        parts, names = ["numbers", "records"], ["number", "record"]
    if level < plan.chain.row and not keeps_all(plan):
        below = ["entries", "ordinals", "belows"][: 2 + (level + 1 < plan.chain.row)]
        names.append(f"({', '.join(f'{part}_{level + 1}' for part in below)})")
        parts.append(f"belows_{level}" if level else "kept")
    return f"for {', '.join(names)} in zip({', '.join(parts)}):"
