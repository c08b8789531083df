"""Patterns for texts: I-Regexp (RFC 9485) for paths and `like_regex`, and SQL's `like`.

Matching is bounded in time: a pattern that would run for ever ends in `PatternTooSlowError`.
"""

from __future__ import annotations

import re
from functools import lru_cache
from typing import Any

from ..bounds import LONGEST_PATTERN

SECONDS = 0.25  # the longest that one match may take
_CATEGORY = (  # RFC 9485, section 4
    r"\{(?:L[lmotu]?|M[cen]?|N[dlo]?|P[cdefios]?|Z[lps]?|S[ckmo]?|C[cfno]?)\}"
)
_ESCAPE = r"\\[()*+\-.?\[\\\]^nrt{|}]"
_CLASS_ESCAPE = r"\\[pP]" + _CATEGORY
_CLASS_CHARACTER = rf"(?:[^\-\[\\\]]|{_ESCAPE})"
_CLASS_ITEM = rf"(?:{_CLASS_CHARACTER}(?:-{_CLASS_CHARACTER})?|{_CLASS_ESCAPE})"
_TOKEN = re.compile(
    rf"(?P<class>\[\^?(?:-|{_CLASS_ITEM}){_CLASS_ITEM}*-?\]|{_CLASS_ESCAPE})"
    rf"|(?P<dot>\.)|(?P<open>\()|(?P<close>\))|(?P<or>\|)"
    r"|(?P<quantifier>[*+?]|\{[0-9]+(?:,[0-9]*)?\})"
    rf"|(?P<plain>{_ESCAPE}|[^()*+.?\[\\\]{{|}}])",
    re.DOTALL,
)


class PatternTooSlowError(Exception):
    """A pattern took longer than a match may take."""


class Pattern:
    """A compiled pattern: `full` matches the whole text, `part` any part of it."""

    def __init__(self, source: str, flags: str = "") -> None:
        import regex

        self._compiled: Any = regex.compile(f"(?{flags}:{source})" if flags else source)

    def full(self, text: str) -> bool:
        return self._run(self._compiled.fullmatch, text)

    def part(self, text: str) -> bool:
        return self._run(self._compiled.search, text)

    def _run(self, match: Any, text: str) -> bool:
        try:
            return match(text, timeout=SECONDS) is not None
        except TimeoutError:
            raise PatternTooSlowError("the pattern takes too long on this text") from None


@lru_cache(maxsize=256)
def interoperable(source: str) -> Pattern | None:
    """Compile an I-Regexp; None where the text is none.

    ``^`` at its start and ``$`` at its end tie it to those of the text, as the test suite of
    RFC 9535 has them; elsewhere they stand for themselves.

    >>> interoperable("a.c").full("abc"), interoperable("a(?=b)")
    (True, None)
    """
    translated = _translate(source)
    if translated is None:
        return None
    import regex

    try:
        return Pattern(translated)
    except (regex.error, OverflowError, RecursionError):
        return None


def _translate(source: str) -> str | None:
    """The same pattern for the regex package, or None where it leaves RFC 9485."""
    if len(source) > LONGEST_PATTERN:
        return None
    start, end = source.startswith("^"), _ends_in_anchor(source)
    stop = len(source) - end
    out: list[str] = [r"\A"] if start else []
    depth, place, repeatable = 0, int(start), False
    while place < stop:
        token = _TOKEN.match(source, place, stop)
        if token is None:
            return None
        kind, text = str(token.lastgroup), token[0]
        if kind == "quantifier" and not repeatable:
            return None
        depth += (kind == "open") - (kind == "close")
        if depth < 0:
            return None
        repeatable = kind in ("class", "dot", "close", "plain")
        out.append(_translated(kind, text))
        place = token.end()
    out += [r"\Z"] if end else []
    return "".join(out) if depth == 0 else None


def _ends_in_anchor(source: str) -> bool:
    before = source[:-1]
    return source.endswith("$") and (len(before) - len(before.rstrip("\\"))) % 2 == 0


def _translated(kind: str, text: str) -> str:
    if kind == "dot":
        return r"[^\n\r]"
    if kind == "open":
        return "(?:"
    if kind == "class" and text.startswith("["):
        # what this notation leaves alone but the package would take for set operations or classes
        inner = re.sub(r"(?<!\\)([&|~#\s])", r"\\\1", text[1:-1])
        return f"[{inner}]"
    if kind == "plain" and text in ("^", "$"):
        return "\\" + text
    return text


@lru_cache(maxsize=256)
def like(pattern: str, escape: str | None) -> Pattern:
    """Compile a `like` pattern of SQL: `%` stands for any text, `_` for any character.

    Raises ValueError where the escape character stands before anything else.

    >>> like("a%", None).full("abc"), like("a!%", "!").full("abc")
    (True, False)
    """
    out: list[str] = []
    characters = iter(pattern)
    for character in characters:
        if character == escape:
            character = next(characters, "")
            if character not in ("%", "_", escape):
                raise ValueError(f"the escape {escape} stands before `{character}`")
            out.append(re.escape(character))
        else:
            out.append({"%": ".*", "_": "."}.get(character) or re.escape(character))
    return Pattern("".join(out), "s")
