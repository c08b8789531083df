"""Emitting what stands below the entries of a side level that are structs."""

from __future__ import annotations

from contextlib import ExitStack

from ..language.choosing import Choice
from ..structure.levels import Names
from ..structure.record_types import Field
from .emission import Emission


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
        if self.code.plan.chain.structure.of_elements and side.children[choice.key].only is not str:
            key = f"element_value({key})"
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
