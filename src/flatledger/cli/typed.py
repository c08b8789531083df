"""Layouts that are typed on the command line, alone or as what differs from a file's."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import click

from ..layout import Layout
from ..layout.text import Item, Mapping, Scalar, Sequence, read_yaml


def layout_and_source(
    places: tuple[str, ...], row_per: str | None, lists: dict[str, tuple[str, ...]]
) -> tuple[Layout, str]:
    """The layout, from its file, the shelf or as it was typed, and the source.

    Raises click.UsageError where the command line has too many or too few of them.
    """
    typed = _typed(row_per, lists)
    if not 1 <= len(places) <= 2 or (len(places) == 1 and not typed):
        raise click.UsageError("This takes LAYOUT and SOURCE, or SOURCE and a typed layout.")
    if len(places) == 1:
        return Layout.from_data(typed, "command line"), places[0]
    layout = Layout.find(places[0])
    return layout.with_changes(typed) if typed else layout, places[1]


@contextmanager
def kept_as(name: str | None, layout: Layout) -> Iterator[None]:
    """Keep a layout on the shelf once what is done meanwhile has come to a good end."""
    if name is None:
        yield
        return
    from ..shelving import check_save, save
    from .shelf import may_replace
    from .terminal import errors

    replace = may_replace(name, "layout")
    check_save(layout, name, replace=replace)
    yield
    place = save(layout, name, replace=replace)
    errors().print(f"On the shelf as {name}: {place}", highlight=False, soft_wrap=True)


def _typed(row_per: str | None, lists: dict[str, tuple[str, ...]]) -> dict[str, Any]:
    """What was typed, as a layout's keys and values."""
    typed: dict[str, Any] = {} if row_per is None else {"row-per": row_per}
    for key, texts in lists.items():
        if texts:
            typed[key] = [_column(text) if key == "columns" else _condition(text) for text in texts]
    return typed


def _column(text: str) -> Item:
    """A column as it would stand in a layout; a bare expression is its own heading."""
    item = _without_places(read_yaml(text, f"--column {text!r}"))
    return Mapping(((Scalar(text), item),)) if isinstance(item, Scalar) else item


def _condition(text: str) -> Item:
    """A condition or key is as it was typed; in braces it is what it would be in a layout."""
    if not text.lstrip().startswith("{"):
        return Scalar(text)
    return _without_places(read_yaml(text, f"--only {text!r}"))


def _without_places(item: Item) -> Item:
    """The same item without lines and columns, which a command line does not have."""
    if isinstance(item, Scalar):
        return Scalar(item.text, style=item.style)
    if isinstance(item, Sequence):
        return Sequence(tuple(_without_places(part) for part in item.items))
    return Mapping(tuple((Scalar(key.text), _without_places(value)) for key, value in item.pairs))
