"""What a preview says: of each column, and of the table as a whole."""

from __future__ import annotations

import msgspec

from .balance import Balance
from .protocols import Row


class ColumnPreview(msgspec.Struct):
    """A column: where it comes from, the level it belongs to, and what its cells hold.

    ``filled`` counts cells that are not blank, total rows included; ``none`` is what stands where
    there is nothing.
    """

    heading: str
    source: str
    home: str
    kinds: list[str]
    filled: int
    examples: list[str]
    none: str


class Preview(msgspec.Struct):
    """What an export will give: nothing has been written."""

    columns: list[ColumnPreview]
    plan: list[str]
    first: list[Row]
    rows: int
    balance: Balance
    sample: bool
