"""The layout of a command: from its file or the shelf, or as typed, with what it asks for."""

from __future__ import annotations

import os
import re
import shlex
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import click

from ..api.files_met import files_met
from ..api.layout import Layout
from ..api.opening import notation_for
from ..api.preparing import given_for
from ..api.shelf_folders import SUFFIXES, ShelfFolders
from ..errors import ShelfError
from ..layout.model.shelved import ShelfCategory
from ..layout.model.text import Item, ItemList, ItemMap, Scalar, read_yaml
from ..layout.settling.settling import output_of
from ..sources.sets.found_files import below as folder_below
from .asking import answers_for

Source = str | list[str]
_WANTED = "This takes LAYOUT and SOURCE, or SOURCE and columns (--column)."
_GLUED = re.compile(r"([\w ,.-]*\w):([^\s:/].*)", re.DOTALL)

_BRACKETED = re.compile(  # `['Counted on']: date`: for YAML that would begin with a list
    r"""((?=[^:]*\[['"])(?:\[(?:\*|'(?:[^'\\]|\\.)*'|"(?:[^"\\]|\\.)*")\]|[^\s:'"{\[])+):\s*(.+)""",
    re.DOTALL,
)


@contextmanager
def layout_and_source(
    places: tuple[str, ...],
    save: str | None,
    replace: bool,
    ask: tuple[str, ...],
    answers: str | None,
    fit_to: str | None,
    below: bool,
    tables: tuple[str, ...],
    **typed: Any,
) -> Iterator[tuple[Layout, Source, dict[str, Any]]]:
    """The layout, the source or sources, and the answers to what it asks for.

    With ``save`` the layout is kept once what is done meanwhile has come to a good end. Raises
    click.UsageError where the command line has too many or too few places.
    """
    layout, source = _found(places, below, _typed(**typed))
    layout = layout.choosing(tables) if tables else layout
    with files_met() as met:
        given = answers_for(layout.shared.questions, ask, answers, source)
    for one in layout.of_tables():
        output_of(one.request, given_for(layout, given))  # what can't be an answer is told first
    with _kept_as(save, layout, replace):
        used = layout.made_of(met)
        yield used.fitted_to(fit_to) if fit_to else used, source, given


def _found(places: tuple[str, ...], below: bool, typed: dict[str, Any]) -> tuple[Layout, Source]:
    """The layout and what it is for. Without a layout all places are sources."""
    named = len(places) > 1 and (not typed or _is_layout(places[0]))
    if not typed:
        _check_named(places)
    elif not places:
        raise click.UsageError(_WANTED)
    reading = typed.get("source")
    source = one_or_several(places[named:], below)
    if typed and (notation := notation_for(source, reading)) is not None:
        typed["source"] = {**(reading or {}), "format": notation.format}
    if not named:
        return Layout.from_data(typed, "command line", folder=Path()), source
    layout = Layout.find(places[0])
    return layout.with_changes(typed, folder=Path()) if typed else layout, source


def _no_layout_yet(places: Sequence[str]) -> str:
    """What to do with a source alone."""
    if not places or _is_layout(places[0]) or not os.path.exists(places[0]):
        return ""
    place = places[0]
    drafted = shlex.quote(f"{Path(place).stem}.yaml")
    return f" No layout yet? flatledger draft {shlex.quote(place)} -o {drafted}"


def _check_named(places: tuple[str, ...]) -> None:
    """Raise click.UsageError where no layout comes first, though nothing was typed."""
    if len(places) < 2:
        raise click.UsageError(_WANTED + _no_layout_yet(places))
    first, *others = places
    if _is_layout(first) or not os.path.exists(first):  # what is not there is told of by its name
        return
    layout = next(filter(_is_layout, others), None)
    if layout is not None:
        raise click.UsageError(f"{first} looks like data; the layout comes first: {layout}.")
    raise click.UsageError(
        f"{first} is no layout (which ends in .yaml or .yml, or is a name on the shelf); name one "
        "first, or type columns (--column)."
    )


def one_or_several(places: Sequence[str], below: bool) -> Source:
    """What stands for a source: its name, or the names of its files; of folders with what is
    ``below`` them. Raises SourceError."""
    named = [folder_below(one) if below else one for one in places]
    return named[0] if len(named) == 1 else named


def _is_layout(place: str) -> bool:
    """Whether a place names a layout, by its name or on the shelf, and no source."""
    if place.endswith(SUFFIXES[ShelfCategory.LAYOUT]):
        return True
    if os.path.exists(place):
        return False
    try:
        ShelfFolders().find(ShelfCategory.LAYOUT, place)
    except ShelfError:
        return False
    return True


@contextmanager
def _kept_as(name: str | None, layout: Layout, replace: bool) -> Iterator[None]:
    if name is None:
        yield
        return
    from ..api.shelf import Shelf
    from .terminal import reports

    Shelf().check_save(layout, name, replace=replace)
    yield
    place = Shelf().save(layout, name, replace=replace)
    reports().line(f"Saved as `{name}` on your shelf: {place}", whole=True)


def reading_keys(texts: tuple[str, ...]) -> dict[str, Any]:
    """What was typed of how a source is read: a value in brackets is as it would be in a layout.

    Raises click.UsageError.
    """
    found: dict[str, Any] = {}
    for text in texts:
        key, equals, value = text.partition("=")
        if not equals:
            raise click.UsageError(f"--read takes KEY=VALUE, such as delimiter=pipe, not {text!r}.")
        key, brackets = key.strip(), value.startswith(("{", "["))
        if key in found:
            raise click.UsageError(
                f"--read says {key} twice; keep one. Several sheets are several runs."
            )
        found[key] = (
            _without_places(read_yaml(value, f"--read {text!r}")) if brackets else Scalar(value)
        )
    return found


def declared_fields(texts: tuple[str, ...]) -> dict[str, Any]:
    """Fields as they would stand in a layout: 'raised: date'. Raises click.UsageError."""
    found: dict[str, Any] = {}
    for text in texts:
        if glued := _GLUED.match(text):
            path, declared = glued.groups()
            raise click.UsageError(f"Write a blank after the colon: --field '{path}: {declared}'")
        bracketed = _BRACKETED.match(text)
        declared = bracketed.group(2) if bracketed else text
        item = _without_places(read_yaml(declared, f"--field {text!r}"))
        if bracketed:
            item = ItemMap(((Scalar(bracketed.group(1)), item),))
        if not isinstance(item, ItemMap):
            raise click.UsageError(
                f"--field takes a field with what it is, such as 'raised: date', not {text!r}."
            )
        for key, value in item.pairs:
            if key.text in found:
                raise click.UsageError(f"--field declares {key.text} twice; keep one.")
            found[key.text] = value
    return found


def _typed(
    row_per: tuple[str, ...],
    reading: dict[str, Any],
    take: int | None = None,
    output: dict[str, Any] | None = None,
    fields: dict[str, Any] | None = None,
    **lists: tuple[str, ...],
) -> dict[str, Any]:
    """What was typed, as a layout's keys and values."""
    typed: dict[str, Any] = {"row-per": list(row_per)} if row_per else {}
    if reading:
        typed["source"] = reading
    if output:
        typed["output"] = output
    if take is not None:
        typed["take"] = {"first": take, "of": "records"}
    if fields:
        typed["fields"] = fields
    for key, texts in lists.items():
        if texts:
            typed[key] = [_column(text) if key == "columns" else _condition(text) for text in texts]
    return typed


def _column(text: str) -> Item:
    """A column as it would stand in a layout; a bare expression is its own heading."""
    if glued := _GLUED.match(text):
        heading, expression = glued.groups()
        raise click.UsageError(f"Write a blank after the colon: --column '{heading}: {expression}'")
    item = _without_places(read_yaml(text, f"--column {text!r}"))
    return ItemMap(((Scalar(text), item),)) if isinstance(item, Scalar) else item


def _condition(text: str) -> Item:
    """A condition or key is as it was typed; in braces it is what it would be in a layout."""
    if not text.lstrip().startswith("{"):
        return Scalar(text)
    return _without_places(read_yaml(text, f"--only {text!r}"))


def _without_places(item: Item) -> Item:
    """The same item without lines and columns, which a command line does not have."""
    if isinstance(item, Scalar):
        return Scalar(item.text, style=item.style)
    if isinstance(item, ItemList):
        return ItemList(tuple(_without_places(part) for part in item.items))
    return ItemMap(tuple((Scalar(key.text), _without_places(value)) for key, value in item.pairs))
