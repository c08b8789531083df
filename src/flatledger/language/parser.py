"""From text to nodes: expressions, sort keys and standard paths."""

from __future__ import annotations

import re
import sys
from functools import cache
from typing import Any, Protocol

from ..bounds import DEEPEST_BRACKETS, DEEPEST_TREE, LONGEST_EXPRESSION, LONGEST_PATH
from ..errors import ExpressionError, SourceError
from .nodes import TOO_MANY_STEPS, FieldPath, Name, Node, Segment, SortKey
from .notations import Notation, hint
from .other_words import habit_in
from .selecting import StandardPath

RESERVED = frozenset({"not", "case", "null", "true", "false", "current_date"})
_BRACKETS = re.compile(r"'[^']*'|\"[^\"]*\"|[(\[)\]]")  # and texts, in which they are none
_PLAIN_PATH = re.compile(r"[^\W\d]\w*(?:\.[^\W\d]\w*)*", re.ASCII)


def parse_expression(text: str, notation: Notation | None = None) -> Node:
    """Turn the text of an SQL value expression or condition over paths into nodes; paths may be in
    a ``notation``, too.

    Raises ExpressionError, with the position, where the text is not an expression.

    >>> parse_expression("lines.qty * 2").operator
    '*'
    """
    return plain_path(text) or _parse(text, "expression", notation)


def parse_sort_key(text: str, notation: Notation | None = None) -> SortKey:
    """Turn ``expression [asc | desc] [nulls first | nulls last]`` into a sort key.

    >>> parse_sort_key("raised desc").descending
    True
    """
    key: SortKey = _parse(text, "sort_key", notation)
    return key


def parse_path(text: str) -> StandardPath:
    """Parse a JSONPath query exactly as RFC 9535 defines it, without a layout's relaxations.

    Raises ExpressionError, with the position, where the standard calls the text invalid.

    >>> parse_path("$..qty").find({"lines": [{"qty": 2}, {"qty": 3}]})
    [2, 3]
    """
    return StandardPath(_parse(text, "standard_path"))


def plain_path(text: str) -> FieldPath | None:
    """A path of names and dots alone, without waking the grammar; None for any other text.

    >>> plain_path("lines.part.code").names()
    ('lines', 'part', 'code')
    """
    stripped = text.strip()
    if not _PLAIN_PATH.fullmatch(stripped) or stripped.split(".")[0].lower() in RESERVED:
        return None
    segments = []
    position = text.index(stripped)
    if stripped.count(".") >= LONGEST_PATH:
        raise ExpressionError(TOO_MANY_STEPS, text[:80], 0)
    for name in stripped.split("."):
        segments.append(Segment(position, (Name(position, name),)))
        position += len(name) + 1
    return FieldPath(segments[0].position, tuple(segments))


class Memory(Protocol):
    """What keeps what texts were parsed to."""

    def find(self, start: str, text: str) -> Any:
        """What a text was parsed to; None where it was not."""
        ...

    def keep(self, start: str, text: str, node: Any) -> None:
        """Keep what a text was parsed to."""
        ...


class Grammars(Protocol):
    """What keeps grammars once they are built, as plain data."""

    def find(self, made_by: str) -> Any:
        """A built grammar; None where there is none."""
        ...

    def keep(self, made_by: str, built: Any) -> None:
        """Keep a built grammar."""
        ...


_memories: list[Memory] = []  # the one that is used, if there is one
_grammars: list[Grammars] = []  # the same


def remember_in(memory: Memory | None) -> None:
    """Look texts up in a memory before they are parsed, from now on; None: in none."""
    _memories[:] = [] if memory is None else [memory]


def keep_grammars_in(grammars: Grammars) -> None:
    """Have grammars kept from now on, so that not each process builds them."""
    _grammars[:] = [grammars]


def _parse(text: str, start: str, notation: Notation | None = None) -> Any:
    parsed_as = f"{notation.format} {start}" if notation else start
    for memory in _memories:
        known = memory.find(parsed_as, text)
        if known is not None:
            return known
    node = _parsed(text, start, notation)
    for memory in _memories:
        memory.keep(parsed_as, text, node)
    return node


def _parsed(text: str, start: str, notation: Notation | None) -> Any:
    import lark

    from .actions import Actions

    actions = notation.actions() if notation else Actions
    _check_bounds(text)
    if start == "standard_path" and text != text.strip(" \t\r\n"):
        raise ExpressionError("a standard path has no blanks around it", text, 0)
    parser = _parser(*(notation.paths, notation.rules, notation.format) if notation else ())
    try:
        tree = parser.parse(text, start=start)
        _check_depth(tree, text)
        return actions(text).transform(tree)
    except lark.exceptions.UnexpectedInput as error:
        position = error.pos_in_stream if error.pos_in_stream is not None else len(text)
        if isinstance(error, lark.exceptions.UnexpectedEOF) or position < 0:
            position = len(text)
        token = getattr(error, "token", None)
        if token is not None and token.type == "$END":
            position = len(text)
        why = _explain(text, position)
        if notation is None and (told := hint(text)):
            why += f"; {told}"
        raise ExpressionError(why, text, position) from None
    except lark.exceptions.VisitError as error:
        raise error.orig_exc from None


def _check_depth(tree: Any, text: str) -> None:
    """Refuse a tree that is too deep for what walks it: a long chain of one operator."""
    depth, layer = 0, [tree]
    while layer:
        depth += 1
        layer = [c for node in layer for c in node.children if hasattr(c, "children")]
        if depth > DEEPEST_TREE:
            raise ExpressionError("the expression is nested too deeply", text, 0)


def _check_bounds(text: str) -> None:
    """Refuse what no person writes, before any work is done on it."""
    if len(text) > LONGEST_EXPRESSION:
        raise ExpressionError(
            f"the expression has {len(text):,} characters; {LONGEST_EXPRESSION:,} are the most",
            text[:80],
            0,
        )
    try:
        text.encode()
    except UnicodeEncodeError as error:
        half = text[error.start]
        raise ExpressionError(f"`{half}` is not expected here", text, error.start) from None
    depth = 0
    for found in _BRACKETS.finditer(text):
        depth += {"(": 1, "[": 1, ")": -1, "]": -1}.get(found[0], 0)
        if depth > DEEPEST_BRACKETS:
            raise ExpressionError("the brackets are nested too deeply", text, found.start())


@cache
def _parser(paths: str = "", rules: str = "", format: str = "") -> Any:
    """The parser, with further ways to write a path and the rules that these need, of a format.
    Raises SourceError where these are no grammar."""
    import lark

    from .built_grammar import from_plain, to_plain
    from .grammar import grammar_with

    grammar = grammar_with(paths, rules)
    made_by = f"lark {lark.__version__}, Python {sys.version}\n{grammar}"
    for kept in _grammars:
        found = from_plain(kept.find(made_by))
        if found is not None:
            return found
    try:
        built = lark.Lark(
            grammar,
            parser="lalr",
            lexer="contextual",
            start=["expression", "sort_key", "standard_path"],
            maybe_placeholders=True,
            propagate_positions=True,
        )
    except lark.exceptions.LarkError as error:
        why = f"the notation of the format `{format}` can't be used: {error}"
        raise SourceError(why) from error
    for kept in _grammars:
        kept.keep(made_by, to_plain(built))
    return built


_OUTSIDE = {
    "&&": "outside brackets it is `and`",
    "|": "outside brackets it is `or`; `||` joins texts",
    "!": "outside brackets it is `not`",
    "\\": "a quote inside a text is doubled: ''",
    "'": "a quote inside a text is doubled, and a text ends with a quote: 'it''s'",
    '"': 'a heading ends with a quote: "Heading"',
    "{": "a text in braces belongs under a column, as {text: ...}",
}
_INSIDE = {
    "and": "inside brackets it is `&&`",
    "or": "inside brackets it is `||`",
    "not": "inside brackets it is `!`",
    "'": "inside brackets a quote within a text is written \\'",
    "is": "inside brackets test with `@.name` or `== null`",
    "in": "inside brackets write each value: @.a == 1 || @.a == 2",
}


def _not_closed(text: str) -> int | None:
    """Where the innermost bracket is that nothing closes."""
    opened: list[int] = []
    for found in _BRACKETS.finditer(text):
        if found[0] in "([":
            opened.append(found.start())
        elif found[0] in ")]" and opened:
            opened.pop()
    return opened[-1] if opened else None


def _explain(text: str, position: int) -> str:
    """What is wrong at a position, with the hint for a mix-up of the two languages."""
    rest = text[position:].lstrip()
    if not rest:
        if not text.strip():
            return "the expression is empty"
        opened = _not_closed(text)
        if opened is not None:
            return f"the bracket at {opened + 1} is not closed"
        return "the expression ends too early"
    inside = text.count("[", 0, position) > text.count("]", 0, position)
    hints = _INSIDE if inside else _OUTSIDE
    word = re.match(r"[A-Za-z_]\w*|[=!<>&|]+|.", rest, re.DOTALL)
    found = word[0] if word else rest[0]
    for start in sorted(hints, key=len, reverse=True):
        if found.lower() == start or (not start.isalpha() and found.startswith(start)):
            return f"`{found}` is not expected here; {hints[start]}"
    hint = "" if inside else habit_in(text, position)
    return f"`{found}` is not expected here" + (f"; {hint}" if hint else "")
