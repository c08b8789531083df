"""What a preview says: of each column, and of the table as a whole."""

from __future__ import annotations

import msgspec

from .balance import Balance
from .describing import TableColumn
from .protocols import Row


class ColumnPreview(msgspec.Struct):
    """A column, and what its cells hold; total rows are not looked at.

    ``filled`` counts the cells that are not blank; ``kinds`` are those of the values that were met.
    """

    column: TableColumn
    kinds: list[str]
    filled: int
    examples: list[str]


class PreviewResult(msgspec.Struct):
    """What an export will give: nothing has been written. ``decimal_char`` is what stands between
    the digits of a number in the file."""

    columns: list[ColumnPreview]
    plan: list[str]
    first: list[Row]
    rows: int
    balance: Balance
    sample: bool
    headings: tuple[str, ...]
    layout: str
    decimal_char: str = "."
