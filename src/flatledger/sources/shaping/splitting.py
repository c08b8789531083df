"""Cells taken apart: parallel lists in several cells become the entries of a level."""

from __future__ import annotations

from typing import Any

from ...errors import SourceError
from ...layout.model.model import Split
from ...structure.levels import KnownLevels, Names
from ...structure.structure import Place
from ...structure.trees import with_trees
from ...values.faults import Fault, shown
from ...values.own_texts import own_value
from .enriched import entries_at


class Splitter:
    """Takes cells apart and pairs their parts (an Enrichment).

    Where the numbers of parts differ, nothing is paired: the cells stand whole in one entry, and
    that is a fault.
    """

    def __init__(self, split: Split, known: KnownLevels) -> None:
        self._split, self._known = split, known
        self._trees: dict[Names, str] = {}

    def look_at(self, structure: Place) -> None:
        """Find the trees on the way to the cells."""
        self._trees = with_trees(structure, self._known)[1].trees

    def add_to(self, record: dict[str, Any], number: int, told: list[Fault] | None) -> None:
        split = self._split
        for entry in entries_at(record, split.parent, self._trees):
            if split.name in entry:
                raise SourceError(
                    f"record {number} has a field `{split.name}` already; call the level that "
                    "`split` makes something else"
                )
            found = self._entries(entry, number, told)
            if found:
                entry[split.name] = found

    def _entries(self, holder: dict[str, Any], number: int, told: list[Fault] | None) -> list[Any]:
        split = self._split
        cells = [own_value(holder.get(field)) for _, field in split.fields]
        parts = [_parts(cell, split.separator) for cell in cells]
        if not split.paired:
            return [part for part in parts[0] if part is not None]
        names = [name for name, _ in split.fields]
        counts = [len(found) for found in parts]
        if len(set(counts)) > 1:
            if told is not None:
                told.append(self._fault(number, cells, counts))
            return [dict(zip(names, cells, strict=True))]
        return [dict(zip(names, pair, strict=True)) for pair in zip(*parts, strict=True)]

    def _fault(self, number: int, cells: list[Any], counts: list[int]) -> Fault:
        paths = [".".join((*self._split.parent, field)) for _, field in self._split.fields]
        texts = " | ".join(shown(cell) for cell in cells)
        many = " and ".join(map(str, counts))
        reason = f"{many} parts can't be paired: each is left as one cell"
        return Fault(number, " and ".join(paths), texts, reason)


def _parts(cell: Any, separator: str) -> list[Any]:
    """The parts of a cell, None for a blank one; a separator at the end begins no part.

    >>> _parts("Marrow; ; Ilse;", ";"), _parts(["a", "b"], ";"), _parts(None, ";")
    (['Marrow', None, 'Ilse'], ['a', 'b'], [])
    """
    if cell is None:
        return []
    if isinstance(cell, list):
        return cell
    if not isinstance(cell, str):
        return [cell]
    parts = [part.strip() or None for part in cell.split(separator)]
    return parts if parts[-1] is not None else parts[:-1]
