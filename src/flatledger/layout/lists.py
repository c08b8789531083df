"""The lists that the conditions of a layout look up."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from ..errors import LayoutError, ShelfError
from ..language import nodes as n
from .column import Expression
from .files import SUFFIXES, beside, read_list
from .model import LayoutModel, NamedList
from .shelf import Shelf


def lists_of(model: LayoutModel, folder: Path | None, shelf: Shelf) -> tuple[NamedList, ...]:
    """The lists that a layout's expressions look up. Raises LayoutError for those not found.

    A name that ends as a file does is one beside or below the layout, any other is on the shelf.
    """
    found: dict[tuple[str, str | None], NamedList] = {}
    problems = []
    for expression in expressions_of(model):
        for node in expression.node.walk():
            asked = isinstance(node, n.InList) and isinstance(node.source, n.Asked)
            if not isinstance(node, n.InList) or asked or (node.name, node.heading) in found:
                continue
            try:
                values = read_list(_file(node.name, folder, shelf), node.heading)
                found[node.name, node.heading] = NamedList(node.name, node.heading, values)
            except (LayoutError, ShelfError) as error:
                problems.append(expression.problem(str(error), node.position))
    if problems:
        raise LayoutError(model.name, problems)
    return tuple(found.values())


def expressions_of(model: LayoutModel) -> Iterator[Expression]:
    """Every expression of a layout that may look something up."""
    for column in model.columns:
        if column.value:
            yield column.value
        if column.spread:
            yield from (value for _, value in column.spread.values)
    yield from (condition.value for condition in model.conditions)
    yield from (key.value for key in model.sort if key.value)
    yield from (key.value for key in (*model.group, *model.row_per_group) if key.value)


def _file(name: str, folder: Path | None, shelf: Shelf) -> Path:
    if Path(name).suffix not in SUFFIXES["list"]:
        return shelf.find("list", name)
    return beside(name, folder)
