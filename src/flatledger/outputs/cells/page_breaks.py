"""Where a page ends in print: before each group of a key that begins one, but the first."""

from __future__ import annotations

from ...layout.model.model import LayoutParts
from ...run.protocols import GroupHeading, Row, TotalRow


class PageBreaks:
    """Follows rows, and tells before which of them a page begins.

    A group begins with its heading, or with a total that stands before it; else the row after the
    total of the one before begins it. What names the groups around it goes with it.
    """

    def __init__(self, layout: LayoutParts) -> None:
        self._deepest = max(
            (depth for depth, key in enumerate(layout.group, 1) if key.page_break), default=0
        )
        self._opens = GroupHeading if layout.subtotals.where != "before" else TotalRow
        self._filled = self._ended = False  # since the page began; a group, and nothing after it

    @property
    def active(self) -> bool:
        """Whether some groups begin a page."""
        return self._deepest > 0

    def before(self, row: Row) -> bool:
        """Whether a page begins before a row."""
        if not self.active:
            return False
        if isinstance(row, TotalRow) and not isinstance(row, self._opens):
            self._ended = self._ended or 0 < row.depth <= self._deepest
            return False
        opens = isinstance(row, TotalRow) and 0 < row.depth <= self._deepest
        begins = self._filled and (opens or self._ended)
        self._ended = False
        self._filled = not isinstance(row, TotalRow) or (self._filled and not begins)
        return begins
