"""The loops over records and their entries, as `unfold` and `control_sums` walk them.

They walk what `keep` has kept; where nothing can be filtered out and each level is a list of
objects for certain, the records themselves, and there is no `keep`.
"""

from __future__ import annotations

from ...plan.plan import Plan
from ...structure.levels import Access
from ...structure.structure import MEMBERS
from ..expressions.as_they_came import goes_deeper, keeps_all
from ..expressions.blocks import indented
from ..expressions.emission import entry_name, ordinal_name, places_name
from ..expressions.emitter import Emitter


def load_entries(emitter: Emitter, plan: Plan, deepest: int) -> None:
    """Emit what finds the entries of each level as far as one, where there is no `keep`."""
    if not keeps_all(plan):
        return
    levels = plan.chain.levels
    if goes_deeper(plan):  # which may run over entries that are not walked here
        deepest = plan.chain.row
    for level in range(deepest):
        names = levels[level + 1][len(levels[level]) :]
        raw = emitter.paths.load(Access(level, names, ())).code
        with emitter.code.at(level, whole=True):
            emitter.code.add(f"entries_{level + 1} = {raw} or ()")
            if emitter.code.scope.walks[level + 1] is not None:
                continue
            places = f"range(1, len(entries_{level + 1}) + 1)"
            if levels[level + 1] in plan.chain.known.trees:
                places = f"places_of({raw})"
            emitter.code.add(f"{places_name(level + 1)} = {places}")


def loop(emitter: Emitter, plan: Plan, level: int, body: list[str]) -> list[str]:
    """The loop over the entries of a level, with their places and what is kept below them."""
    walk = emitter.code.scope.walks[level]
    if walk is not None:
        return walk.lines(f"entries_{level}", body)
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
    return [f"for {', '.join(names)} in zip({', '.join(parts)}):", *indented(body, 1)]
