"""What a layout takes from files. Whoever opens them gives it as data: this room opens none."""

from __future__ import annotations

from typing import Protocol

from ..model.model import FormReference, PublishedForm
from ..model.shelved import ShelfCategory
from ..model.text import Item


class Files(Protocol):
    """The files that one layout names: beside or below it, or on the shelf.

    Each raises LayoutError, and ShelfError where a name is not on the shelf.
    """

    def place(self, category: ShelfCategory, name: str) -> str:
        """Where a layout or conditions stand: the same however they were named."""
        ...

    def opened(self, place: str) -> tuple[Item, Files]:
        """What stands at a place, and the files that it names itself."""
        ...

    def codes(self, name: str) -> dict[str, str]:
        """A code list: what each code is called."""
        ...

    def values(self, name: str, heading: str | None) -> tuple[str, ...]:
        """The values of a list, each once; of a table those under a heading."""
        ...

    def form(self, reference: FormReference) -> PublishedForm:
        """A published form, read."""
        ...

    def lookup(self, name: str) -> str:
        """The path of a side list, which is there."""
        ...
