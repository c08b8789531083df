"""What a preview says: of each column, and of the table as a whole."""

from __future__ import annotations

import msgspec

from .balance import Balance
from .protocols import Row


class ColumnPreview(msgspec.Struct):
    """A column: where it comes from, the level it belongs to, and what its cells hold.

    ``filled`` counts the cells that are not blank; ``none`` is what stands where there is nothing.
    Total rows are not looked at.
    """

    heading: str
    source: str
    home: str
    kinds: list[str]
    filled: int
    examples: list[str]
    none: str


class PreviewResult(msgspec.Struct):
    """What an export will give: nothing has been written."""

    columns: list[ColumnPreview]
    plan: list[str]
    first: list[Row]
    rows: int
    balance: Balance
    sample: bool
    headings: tuple[str, ...]
    layout: str
