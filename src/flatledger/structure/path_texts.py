"""Paths as texts, as a layout takes them."""

from __future__ import annotations

import re

from ..values.visible import steerless_json

# letters, digits, the low line and all beyond ASCII (RFC 9535, 2.5.1.1), said by what it is not: to
# compile a class of a million characters takes longer than a small export
_SHORTHAND = re.compile(r"[^\x00-@\[-^`{-\x7f][^\x00-/:-@\[-^`{-\x7f]*")


def path_of(parent: str, name: str) -> str:
    """A step further, as a layout takes it: names that are no shorthand are bracketed.

    >>> path_of("lines", "qty"), path_of("lines", "unit-price"), path_of("", "dc:title")
    ('lines.qty', "lines['unit-price']", "['dc:title']")
    """
    if _SHORTHAND.fullmatch(name) and name.isprintable() and not re.search(r"\s", name):
        reserved = not parent and name.lower() in ("not", "case", "null", "true", "false")
        start = parent or ("$" if reserved else "")
        return f"{start}.{name}" if start else name
    escaped = name.replace("\\", "\\\\").replace("'", "\\'")
    escaped = re.sub(r"[\x00-\x1f]", lambda found: f"\\u{ord(found[0]):04x}", escaped)
    return f"{parent}['{steerless_json(escaped)}']"
