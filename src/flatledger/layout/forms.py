"""Reading the small forms that a layout is made of, gathering every fault on the way.

The key that a text stands under decides its type: a switch, a number, a character, a choice.
"""

from __future__ import annotations

import re
from collections.abc import Collection
from decimal import Decimal

from ..errors import ExpressionError, Problem
from ..language import parse_expression
from .column import Expression
from .names import CHARACTERS, proposal
from .text import Item, Mapping, Scalar, Sequence

_SWITCHES = {"yes": True, "no": False, "on": True, "off": False, "true": True, "false": False}


class Forms:
    """Reads forms; what is wrong is added to ``problems``, and a harmless value is returned."""

    def __init__(self) -> None:
        self.problems: list[Problem] = []

    def fault(self, item: Item, message: str) -> None:
        self.problems.append(Problem(message, item.line, item.column, item.file))

    def mapping(self, item: Item, where: str, known: Collection[str]) -> dict[str, Item]:
        """The values by key; unknown keys and keys that come twice are faults."""
        if not isinstance(item, Mapping):
            self.fault(item, f"{where} takes keys and values: {', '.join(known)}")
            return {}
        found: dict[str, Item] = {}
        for key, value in item.pairs:
            if key.text not in known:
                self.fault(key, f"no key `{key.text}` in {where}" + self._unknown(key, known))
            elif key.text in found:
                self.fault(key, f"`{key.text}` comes twice in {where}; keep one")
            else:
                found[key.text] = value
        return found

    def _unknown(self, key: Scalar, known: Collection[str]) -> str:
        if key.text.endswith(")"):
            return (
                "; in braces a comma ends the value: put an expression that holds one on a "
                "line of its own, after `value: >-`"
            )
        return proposal(key.text, known) or f"; there are {', '.join(known)}"

    def items(self, item: Item) -> tuple[Item, ...]:
        """The items of a list; one that stands alone is a list of one."""
        if isinstance(item, Sequence):
            return item.items
        return () if isinstance(item, Scalar) and not item.text else (item,)

    def text(self, item: Item, where: str) -> str:
        if isinstance(item, Scalar) and (item.text or item.style):
            return item.text
        if isinstance(item, Scalar):
            self.fault(
                item,
                f"{where} has no value; where one was typed that begins with #, put it in quotes, "
                "since YAML takes # for a comment",
            )
        else:
            self.fault(item, f"{where} takes a text")
        return ""

    def switch(self, item: Item, where: str) -> bool:
        text = item.text.lower() if isinstance(item, Scalar) else ""
        if text not in _SWITCHES:
            self.fault(item, f"{where} is a switch: yes or no")
        return _SWITCHES.get(text, False)

    def whole_number(self, item: Item, where: str, most: int) -> int:
        text = item.text if isinstance(item, Scalar) else ""
        if not re.fullmatch(r"[0-9]{1,9}", text) or int(text) > most:
            self.fault(item, f"{where} takes a whole number from 0 to {most}")
            return 0
        return int(text)

    def amount(self, item: Item | None, where: str, default: int, most: int) -> Decimal:
        """A plain decimal above 0."""
        if item is None:
            return Decimal(default)
        text = item.text if isinstance(item, Scalar) else ""
        if not re.fullmatch(r"[0-9]{1,3}(\.[0-9]{1,6})?", text) or not 0 < Decimal(text) <= most:
            self.fault(item, f"{where} takes a number above 0, up to {most}")
            return Decimal(default)
        return Decimal(text)

    def choice(self, item: Item, where: str, options: Collection[str]) -> str:
        text = item.text if isinstance(item, Scalar) else ""
        if text not in options:
            hint = proposal(text, options) or f"; it takes {', '.join(options)}"
            self.fault(item, f"{where} does not take `{text}`{hint}")
            return next(iter(options))
        return text

    def named_text(self, item: Item, where: str) -> str:
        """A text of characters, or the name of one."""
        if isinstance(item, Scalar) and item.text in CHARACTERS:
            return CHARACTERS[item.text]
        return self.text(item, where)

    def character(self, item: Item, where: str) -> str:
        """One character, or its name."""
        text = self.named_text(item, where)
        if len(text) != 1 and text:
            hint = proposal(text, CHARACTERS) or f"; the names are {', '.join(CHARACTERS)}"
            self.fault(item, f"{where} takes one character or its name, not `{text}`{hint}")
        return text[:1] or ","

    def expression(self, item: Item, where: str) -> Expression | None:
        if not isinstance(item, Scalar):
            self.fault(item, f"{where} takes an expression")
            return None
        if not item.text.strip():
            self.text(Scalar("", item.line, item.column, file=item.file), where)
            return None
        try:
            return Expression(item, parse_expression(item.text))
        except ExpressionError as error:
            place = item.place(error.position)
            self.problems.append(Problem(f"{where}: {error}", *place))
            return None
