"""Emitting expressions: from the nodes of a plan to statements of Python.

A value is emitted as statements that leave it in a variable. Whatever is unusual (text where a
number is meant, a list where one value is) is handed to `runtime`, so that the usual stays short.
There is a small emitter for each family of nodes; this puts them together, and says which one a
node belongs to.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from ...language import nodes as n
from ...plan.kinds import AGGREGATE_KINDS, Operand, Ready
from ...plan.known import access_of, known_of
from ...plan.plan import Plan
from .aggregates import Aggregates
from .calculations import Calculations
from .columns import Columns
from .conditions import Conditions
from .constants import Constants
from .conversions import Conversions
from .emission import Emission, Variables
from .paths import Paths
from .tree_functions import TreeFunctions
from .tree_walks import InOrder, Walk


class Emitter:
    """Emits the expressions of one function, into ``code``.

    ``roots`` are all that it is going to emit: their aggregates over the same entries share a loop.
    Emitters that write into one function share its ``variables``.
    ``judging`` is the level whose entries are judged there, 0 where all have been; as deep as
    ``in_full`` levels are seen as they came, whatever was filtered out; with
    ``notes_units`` the function takes note of the units that amounts stand in. ``walk`` is how
    trees are walked where they stand. ``by_column``: the function walks each entry once, and begins
    with what reads the texts of all (`Emission.column_lines`).
    """

    def __init__(
        self,
        plan: Plan,
        constants: Constants,
        roots: Iterable[n.Node | None] = (),
        *,
        variables: Variables | None = None,
        judging: int = 0,
        in_full: int = 0,
        notes_units: bool = False,
        walk: type[Walk] = InOrder,
        by_column: bool = False,
    ) -> None:
        self.code = Emission(plan, constants, variables or Variables(), walk, by_column)
        self.paths = Paths(self)
        self.paths.notes_units = notes_units
        self.conversions = Conversions(self, self.paths)
        self.conditions = Conditions(self, self.conversions, self.paths)
        self.calculations = Calculations(self, self.conversions, self.conditions, self.paths)
        self.aggregates = Aggregates(self, self.paths, self.conditions, roots, judging, in_full)
        self.columns = Columns(self, self.paths, notes_units)
        self.trees = TreeFunctions(self)
        self._families: dict[type, Callable[[Any], Operand]] = {
            Ready: lambda node: node.operand,
            n.Literal: lambda node: self.code.literal(node.value),
            n.Heading: self.columns.referred,
            n.FieldPath: self.paths.value,
            n.Sign: self.calculations.sign,
            n.Arithmetic: self.calculations.arithmetic,
            n.Concatenation: self.calculations.concatenation,
            n.Collate: lambda node: self.text(node.operand),
            n.Case: self.calculations.case,
            n.Cast: self.calculations.cast,
            n.Call: self._call,
            n.And: self.conditions.both,
            n.Or: self.conditions.either,
            n.Not: self.conditions.no,
            n.Comparison: self.conditions.compared,
            n.IsTest: self.conditions.is_test,
            n.In: self.conditions.among,
            n.InList: self.conditions.in_list,
            n.InPeriod: self.conditions.between_days,
            n.Between: self.conditions.between,
            n.Like: self.conditions.like,
            n.Overlaps: self.conditions.overlaps,
        }

    def value(self, node: n.Node) -> Operand:
        """Emit an expression; the operand names its variable or literal, and its kind."""
        return self._families[node.__class__](node)

    def _call(self, node: n.Call) -> Operand:
        if known_of(node).node is not None:
            return self.trees.call(node)
        family = self.aggregates.value if node.name in AGGREGATE_KINDS else self.calculations.call
        return family(node)

    # ---- as one of a kind

    def as_kind(self, kind: str, node: n.Node) -> Operand:
        """The value as one of a kind, null where it cannot be."""
        return self.conversions.as_kind(kind, node)

    def number(self, node: n.Node) -> Operand:
        """The value as a number; text is read, and what is no number is a fault and null."""
        return self.as_kind("number", node)

    def text(self, node: n.Node) -> Operand:
        """The value as a text."""
        return self.as_kind("text", node)

    def truth(self, node: n.Node) -> Operand:
        """The value as true, false or unknown (None)."""
        return self.as_kind("truth", node)

    def whole(self, path: n.FieldPath) -> Operand:
        """What stands at a path, be it an object that stands for its text."""
        return self.paths.load(access_of(path))

    def present(self, node: n.Node) -> Operand:
        """The value, with every form of null as None."""
        return self.conversions.present(node)
