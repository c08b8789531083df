"""Emitting paths: loads, and steps through structs and plain data."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import ExitStack, contextmanager

from ...language import nodes as n
from ...language.choosing import Choice, choice_of
from ...language.selecting import compile_path
from ...plan.kinds import Operand
from ...plan.known import access_of, declared_of, known_of, text_of_node
from ...structure.levels import Access, Names
from ...structure.record_types import Field
from ...structure.structure import MEMBERS
from ...values.field_values import FieldDeclaration
from ...values.own_texts import TEXT
from ..runtime.stated_levels import StatedLevels
from .as_they_came import keeps_all
from .emission import Emission, Expressions


class Paths:
    """Emits the loads of paths, each once at the level that it starts from."""

    def __init__(self, emit: Expressions) -> None:
        self.emit, self.code = emit, emit.code
        self._steps = "walk"
        self._sides = SideEntries(self.code)
        self.notes_units = False
        self._stated = self._at_level = False

    def variable_of(self, access: Access) -> str:
        return self.code.scope.variables[access.anchor]

    def value(self, node: n.FieldPath) -> Operand:
        """The value at a path: as it is declared or, where it is not, whatever it is."""
        declared = declared_of(node)
        return self.source(node) if declared is None else self._declared(node, declared)

    def _declared(self, node: n.FieldPath, declared: FieldDeclaration) -> Operand:
        """The value at a path as it is declared. Where amounts can be in any unit, that is noted
        where rows are made."""
        notes = self.notes_units and self.code.constants.reader(declared).notes_units
        return self.read(node, declared, f"field `{text_of_node(node)}`" if notes else "")

    def read(self, node: n.FieldPath, declared: FieldDeclaration, watch: str = "") -> Operand:
        """The value at a path read by a declaration, once. Where it may not be needed it is read
        there alone, so that it tells of no fault. ``watch`` names what notes the units."""
        raw = self.source(node)
        key = ("read", raw.code, repr(declared))
        known = self.code.known(key)
        if known is None and self.code.nested:
            known = self.code.note(key, self.read_value(node, raw.code, declared, watch))
        elif known is None:
            with self.code.at(access_of(node).anchor):
                known = self.code.note(key, self.read_value(node, raw.code, declared, watch))
                self.code.note_test(node)
        return known

    def read_value(self, node: n.Node, raw: str, declared: FieldDeclaration, watch: str) -> Operand:
        """A value read by a declaration: usual texts are looked up, all else is read with care."""
        reader = self.code.constants.reader(declared)
        name = self.code.constants.name(reader, "reader")
        raw = self.code.held(Operand(raw, "any")).code
        if watch:
            named = self.code.constants.name(self.code.constants.watches.units_of(watch), "units")
            call = f"read_amounts({raw}, {name}, {named}, {self.code.told(node)})"
            return self.code.assign(f"None if {raw} is None else {call}", declared.kind, "read")
        quick = self.code.constants.name(reader.quick, "texts")
        found = f"{quick}[{raw}] if {raw}.__class__ is str else None"
        if self._only(node) is str:
            found = self.text_value(node, raw, quick, reader.quick.takes_columns)
        elif declared.datatype in ("", "decimal", "integer") and not declared.nulls:
            usual = ("int",) if declared.datatype == "integer" else ("int", "Decimal")
            typed = " or ".join(f"{raw}.__class__ is {one}" for one in usual)
            found = f"{raw} if {typed} else {found}"
        value = self.code.assign(found, declared.kind, "read")
        with self.code.below(f"if {value.code} is None and {raw} is not None:"):
            self.code.add(f"{value.code} = read_field({raw}, {name}, {self.code.told(node)})")
        return value

    def is_unread(self, node: n.FieldPath, value: Operand) -> str:
        """The code for whether the value of a declared field is there, and could not be read."""
        declared, raw = declared_of(node), self.source(node).code
        assert declared is not None
        name = self.code.constants.reader_name(declared)
        return f"{value.code} is None and {raw} is not None and is_unread({raw}, {name})"

    def source(self, node: n.FieldPath) -> Operand:
        """The value at a path as the source has it."""
        known = self.load(access_of(node), self._is_stated(node))
        return known if self._is_text(node) else self._own_value(known)

    def load(self, access: Access, stated: bool = False) -> Operand:
        """The value at a path as it came; loaded once, at the level it starts from. Where levels
        are ``stated``, a list elsewhere is no value."""
        key = ("load", self.variable_of(access), access.names, access.rest, stated)
        known = self.code.known(key)
        if known is None:
            with self.code.at(access.anchor, whole=True), self._stating(stated):
                known = self.code.note(key, self.raw(access))
        return known

    def entries(self, access: Access, stated: bool) -> Operand:
        """What stands at a level, which is a list as a rule; on the way to it none stands."""
        self._at_level = True
        with self._stating(stated):
            found = self.raw(access)
        self._at_level = False
        return found

    @contextmanager
    def _stating(self, stated: bool) -> Iterator[None]:
        """Meanwhile a list at a place that is not stated is no value, if levels are stated."""
        before, self._stated = self._stated, stated
        yield
        self._stated = before

    def _is_stated(self, node: n.FieldPath) -> bool:
        """Whether a path may cross no list but at levels that are stated: in an aggregate, whose
        home such a list would be (docs/rules.md, 1)."""
        return known_of(node).inside and self.code.plan.chain.known.stated is not None

    def aligned(self, node: n.Node) -> Operand:
        """The values at a path, with a null for each entry that has none."""
        if not isinstance(node, n.FieldPath):
            return self.emit.value(node)
        access = access_of(node)
        with self.code.at(access.anchor):
            self._steps = "walk_aligned"
            value = self.raw(access)
            self._steps = "walk"
            return self._own_value(value)

    def raw(self, access: Access) -> Operand:
        """Load the value at a path as it came."""
        level = self.code.scope.chain.levels[access.anchor]
        variable = self.variable_of(access)
        result = self.code.variable("raw")
        names, rest = self._split(level, access)
        names, rest, of_text = self._without_text(level, names, rest)
        place = self.code.plan.record_types.place_of(level)
        chosen = choice_of(rest) if rest else None
        side = self.code.plan.record_types.field_of((*level, *names))
        if chosen is not None and side is not None and side.holds_structs:
            self._sides.choose(side, chosen, self._load(place, variable, names), result)
            return Operand(result, "any")
        if place.whole:
            self._walk(variable, level, names, result)
        else:
            self._step(place, variable, names, result)
        if rest:
            self._select((*level, *names), rest, result)
        elif self._stated and not self._at_level:
            self._check_stated((*level, *names), result)
        elif access.alone and self._steps == "walk":
            self.code.add(f"if {result}.__class__ is list: {result} = alone({result})")
        if of_text:
            self.code.add(f"{result} = own_text({result})")
        return Operand(result, "any")

    def _check_stated(self, names: Names, result: str) -> None:
        """A list at the end of a path is none of the stated levels."""
        place = self.code.plan.record_types.field_of(names)
        if place is None or place.only is None:
            call = f"unstated({result}, {self._stated_levels(names)}, {self.code.where})"
            self.code.add(f"if {result}.__class__ is list: {result} = {call}")

    def _stated_levels(self, names: Names) -> str:
        """The name of what tells of a list at a place that is none of the stated levels."""
        stated = self.code.plan.chain.known.stated or frozenset()
        return self.code.constants.name(StatedLevels(tuple(sorted(stated)), names), "stated")

    def field_of(self, node: n.Node) -> Field | None:
        """The place of a path in the types of the records, if it leads to one."""
        if not isinstance(node, n.FieldPath) or access_of(node).rest:
            return None
        names = (*known_of(node).start, *access_of(node).names)
        return self.code.plan.record_types.field_of(names)

    def only(self, node: n.Node) -> type | None:
        """The class of all values at a path, beside null; None where they may be anything, or are
        read as they are declared."""
        return None if declared_of(node) is not None else self._only(node)

    def text_value(self, node: n.Node, raw: str, values: str, takes_columns: bool) -> str:
        """The code for what a field's text is by `TextValues` of some name: the next one of the
        column where that is read at once, else it is looked up."""
        column = self._column(node) if takes_columns else ""
        code = f"{values}.column({column})"
        if not column or code in self.code.columns:  # of which the next one is taken once
            return f"None if {raw} is None else {values}[{raw}]"
        self.code.columns[code] = self.code.variable("next")
        return f"{self.code.columns[code]}()"

    def _column(self, node: n.Node) -> str:
        """The code for the values of a field in all records, or in the entries of the level below,
        as they came; blank where it is not as simple as that."""
        place, plan = self.field_of(node), self.code.plan
        if not self.code.by_column or place is None or place.only is not str:
            return ""
        anchor, scope = access_of(node).anchor, self.code.scope
        once = self.code.block is scope.blocks[anchor]  # for each entry, whatever else is true
        if not once or scope.chain.levels != plan.chain.levels:
            return ""
        level = plan.chain.levels[anchor]
        if place.names[:-1] != level or len(level) > 1 or level in self.code.walked:
            return ""
        if not level:
            return f"[one.{place.attribute} for one in records]"
        entries = plan.record_types.place_of(level)
        if not keeps_all(plan) or not entries.holds_structs:
            return ""
        inner = f"for one in record.{entries.attribute} or ()"
        return f"[one.{place.attribute} for record in records {inner}]"

    def _only(self, node: n.Node) -> type | None:
        place = self.field_of(node)
        crosses = place is not None and access_of(node).crossed not in (None, place.names)
        return None if place is None or crosses else place.only

    def _split(self, level: Names, access: Access) -> tuple[Names, tuple[n.Segment, ...]]:
        """The names before the first place that repeats, and everything after them as segments."""
        if not access.rest:
            return access.names, ()
        plain = next(
            (
                length
                for length in range(1, len(access.names))
                if self.code.plan.chain.is_level((*level, *access.names[:length]))
            ),
            len(access.names),
        )
        after = tuple(
            n.Segment(0, (n.Wildcard(0) if name == MEMBERS else n.Name(0, name),))
            for name in access.names[plain:]
        )
        return access.names[:plain], after + access.rest

    # ---- objects that stand for a text of their own

    @property
    def _has_own_texts(self) -> bool:
        return self.code.plan.chain.structure.has_own_texts

    def _is_text(self, node: n.Node) -> bool:
        """Whether no object is met at a path, since it was asked for as a text."""
        return not self._has_own_texts or self._only(node) is str or self.lists_texts(node)

    def _own_value(self, value: Operand) -> Operand:
        """What stands at a path, as a value: of an object that has a text of its own, that."""
        if not self._has_own_texts:
            return value
        key = ("own value", value.code)
        known = self.code.known(key)
        if known is None:
            code = f"{value.code} if {value.code}.__class__ is str else own_value({value.code})"
            known = self.code.note(key, self.code.assign(code, "any", "text"))
        return known

    def _without_text(
        self, level: Names, names: Names, rest: tuple[n.Segment, ...]
    ) -> tuple[Names, tuple[n.Segment, ...], bool]:
        """The steps without a last one to all text of an object, where none has it as a field."""
        if not self._has_own_texts:
            return names, rest, False
        if rest:
            only = rest[-1].selectors[0]
            alone = len(rest[-1].selectors) == 1 and not rest[-1].descendant
            if alone and isinstance(only, n.Name) and only.name == TEXT:
                return names, rest[:-1], True
        elif names[-1:] == (TEXT,):
            place = self.code.plan.record_types.field_of((*level, *names))
            if place is None:
                return names[:-1], rest, True
        return names, rest, False

    def _load(self, place: Field, variable: str, names: Names) -> str:
        """The name of a variable with what stands at a place."""
        result = self.code.variable("raw")
        self._step(place, variable, names, result)
        return result

    def _step(self, place: Field, variable: str, names: Names, result: str) -> None:
        if place.whole:
            self._walk(variable, place.names, names, result)
            return
        child = place.children[names[0]]
        if len(names) == 1:
            self.code.add(f"{result} = {variable}.{child.attribute}")
            return
        inner = self._part(child, variable)
        if child.whole:
            self._walk(inner, child.names, names[1:], result)
            return
        if child.only is list:
            self._sides.across(child, inner, names[1:], result)
            return
        if child.only is not None:
            self._step_exactly(child, inner, names[1:], result)
            return
        struct = self.code.constants.name(child.struct, child.struct.__name__)
        with self.code.below(f"if {inner}.__class__ is {struct}:"):
            self._step(child, inner, names[1:], result)
        with self.code.below(f"elif {inner} is None:"):
            self.code.add(f"{result} = None")
        steps = self.code.constants.name(names[1:], "steps")
        site = self.code.constants.name(self.code.plan.chain.called(child.names), "site")
        with self.code.below("else:"):
            stray = f"stray({inner}, {steps}, {site}, {self.code.where})"
            if self._stated:
                told = f"unstated({inner}, {self._stated_levels(child.names)}, {self.code.where})"
                stray = f"{told} if {inner}.__class__ is list else {stray}"
            self.code.add(f"{result} = {stray}")

    def _part(self, child: Field, variable: str) -> str:
        """The variable with a part of an entry; loaded once."""
        key = ("part", variable, child.names)
        known = self.code.known(key)
        if known is None:
            known = self.code.note(
                key, self.code.assign(f"{variable}.{child.attribute}", "any", "part")
            )
        return known.code

    def _step_exactly(self, place: Field, variable: str, names: Names, result: str) -> None:
        """Steps into a struct that is there or missing."""
        child = place.children[names[0]]
        if len(names) == 1:
            load = f"{variable}.{child.attribute}"
            self.code.add(f"{result} = None if {variable} is None else {load}")
            return
        with self.code.below(f"if {variable} is None:"):
            self.code.add(f"{result} = None")
        with self.code.below("else:"):
            self._step(place, variable, names, result)

    def lists_texts(self, node: n.Node) -> bool:
        """Whether the value at a path is a list of texts, if it is not null."""
        if not isinstance(node, n.FieldPath) or declared_of(node) is not None:
            return False
        access, types = access_of(node), self.code.plan.record_types
        names = (*known_of(node).start, *access.names)
        chosen = choice_of(access.rest) if access.rest else None
        if chosen is not None:
            side = types.field_of(names)
            if side is None or not side.holds_structs or chosen.name is None:
                return False
            return side.children[chosen.name].only is str
        place = None if access.rest else types.field_of(names)
        if place is None or not place.whole:
            return False
        if access.alone:  # the one value, as a rule
            return False
        return place.only is list or (place.only is str and access.crossed not in (None, names))

    # ---- plain data

    def _walk(self, variable: str, start: Names, names: Names, result: str) -> None:
        """Steps through plain data from a place; one name in an object is looked up at once."""
        if not names:
            self.code.add(f"{result} = {variable}")
            return
        steps = self.code.constants.name(names, "steps")
        slow = f"{self._steps}({variable}, {steps})"
        if self._stated:
            stated = self._stated_levels(start)
            slow = f"walk_stated({variable}, {steps}, {stated}, {self.code.where})"
        if len(names) > 1 or names == (MEMBERS,):
            self.code.add(f"{result} = {slow}")
            return
        quick = f"{variable}.get({names[0]!r})"
        self.code.add(f"{result} = {quick} if {variable}.__class__ is dict else {slow}")

    def _select(self, start: Names, rest: tuple[n.Segment, ...], result: str) -> None:
        """Apply further segments of the standard: one node gives its value, several a list."""
        selection = compile_path(
            rest,
            start=start,
            is_level=self.code.plan.chain.is_level,
            has_own_texts=self._has_own_texts,
        )
        name = self.code.constants.name(selection, "selection")
        site = self.code.constants.name(self.code.plan.chain.called(start) + "…", "site")
        root = "record" if self.code.plan.record_types.root.whole else "None"
        self.code.add(f"{result} = select({name}, {result}, {root}, {site}, {self.code.where})")

    def kinds_met(self, node: n.Node) -> list[type]:
        """The kinds of value that the records read so far have at a path, the commonest first."""
        if not isinstance(node, n.FieldPath) or declared_of(node) is not None:
            return []
        access = access_of(node)
        names = (*known_of(node).start, *access.names)
        place = None if access.rest else self.code.plan.chain.structure.find(names)
        return [kind for kind, _ in place.kinds.most_common(2)] if place else []


# ---- emitting what stands below the entries of a side level that are structs


class SideEntries:
    """Emits loops over the entries of side levels, where the types say what they are."""

    def __init__(self, code: Emission) -> None:
        self.code = code

    def across(self, side: Field, entries: str, names: Names, result: str) -> None:
        """The values below all entries of a side level, in a list; nulls are none of them."""
        loops, value, last = self._below(side, entries, names)
        self._collect(result, loops, f"{value} is not None", value)
        if last.only is None:  # a list among them stands for its elements
            self.code.add(f"{result} = spliced({result})")

    def _below(self, side: Field, entries: str, names: Names) -> tuple[list[str], str, Field]:
        """The loops through a side level, the value in them, and its place."""
        one, place = self.code.variable("one"), side.children[names[0]]
        loops, value = [self._loop(one, side, entries)], f"{one}.{place.attribute}"
        for length in range(1, len(names)):
            if place.only is list:
                further, value, place = self._below(place, value, names[length:])
                return [*loops, *further], value, place
            inner = self.code.variable("one")
            loops += [f"{inner} = {value}", f"if {inner} is not None:"]
            place = place.children[names[length]]
            value = f"{inner}.{place.attribute}"
        if place.only is list:
            one = self.code.variable("one")
            return [*loops, f"for {one} in {value} or ():"], one, place
        return loops, value, place

    def _loop(self, one: str, side: Field, entries: str) -> str:
        """The loop over the entries of a side level; of a tree over all its nodes."""
        if side.names in self.code.walked:
            return f"for {one} in all_nodes({entries}, {side.below!r}):"
        return f"for {one} in {entries} or ():"

    def choose(self, side: Field, choice: Choice, entries: str, result: str) -> None:
        """The usual choice among the entries of a side level."""
        one = self.code.variable("one")
        key, value = (
            f"{one}.{side.children[n or ''].attribute}" for n in (choice.key, choice.name)
        )
        if (
            self.code.plan.chain.structure.has_own_texts
            and side.children[choice.key].only is not str
        ):
            key = f"own_value({key})"
        test = f"{key} == {choice.text!r} and {value} is not None"
        self._collect(result, [self._loop(one, side, entries)], test, value)

    def _collect(self, result: str, heads: list[str], test: str, value: str) -> None:
        """A list of the values for which a test is true, below some heads; in loops, since a
        comprehension is a function that would have to be made each time."""
        self.code.add(f"{result} = []")
        with ExitStack() as inside:
            for head in heads:
                if head.endswith(":"):
                    inside.enter_context(self.code.below(head))
                else:
                    self.code.add(head)
            self.code.add(f"if {test}: {result}.append({value})")
