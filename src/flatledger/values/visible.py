"""Text from data, a file's name or a layout, as it can be shown: it steers nothing."""

from __future__ import annotations

import re
import shlex
from typing import Any

# Control characters (Unicode's Cc), line separators, what turns the direction of text round
# (UAX 9), the byte order mark, halves of surrogate pairs, tag characters.
_ELSE = "\x7f-\x9f\u2028-\u202e\u2066-\u2069\ufeff\ud800-\udfff\U000e0000-\U000e007f"
STEERING = re.compile(f"[\x00-\x1f{_ELSE}]")
_BETWEEN_LINES = re.compile(f"[\x00-\x08\x0b-\x1f{_ELSE}]")
_SHORT = {"\n": "\\n", "\r": "\\r", "\t": "\\t"}


def visible(text: str) -> str:
    """A text on one line, with what would steer a terminal or a reader's eye as an escape.

    >>> print(visible("two\\nlines, \\x1b[31mred\\x07"))
    two\\nlines, \\x1b[31mred\\x07
    """
    return STEERING.sub(_escape, text)


def visible_lines(text: str) -> str:
    """The same for a text of several lines, which stay, and tabs with them.

    >>> visible_lines("a\\tb\\n\\x9bc")
    'a\\tb\\n\\\\x9bc'
    """
    return _BETWEEN_LINES.sub(_escape, text)


def steerless_json(text: str) -> str:
    """The same JSON with such characters as JSON's own escapes.

    >>> print(steerless_json('"\\u202e"'))
    "\\u202e"
    """
    return _BETWEEN_LINES.sub(_as_json, text)


def encodable(value: Any) -> Any:
    """Plain data whose texts can be encoded: of a name that is not UTF-8 the other bytes are shown.

    >>> encodable(["caf\\udce9.csv", 1])
    ['caf\\\\xe9.csv', 1]
    """
    if isinstance(value, str):
        try:
            return value.encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")
        except UnicodeEncodeError:  # another half of a surrogate pair
            return value.encode("utf-8", "backslashreplace").decode()
    if isinstance(value, dict):
        return {encodable(key): encodable(one) for key, one in value.items()}
    return [encodable(one) for one in value] if isinstance(value, list | tuple) else value


def _escape(found: re.Match[str]) -> str:
    letter = found[0]
    number = ord(letter)
    if letter in _SHORT:
        return _SHORT[letter]
    if 0xDC80 <= number <= 0xDCFF:  # a byte of a name that is not UTF-8
        return f"\\x{number - 0xDC00:02x}"
    width = 2 if number < 0x100 else 4 if number < 0x10000 else 8
    return f"\\{'_xuU'[width.bit_length() - 1]}{number:0{width}x}"


def _as_json(found: re.Match[str]) -> str:
    units = found[0].encode("utf-16-be", "surrogatepass")
    return "".join(f"\\u{units[n] << 8 | units[n + 1]:04x}" for n in range(0, len(units), 2))


def shell_quoted(text: str) -> str:
    """A text for a shell, which runs nothing that is in it; within one pair of quotes where that
    can be.

    >>> print(shell_quoted("['Counted on']: date"), shell_quoted("raised: date"))
    "['Counted on']: date" 'raised: date'
    """
    readable = "'" in text and not {*text} & {*'"$`\\!'}
    return f'"{text}"' if readable else shlex.quote(text)
