"""Emitting functions about the node of a tree: where it stands, and what others hold."""

from __future__ import annotations

from collections.abc import Hashable

from ...language import nodes as n
from ...plan.kinds import Operand
from ...plan.known import kind_of, node_of
from ...structure.levels import Chain
from ..runtime.tree import INDENT, TRAIL_SEPARATOR
from .blocks import indented
from .emission import Expressions
from .tree_walks import Walk


class TreeFunctions:
    """Emits them. What they ask of other nodes is worked out once for a tree, where it begins."""

    def __init__(self, emit: Expressions) -> None:
        self.emit, self.code = emit, emit.code
        self._arguments: list[n.Node] = []  # that differ from each other

    def call(self, node: n.Call) -> Operand:
        """Emit a call, at the level of its node."""
        at = node_of(node)
        with self.code.at(at):
            return self._call(node, at)

    def _call(self, node: n.Call, at: int) -> Operand:
        if self.code.scope.depth:
            return Operand(self.code.scope.depth, "number")
        walk = self.code.scope.walks[at]
        if walk is not None:
            return self._on_the_way(node, at, walk)
        place, nodes = self.code.scope.ordinals[at], self.code.scope.nodes[at]
        told = {
            "depth": ("tree.depths", f"[{place} - 1]"),
            "ordinal": ("tree.ordinals", f"[{place}]"),
            "numbering": ("tree.numbers", f"[{place}]"),
            "is_leaf": ("tree.bare", f"[{place}]"),
            "is_counted": ("leaves", f"[{place}]"),
        }
        if node.name in told:
            what, one = told[node.name]
            return self.code.assign(f"{self._known(at, what)}{one}", kind_of(node))
        if node.name == "is_match":
            return self.code.assign(f"{place} in {self._known(at, 'matched')}", "truth")
        if node.name == "indented":
            return self._indented(node, f"{self._known(at, 'tree.depths')}[{place} - 1]")
        if node.name == "trail":
            values = self._values(node.arguments[0], at, "text")
            separator = self._text(node, TRAIL_SEPARATOR)
            if not separator.nullable and separator.kind == "text":
                trails = self._known(at, f"trails({values}, {separator.code})")
                return self.code.assign(f"{trails}[{place}]", "text")
            code = f"{nodes}.trail({place}, {values}, {separator.code})"
            return self.code.unless_null((separator,), code, "text")
        if node.name == "chain_product":
            return self._product(node, at, place, nodes)
        return self._of_another(node, at, place, nodes)

    # ---- of a tree that is walked where it stands

    def _on_the_way(self, node: n.Call, at: int, walk: Walk) -> Operand:
        """What is told of a node by what comes down to it."""
        told = {"depth": lambda: walk.depth, "ordinal": lambda: walk.sibling}
        if node.name in told:
            return Operand(told[node.name](), "number")
        if node.name in ("is_leaf", "is_counted"):
            return self.code.assign(walk.test("leaves"), "truth")
        if node.name == "indented":
            return self._indented(node, walk.depth)
        known = self.code.known(self._key(node, walk))
        if known is None:
            with self.code.at(at, whole=True):
                known = self.code.note(self._key(node, walk), self._come_down(node, walk))
        return known

    def _key(self, node: n.Call, walk: Walk) -> tuple[Hashable, ...]:
        given = self._alike(node.arguments[0]) if node.arguments else None
        return node.name, walk.node, id(given), self._text(node, TRAIL_SEPARATOR).code

    def _come_down(self, node: n.Call, walk: Walk) -> Operand:
        """A value that is made of the one that comes down to a node, and of its own."""
        above = self.code.variable("above")
        if node.name == "numbering":
            walk.carry(above, '""', f'f"{{{above}}}{{{walk.sibling}}}."')
            return self.code.assign(f'f"{{{above}}}{{{walk.sibling}}}"', "text")
        kind = {"chain_product": "number", "trail": "text"}.get(node.name)
        argument = self._alike(node.arguments[0])
        own = self.emit.as_kind(kind, argument) if kind else self.emit.present(argument)
        own = self.code.held(own)
        if node.name == "parent":
            walk.carry(above, "None", own.code)
            return Operand(above, kind_of(node))
        if node.name == "root":
            found = self.code.assign(f"{own.code} if {walk.depth} == 1 else {above}", own.kind)
        elif node.name == "chain_product":
            code = f"None if {above} is None or {own.code} is None else {above} * {own.code}"
            found = self.code.assign(code, "number")
        else:
            joined = f"{above} + {self._text(node, TRAIL_SEPARATOR).code} + {own.code}"
            code = f"{above} if {own.code} is None else {own.code} if {above} is None else {joined}"
            found = self.code.assign(code, "text")
        walk.carry(above, "1" if node.name == "chain_product" else "None", found.code)
        return Operand(found.code, kind_of(node))

    def _alike(self, argument: n.Node) -> n.Node:
        """The first of those arguments that are the same."""
        like = [one for one in self._arguments if n.same(one, argument)]
        self._arguments += [] if like else [argument]
        return like[0] if like else argument

    # ---- of a tree laid flat

    def _known(self, at: int, what: str) -> str:
        """The variable with what is known of all nodes of a tree, where that begins."""
        nodes = self.code.scope.nodes[at]
        known = self.code.known((nodes, what))
        if known is None:
            with self.code.at(at - 1, whole=True):
                known = self.code.note((nodes, what), self.code.assign(f"{nodes}.{what}", "any"))
        return known.code

    def _text(self, node: n.Call, otherwise: str) -> Operand:
        """The second argument as a text."""
        given = node.arguments[1] if len(node.arguments) > 1 else n.Literal(0, otherwise)
        return self.emit.text(given)

    def _indented(self, node: n.Call, depth: str) -> Operand:
        text, indent = self.emit.text(node.arguments[0]), self._text(node, INDENT)
        code = f"{indent.code} * ({depth} - 1) + {text.code}"
        return self.code.unless_null((text, indent), code, "text")

    def _of_another(self, node: n.Call, at: int, place: str, nodes: str) -> Operand:
        """The value that another node has: the one above, the root, the one at a depth."""
        values, kind = self._values(node.arguments[0], at, ""), kind_of(node)
        if node.name == "parent":
            return self.code.assign(f"{values}[{self._known(at, 'tree.parents')}[{place}]]", kind)
        if node.name == "root":
            roots = self._known(at, "tree.at_depth(1)")
            return self.code.assign(f"{values}[{roots}[{place}]]", kind)
        depth = self.emit.number(node.arguments[1])
        code = f"{values}[{nodes}.ancestor({place}, {depth.code})]"
        return self.code.unless_null((depth,), code, kind)

    def _product(self, node: n.Call, at: int, place: str, nodes: str) -> Operand:
        values = self._values(node.arguments[0], at, "number")
        key = "products", values
        known = self.code.known(key)
        if known is None:
            with self.code.at(at - 1, whole=True):
                made = self.code.assign(f"{nodes}.products({values})", "any", "products")
                known = self.code.note(key, made)
        return self.code.assign(f"{known.code}[{place}]", "number")

    def _values(self, argument: n.Node, at: int, kind: str) -> str:
        """The variable with the value of each node that may be asked for one, by its place; the
        same for expressions that are the same."""
        outer = self.code.scope
        argument = self._alike(argument)
        key = "values of nodes", id(argument), outer.nodes[at], kind
        known = self.code.known(key)
        if known is None:
            with self.code.at(at - 1, whole=True):
                known = self.code.note(key, self._worked_out(argument, at, kind))
        return known.code

    def _worked_out(self, argument: n.Node, at: int, kind: str) -> Operand:
        outer = self.code.scope
        chain = Chain(outer.chain.levels[: at + 1], outer.chain.structure, outer.chain.known)
        each = self.code.variable("each")
        scope = self.code.scope = outer.deeper(chain, at - 1, [each])
        scope.nodes[at] = outer.nodes[at]
        with self.code.at(at) as inside:
            value = self.emit.as_kind(kind, argument) if kind else self.emit.present(argument)
        self.code.scope = outer
        values = self.code.assign(f"{outer.nodes[at]}.blanks()", "any", "values")
        self.code.add(f"for {scope.ordinals[at]}, {each} in {outer.nodes[at]}.wanted:")
        inside.add(f"{values.code}[{scope.ordinals[at]}] = {value.code}")
        for line in indented(inside.lines, 1):
            self.code.add(line)
        return values
