"""Why a text is no sound XML, in words of our own: by the codes of the parser's errors."""

from __future__ import annotations

import re

_NO_VALUE = "an attribute has no value in quotes"
_ENTITY = "an entity (&…;) that is not defined"
_ENDS = "it ends too early"
_WHY = {
    4: "it does not begin with an element",
    5: "something follows the end of its outermost element",
    9: "a character that XML does not allow",
    26: _ENTITY,
    27: _ENTITY,
    39: _NO_VALUE,
    41: _NO_VALUE,
    42: "an attribute comes twice in one element",
    45: f"{_ENDS}, within a comment",
    63: f"{_ENDS}, within CDATA",
    68: "a name was expected; as a text & is written &amp; and < is written &lt;",
    73: "an element's tag is not closed by >",
    76: "an element is closed by the name of another one",
    77: f"{_ENDS}: an element is not closed",
    81: "bytes that are no text in its encoding",
    201: "a prefix is declared by no xmlns",
}


_NAMES = {  # where the parser's message has them
    26: re.compile(r"'(.+?)'"),
    27: re.compile(r"'(.+?)'"),
    42: re.compile(r"Attribute (\S+)"),
    76: re.compile(r"mismatch: (\S+) .* and ([^\s,]+)"),
    77: re.compile(r"in tag (\S+)"),
    201: re.compile(r"prefix (\S+)"),
}


def why_unsound(code: int, said: str) -> str:
    """What an error means, by its code (those of xmlError in libxml2); of a rare one what the
    parser ``said``.

    >>> why_unsound(42, "Attribute a redefined")
    'an attribute comes twice in one element (a)'
    """
    names = _NAMES[code].search(said) if code in _NAMES else None
    why = _WHY.get(code, said)
    return f"{why} ({', '.join(names.groups())})" if names else why
