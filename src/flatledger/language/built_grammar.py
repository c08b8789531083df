"""A built grammar as plain data, which JSON can hold, and back: to build it takes half a second."""

from __future__ import annotations

from typing import Any

import lark
from lark.grammar import Rule
from lark.lexer import TerminalDef

_PAIRS = "pairs"  # stands for a mapping whose keys are no texts


def to_plain(parser: lark.Lark) -> Any:
    """All that a parser is made of."""
    data, memo = parser.memo_serialize([TerminalDef, Rule])
    return _plain({"data": data, "memo": memo})


def from_plain(data: Any) -> lark.Lark | None:
    """The parser that was made plain; None where the data are none."""
    try:
        return lark.Lark.load(_mapped(data))
    except Exception:  # whatever another version has made of it
        return None


def _plain(value: Any) -> Any:
    if isinstance(value, dict):
        if all(isinstance(key, str) for key in value):
            return {key: _plain(one) for key, one in value.items()}
        return {_PAIRS: [[key, _plain(one)] for key, one in value.items()]}
    return [_plain(one) for one in value] if isinstance(value, list | tuple) else value


def _mapped(value: Any) -> Any:
    if isinstance(value, list):
        return [_mapped(one) for one in value]
    if not isinstance(value, dict):
        return value
    if value.keys() == {_PAIRS}:
        return {key: _mapped(one) for key, one in value[_PAIRS]}
    return {key: _mapped(one) for key, one in value.items()}
