"""Layouts that are typed on the command line rather than kept in a file."""

from __future__ import annotations

import click

from ..layout import Layout
from ..layout.check import check_layout
from ..layout.text import Item, Mapping, Scalar, Sequence, read_yaml


def layout_and_source(
    places: tuple[str, ...], row_per: str | None, lists: dict[str, tuple[str, ...]]
) -> tuple[Layout, str]:
    """The layout, from its file or as it was typed, and the source.

    Raises click.UsageError where the command line has too many or too few of them.
    """
    typed = row_per is not None or any(lists.values())
    if len(places) != (1 if typed else 2):
        wanted = "SOURCE alone, since a layout is typed" if typed else "LAYOUT and SOURCE"
        raise click.UsageError(f"This takes {wanted}.")
    if not typed:
        return Layout.from_file(places[0]), places[1]
    return _typed(row_per, lists), places[0]


def _typed(row_per: str | None, lists: dict[str, tuple[str, ...]]) -> Layout:
    pairs: list[tuple[Scalar, Item]] = []
    if row_per is not None:
        pairs.append((Scalar("row-per"), Scalar(row_per)))
    for key, texts in lists.items():
        if texts:
            items = [_column(text) if key == "columns" else Scalar(text) for text in texts]
            pairs.append((Scalar(key), Sequence(tuple(items))))
    return Layout(check_layout(Mapping(tuple(pairs)), "command line"))


def _column(text: str) -> Item:
    """A column as it would stand in a layout; a bare expression is its own heading."""
    item = _without_places(read_yaml(text, f"--column {text!r}"))
    return Mapping(((Scalar(text), item),)) if isinstance(item, Scalar) else item


def _without_places(item: Item) -> Item:
    """The same item without lines and columns, which a command line does not have."""
    if isinstance(item, Scalar):
        return Scalar(item.text, style=item.style)
    if isinstance(item, Sequence):
        return Sequence(tuple(_without_places(part) for part in item.items))
    return Mapping(tuple((Scalar(key.text), _without_places(value)) for key, value in item.pairs))
