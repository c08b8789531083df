"""The text of a layout: YAML 1.2 with positions, every scalar as it was typed.

Plain Python data goes the same way, without positions.
"""

from __future__ import annotations

import io
import re
from collections.abc import Mapping, Sequence
from typing import Any, Protocol

import msgspec

from ...bounds import DEEPEST_LAYOUT, MOST_BY_ALIASES
from ...errors import LayoutError, Problem

TextPlace = tuple[int, int, str]  # line and column from 1, and the file; 0 and "" where unknown


class Scalar(msgspec.Struct, frozen=True):
    """A text as it was typed; ``style`` is YAML's: plain (``""``), ``'``, ``"``, ``|`` or ``>``."""

    text: str
    line: int = 0
    column: int = 0
    style: str = ""
    file: str = ""

    def place(self, position: int) -> TextPlace:
        """The place of a position within the text; the line alone in a block of lines."""
        if not self.line:
            return 0, 0, self.file
        if self.style in ("|", ">"):
            return self.line + 1 + self.text.count("\n", 0, position), self.column, self.file
        return self.line, self.column + position + bool(self.style), self.file


class ItemList(msgspec.Struct, frozen=True):
    """A list."""

    items: tuple[Item, ...]
    line: int = 0
    column: int = 0
    file: str = ""


class ItemMap(msgspec.Struct, frozen=True):
    """Keys with their values, in the order of the text; a key may still come twice."""

    pairs: tuple[tuple[Scalar, Item], ...]
    line: int = 0
    column: int = 0
    file: str = ""


Item = Scalar | ItemList | ItemMap

_PLAIN = re.compile(r"[A-Za-z][A-Za-z0-9 ]*|[A-Za-z_][A-Za-z0-9_]*(?:\.[A-Za-z_][A-Za-z0-9_]*)*")


class ReadBefore(Protocol):
    """The items of texts that were read before."""

    def find(self, text: str, name: str) -> Item | None:
        """Those of a text, which is that of the file ``name`` now; None where there are none."""
        ...

    def keep(self, text: str, item: Item) -> None:
        """Keep those of a text."""
        ...


_before: ReadBefore | None = None


def remember_in(before: ReadBefore | None) -> None:
    """Look texts up before they are read, and keep what was read; None: no longer."""
    global _before
    _before = before


def read_yaml(text: str, name: str) -> Item:
    """Read one YAML document. Raises LayoutError with the place of a fault in its form.

    >>> read_yaml("row-per: no", "a layout").pairs[0][1].text
    'no'
    """
    found = _before.find(text, name) if _before is not None else None
    if found is not None:
        return found
    item = _read(text, name)
    if _before is not None:
        _before.keep(text, item)
    return item


def _read(text: str, name: str) -> Item:
    from ruamel.yaml import YAML
    from ruamel.yaml.error import MarkedYAMLError

    try:
        node = YAML(typ="safe", pure=True).compose(text)
    except MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        line, column = (mark.line + 1, mark.column + 1) if mark else (0, 0)
        problem = Problem(_mended(error, text, line), line, column)
        raise LayoutError(name, [problem]) from None
    except RecursionError:
        raise LayoutError(name, [Problem("the brackets are nested too deeply")]) from None
    except Exception as error:  # ruamel raises further kinds for control characters
        first = str(error).splitlines()[0]
        raise LayoutError(name, [Problem(f"this is not YAML: {first}")]) from None
    if node is None:
        raise LayoutError(name, [Problem("the layout is empty; it needs at least `columns`")])
    return _Items(name, len(text) + MOST_BY_ALIASES).of(node)


_LONGEST_TYPED = 80
_MENDING = (  # what the parser says, and what is to be done
    ("mapping values are not allowed", "a text that holds `: ` needs quotes, and what belongs to a "
     "key stands below it, further in"),
    ("found character '\\t'", "a tab stands here; YAML wants blanks"),
    ("but found '<block sequence start>'", "this `-` stands further out or in than the ones above"),
    ("but found '-'", "a list stands here among keys; put it below a key of its own"),
    ("but found '<block mapping start>'", "this line stands further in than the ones above it"),
    ("but found '<scalar>'", "this stands where a key or a `-` should; is a quote too many?"),
    ("but found '}'", "a bracket or brace is closed that was not opened, or the other way round"),
    ("but found ']'", "a bracket or brace is closed that was not opened, or the other way round"),
    ("but found ','", "a text with a comma in braces or brackets needs quotes"),
    ("expected ',' or", "what stands in braces or brackets is separated by commas, and closed"),
    ("could not find expected ':'", "this line is no `key: value`; a blank follows the colon"),
    ("found unexpected end of stream", "a quote or bracket is opened and never closed"),
    ("found undefined alias", "a `*` at the beginning needs quotes"),
    ("expected alphabetic or numeric", "a `*` or `&` at the beginning needs quotes"),
    ("cannot start any token", "this character needs quotes around the text"),
    ("found duplicate anchor", "a `&` at the beginning needs quotes"),
    ("expected '<document start>'", "this is no layout: one begins with a key, such as `columns:`"),
)  # fmt: skip


def _mended(error: Any, text: str, line: int) -> str:
    """What is to be mended, with the line as it was typed."""
    said = " ".join(filter(None, (error.context, error.problem)))
    what = next((mending for told, mending in _MENDING if told in said), f"this is no YAML: {said}")
    lines = text.splitlines()
    typed = lines[line - 1].strip() if 0 < line <= len(lines) else ""
    return f"{what}: {typed[:_LONGEST_TYPED]}" if typed else what


class _Items:
    """Takes the nodes of YAML as items; what aliases make of them is bounded."""

    def __init__(self, file: str, most: int) -> None:
        self._file, self._left = file, most
        self._around: set[int] = set()

    def of(self, node: Any, depth: int = 0) -> Item:
        line, column = node.start_mark.line + 1, node.start_mark.column + 1
        self._left -= 1
        problem = ""
        if id(node) in self._around:
            problem = "this refers to itself"
        elif self._left < 0:
            problem = "its aliases stand for too much"
        elif depth > DEEPEST_LAYOUT:
            problem = "this is nested too deeply"
        if problem:
            raise LayoutError(self._file, [Problem(problem, line, column)])
        if node.id == "scalar":
            return Scalar(node.value, line, column, node.style or "", self._file)
        self._around.add(id(node))
        found: Item
        if node.id == "sequence":
            items = [self.of(item, depth + 1) for item in node.value]
            found = ItemList(tuple(items), line, column, self._file)
        else:
            pairs = [
                (_key(key, self._file), self.of(below, depth + 1)) for key, below in node.value
            ]
            found = ItemMap(tuple(pairs), line, column, self._file)
        self._around.discard(id(node))
        return found


def _key(node: Any, file: str) -> Scalar:
    """A key; a list or mapping in its place can only be a slip, such as a path without quotes."""
    line, column = node.start_mark.line + 1, node.start_mark.column + 1
    if node.id == "scalar":
        return Scalar(node.value, line, column, file=file)
    typed = node.start_mark.buffer[node.start_mark.pointer : node.end_mark.pointer]
    says = "a key that begins with a bracket or brace needs quotes around it"
    raise LayoutError(file, [Problem(f"{says}: {scalar(typed)}:", line, column)])


def scalar(text: str) -> str:
    """A text for YAML: as it is where that is safe, else in double quotes.

    >>> print(scalar("lines.kg"), scalar("['Counted on']"))
    lines.kg "['Counted on']"
    """
    if _PLAIN.fullmatch(text):
        return text
    return '"' + "".join(_escaped(letter) for letter in text) + '"'


def _escaped(letter: str) -> str:
    """A letter within YAML's double quotes."""
    if letter in '"\\':
        return f"\\{letter}"
    return letter if letter.isprintable() else f"\\U{ord(letter):08x}"


def from_data(data: Any) -> Item:
    """Take plain Python data for the same thing as text.

    >>> from_data({"header": False}).pairs[0][1].text
    'no'
    """
    if isinstance(data, Scalar | ItemList | ItemMap):
        return data
    if isinstance(data, Mapping):
        return ItemMap(tuple((Scalar(str(key)), from_data(value)) for key, value in data.items()))
    if isinstance(data, Sequence) and not isinstance(data, str | bytes):
        return ItemList(tuple(from_data(item) for item in data))
    if isinstance(data, bool):
        return Scalar("yes" if data else "no")
    return Scalar("" if data is None else str(data))


def plain_data(item: Item) -> Any:
    """Items as plain data: mappings, lists and texts, without their places.

    >>> plain_data(from_data({"header": False, "sort": ["Part desc"]}))
    {'header': 'no', 'sort': ['Part desc']}
    """
    if isinstance(item, ItemMap):
        return {key.text: plain_data(value) for key, value in item.pairs}
    return [*map(plain_data, item.items)] if isinstance(item, ItemList) else item.text


def write_yaml(item: Item) -> str:
    """Items as YAML: keys and lists in blocks, what stands below a heading in braces.

    >>> print(write_yaml(from_data({"sort": ["Part desc"]})), end="")
    sort:
      - Part desc
    """
    from ruamel.yaml import YAML

    yaml = YAML()
    yaml.width = 1_000
    yaml.indent(mapping=2, sequence=4, offset=2)
    text = io.StringIO()
    yaml.serialize(_node(item, yaml.resolver), text)
    return text.getvalue()


def _node(item: Item, resolver: Any, depth: int = 0) -> Any:
    """An item as a node of YAML: plain texts stay plain, and what is below a heading is short."""
    from ruamel.yaml import nodes
    from ruamel.yaml.tag import Tag

    def tag(kind: Any, value: Any, plain: bool) -> Any:
        return Tag(suffix=str(resolver.resolve(kind, value, (plain, not plain))))

    if isinstance(item, Scalar):
        style = "|" if "\n" in item.text else item.style or None
        text = tag(nodes.ScalarNode, item.text, plain=style is None)
        return nodes.ScalarNode(text, item.text, style=style)
    if isinstance(item, ItemList):
        items = [_node(one, resolver, depth + 1) for one in item.items]
        return nodes.SequenceNode(tag(nodes.SequenceNode, None, True), items, flow_style=not items)
    pairs = [(_node(key, resolver), _node(value, resolver, depth + 1)) for key, value in item.pairs]
    short = depth > 2 or not pairs
    return nodes.MappingNode(tag(nodes.MappingNode, None, True), pairs, flow_style=short)
