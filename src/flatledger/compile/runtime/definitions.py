"""Definitions of what nodes of a tree hold, by their names."""

from __future__ import annotations

from typing import Any

import msgspec

from ...structure.levels import Names
from ...structure.structure import Place
from ...values.functions import text_of
from ...values.own_texts import own_value
from .plain_data import is_null, siblings, walk


class NodeDefinitions:
    """What nodes hold that say it by a name: the nodes by the name of each definition.

    Of names that come twice the first is taken. ``used`` are the names that were asked for;
    ``structure`` is that of the definitions, where they are not the source's own records.
    """

    def __init__(self, file: str = "") -> None:
        self.file = file  # blank where they are the source's own records
        self.nodes: dict[str, Any] = {}
        self.double: dict[str, None] = {}
        self.used: set[str] = set()
        self.nameless = 0
        self.structure = Place()

    def add(self, record: Any, named_by: str, level: Names) -> None:
        """Take in a record, as a definition."""
        if self.file and isinstance(record, dict):
            self.structure.add(record)
        name = name_of(record.get(named_by)) if isinstance(record, dict) else ""
        if not name:
            self.nameless += 1
        elif name in self.nodes:
            self.double[name] = None
        else:
            self.nodes[name] = walk(record, level)

    def of_type(self, shape: Any) -> dict[str, Any]:
        """The same with the nodes in a type. Raises msgspec.ValidationError."""
        if shape is None:
            return self.nodes
        return {
            name: msgspec.convert(list(siblings(nodes)), list[shape])
            for name, nodes in self.nodes.items()
        }


def name_of(value: Any) -> str:
    """What a node or a definition is called; blank where it says nothing."""
    value = own_value(value)
    return "" if is_null(value) or isinstance(value, list | dict) else text_of(value).strip()
