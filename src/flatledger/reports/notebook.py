"""Results in a notebook: small pieces of pages."""

from __future__ import annotations

import io
from collections.abc import Iterable, Sequence
from decimal import Decimal
from typing import Any

from ..run.balance import Balance
from ..values.functions import text_of
from .balance_text import print_balance
from .page import render
from .screen import Screen


def balance_fragment(balance: Balance) -> str:
    """What a command would say at the end of a run."""
    stream = io.StringIO()
    print_balance(balance, Screen(stream))
    return render("text_fragment.html", text=stream.getvalue())


def table_fragment(
    headings: Sequence[str],
    rows: Iterable[Sequence[Any]],
    title: str = "",
    notes: Sequence[str] = (),
) -> str:
    """A few rows under their headings."""
    cells = [[_cell(value) for value in row] for row in rows]
    return render(
        "table_fragment.html", title=title, headings=headings, rows=cells, notes=list(notes)
    )


def _cell(value: Any) -> dict[str, Any]:
    number = isinstance(value, int | Decimal) and not isinstance(value, bool)
    plain = "" if value is None else value if isinstance(value, str) else text_of(value)
    return {"text": plain, "number": number}
