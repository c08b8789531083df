"""Results that a notebook shows as pages, which it asks for by ``_repr_html_``."""

from __future__ import annotations

from collections import Counter
from typing import Any, Self

from ..run.balance import Balance

VALUES_SHOWN = 50


class ShownBalance(Balance):
    """A balance; a notebook shows what a command would say of it.

    >>> from flatledger.run.balance import Balance
    >>> ShownBalance.of(Balance("lines", "lines.jsonl", "record", read=2, remaining=2, rows=2))
    <Balance of lines: 2 rows, balanced, 0 faults>
    """

    @classmethod
    def of(cls, balance: Balance) -> Self:
        """The same balance."""
        return cls(**{name: getattr(balance, name) for name in balance.__struct_fields__})

    def __repr__(self) -> str:
        how = "balanced" if self.balanced else "does not balance"
        return f"<Balance of {self.layout}: {self.rows:,} rows, {how}, {self.fault_count:,} faults>"

    def _repr_html_(self) -> str:
        from ..reports.notebook import balance_fragment

        return balance_fragment(self)


class DistinctValues(Counter[Any]):
    """Values with how often each comes; a notebook shows the commonest."""

    def __repr__(self) -> str:
        return f"{dict(self.most_common())}"

    def _repr_html_(self) -> str:
        from ..reports.notebook import table_fragment

        more = len(self) - VALUES_SHOWN
        notes = [f"and {more:,} more"] if more > 0 else []
        return table_fragment(("value", "count"), self.most_common(VALUES_SHOWN), notes=notes)
