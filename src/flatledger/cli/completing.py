"""What a shell can complete: the names on the shelf, and the formats that are written."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..errors import FlatLedgerError
from ..layout.model.shelved import ShelfCategory

if TYPE_CHECKING:
    import click
    from click.shell_completion import CompletionItem


def layouts(context: click.Context, parameter: click.Parameter, begun: str) -> list[CompletionItem]:
    """The layouts on the shelf where the first place is typed, and files anywhere."""
    typed = context.params.get(parameter.name or "") or ()
    first = not (isinstance(typed, tuple) and typed)
    return [*(_on_shelf(begun, ShelfCategory.LAYOUT) if first else []), _files(begun)]


def things(context: click.Context, parameter: click.Parameter, begun: str) -> list[CompletionItem]:
    """All that is on the shelf, or what is of the category that was typed before."""
    return _on_shelf(begun, context.params.get("category"))


def formats(context: click.Context, parameter: click.Parameter, begun: str) -> list[CompletionItem]:
    """The formats that tables are written in."""
    from click.shell_completion import CompletionItem

    from ..outputs.formats import FORMATS

    return [CompletionItem(one.name) for one in FORMATS if one.name.startswith(begun)]


def _on_shelf(begun: str, category: str | None) -> list[CompletionItem]:
    from click.shell_completion import CompletionItem

    from ..api.shelf import Shelf

    try:
        entries = Shelf().entries()
    except FlatLedgerError:  # nobody is told of it while a line is being typed
        return []
    return [
        CompletionItem(one.name, help=one.about)
        for one in entries
        if not one.hidden and one.name.startswith(begun) and category in (None, one.category)
    ]


def _files(begun: str) -> CompletionItem:
    from click.shell_completion import CompletionItem

    return CompletionItem(begun, type="file")
