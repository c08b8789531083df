"""Emitting what is asked before the nodes of a tree are opened: of a record, and of a node."""

from __future__ import annotations

from ..language import nodes as n
from ..plan.known import Known
from ..plan.plan import OpeningPlan, Plan
from .blocks import Block, function_head, indented
from .constants import Constants
from .emission import Scope
from .emitter import Emitter


def passes_source(plan: Plan, constants: Constants, name: str) -> str:
    """The text of the function that says whether a record passes the conditions that are told of it
    alone: what others hold need not be opened. Blank where nothing is opened, or none is judged."""
    own = [one.value for one in plan.conditions if one.level == 0 and one.side is None]
    tests = [value for value in own if all(map(_is_of_the_record, value.walk()))]
    if plan.layout.opens_by is None or not tests:
        return ""
    emitter = Emitter(plan, constants)
    with emitter.code.at(0, whole=True) as block:
        for test in tests:
            block.add(f"if {emitter.truth(test).code} is not True: return False")
    head = function_head(name, "record", "number")
    return "\n".join([head, *indented([*block.lines, "return True"], 1)])


def _is_of_the_record(node: n.Node) -> bool:
    """Whether a part of a condition asks for nothing that lies in levels below the record."""
    known = node.known
    if not isinstance(known, Known):
        return True  # a step of a path
    if known.aggregate is not None or known.node is not None or isinstance(node, n.Heading):
        return False
    access = known.access
    return access is None or (access.anchor == 0 and access.crossed is None and not access.rest)


def closed_source(plan: Plan, opening: OpeningPlan, constants: Constants, name: str) -> str:
    """The text of the function that says whether a node stays closed; blank where none asks."""
    if opening.value is None:
        return ""
    emitter = Emitter(plan, constants)
    last = opening.chain.row
    scope = Scope(
        opening.chain,
        [*("above" for _ in range(last)), "entry"],
        ["number", *("0" for _ in range(last))],
        ["" for _ in range(last + 1)],
        [Block()],
    )
    for _ in range(last):
        scope.blocks.append(Block(scope.blocks[-1]))
    scope.depth = "depth"
    emitter.code.scope, emitter.code.block = scope, scope.blocks[-1]
    verdict = emitter.truth(opening.value)
    lines = [line for block in scope.blocks for line in block.lines]
    head = function_head(name, "number", "entry", "depth")
    return "\n".join([head, *indented([*lines, f"return {verdict.code} is True"], 1)])
