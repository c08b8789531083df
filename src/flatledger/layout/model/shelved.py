"""What a shelf holds. It is apart from what needs more, since the command line's help needs it."""

from __future__ import annotations

from enum import StrEnum


class ShelfCategory(StrEnum):
    """What is saved on a shelf."""

    LAYOUT = "layout"
    CONDITIONS = "conditions"
    LIST = "list"
