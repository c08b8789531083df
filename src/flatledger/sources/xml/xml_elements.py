"""The elements of a document that are its records, one after another; no more is held of it."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterator
from typing import Any

from lxml import etree

from ...bounds import MOST_ATTRIBUTES, TIMES_MADE
from ...errors import SourceError
from ...layout.model.names import proposal
from ..files.options import Options
from ..files.reading import Bytes
from .element_names import ElementNames

_SERIOUS = re.compile(r"UNDECLARED_ENTITY|NS_ERR_UNDEFINED")
_PLACE = re.compile(r"(?:,? line \d+)*(?:, column \d+)?$")
_MANY_ATTRIBUTES = etree.XPath("descendant-or-self::*[count(@*) > $most]")
_NODE = 100  # bytes that a tag stands for in memory
_SHOWN = 12
_MOST_NOTED = 1_000
_HTML = re.compile(rb"\s*<(?:!doctype\s+)?html\b", re.IGNORECASE)
_OUTERMOST = re.compile(
    rb"\s*+(?:<\?(?:[^?]|\?(?!>))*+\?>\s*+|<!--(?:[^-]|-(?!->))*+-->\s*+)*+<[^!?\s]"
)


class SeveralNamesError(SourceError):
    """The elements within the ``outermost`` have several names, and none is stated."""

    def __init__(self, message: str, outermost: str) -> None:
        super().__init__(message)
        self.outermost = outermost


class RecordElements:
    """Finds the elements that are records. Each is given whole, once; then it is gone.

    Those are records that have the names of the `records` that are stated, and are in no other
    record. Where none are stated, it is those right below the outermost element, which have one
    name then. A document whose entities hold elements is read as a whole, since these are told of
    before it is known where they come to stand.
    """

    def __init__(self, data: Bytes, options: Options) -> None:
        self.name, self._largest = data.name, options.largest
        self.names = ElementNames(data.name, options.namespaces)
        self._wanted = frozenset(name for (name,) in options.records)
        encoding = options.table.encoding or ("utf-8" if data.encoding else "")
        self._parser = self._parser_for(data, encoding)
        self._is_html = _HTML.match(data.head) is not None
        self._root: Any = None
        self._around: Any = None  # what the last record was in
        self._met: dict[str, None] = {}  # the names of elements outside of records
        self._found: dict[str, None] = {}
        self._read = self._held = self._nodes = 0  # records; bytes and tags since the last of them
        self._at_once = False  # at the end, when all of it is there

    def of(self, chunks: Iterator[bytes]) -> Iterator[Any]:
        """The records of all bytes. Raises SourceError."""
        for chunk in chunks:
            yield from self.within(chunk)
        yield from self.rest()

    def within(self, chunk: bytes) -> Iterator[Any]:
        """The records that end in some more bytes. Raises SourceError."""
        if not chunk:
            return
        before = self._read
        self._take(lambda: self._parser.feed(chunk))
        looks = chunk.count(b"=") > MOST_ATTRIBUTES
        for event, found in self._parser.read_events():
            if looks and event == "end":
                self._check_attributes(found)
                looks = False
            if event == "start-ns":
                self.names.declare(*found)
            elif not self._waits(found) and self._is_record(found):
                self._read += 1
                yield found
                found.clear(keep_tail=True)
        self._held = 0 if self._read > before else self._held + len(chunk)
        self._nodes = 0 if self._read > before else self._nodes + chunk.count(b"<")
        if self._held > self._largest:
            raise SourceError(self._too_large(f"has more than {self._largest >> 20:,} MB"))
        made, most = self._held + self._nodes * _NODE, TIMES_MADE * self._largest
        if made > most:
            told = f"{made >> 20:,} MB would be made, and {most >> 20:,} are the most"
            raise SourceError(self._too_large(f"has {self._nodes:,} tags, of which {told}"))
        if not self._at_once:
            self._prune()

    def _check_attributes(self, element: Any) -> None:
        """Raise SourceError where an element has more attributes than are found in time."""
        most = _MANY_ATTRIBUTES(element.getroottree().getroot(), most=MOST_ATTRIBUTES)
        if most:
            raise SourceError(
                f"{self.name}: <{most[0].tag}> has more than {MOST_ATTRIBUTES:,} attributes, which "
                "are the most"
            )

    def rest(self) -> Iterator[Any]:
        """The records that are left when all bytes were taken. Raises SourceError where the
        document is not at its end, or where the name of records is a slip."""
        self._take(self._close)
        for found in self._root.iter(etree.Element) if self._at_once else ():
            if self._is_record(found):
                self._read += 1
                yield found
        self._prune(to_the_last=True)
        for name in sorted(self._wanted - self._found.keys()):
            if hint := proposal(name, self._met):
                raise SourceError(f"{self.name}: no element `{name}`{hint}")

    def notices(self) -> list[str]:
        """What to point out once the document is at its end."""
        known = ", ".join(list(self._met)[:_SHOWN])
        others = f"; there are {known}" if known else ""
        missed = sorted(self._wanted - self._found.keys())
        told = [f"{self.name} has no element `{name}`{others}" for name in missed]
        return [*told, *self._document_type()]

    def _document_type(self) -> list[str]:
        """That a document type which stands elsewhere is not read."""
        if self._root is None or not (place := self._root.getroottree().docinfo.system_url):
            return []
        return [
            f"{self.name} names a document type, {place}, which is not read: what it says of "
            "values that are left out is not known"
        ]

    def manner(self) -> str:
        """How it is read, in words."""
        names = "> or <".join(self._found)
        said = [f"XML, each <{names}> a record" if names else "XML"]
        spaces = [f"{prefix} for {space}" for prefix, space in self.names.declared().items()]
        return "; ".join([*said, *(["prefixes " + ", ".join(spaces)] if spaces else [])])

    def states(self) -> dict[str, Any]:
        """What a layout would say of the names that were met."""
        names, spaces = list(self._found), self.names.declared()
        records = {"records": names[0] if len(names) == 1 else names} if names else {}
        return {**records, **({"namespaces": spaces} if spaces else {})}

    def _waits(self, element: Any) -> bool:
        """Whether the whole document has to be there first."""
        if self._root is None and not self._at_once:
            declared = element.getroottree().docinfo.internalDTD
            entities = declared.entities() if declared is not None else ()
            self._at_once = any("<" in (one.content or "") for one in entities)
        return self._at_once

    # ---- parsing

    def _parser_for(self, data: Bytes, encoding: str) -> Any:
        """A parser that loads nothing, and expands no entity but those of the document itself; and
        these only within bounds, which a document that can't declare any does without."""
        local = [f"{{*}}{name.rpartition(':')[2]}" for name in sorted(self._wanted)]
        try:
            return etree.XMLPullParser(
                events=("end", "start-ns"),
                tag=local or None,
                encoding=encoding or None,
                resolve_entities="internal",
                no_network=True,
                load_dtd=False,
                remove_comments=True,
                remove_pis=True,
                huge_tree=_OUTERMOST.match(data.head) is not None,
            )
        except LookupError:
            raise SourceError(f"{self.name}: no encoding `{encoding}` is known") from None

    def _take(self, step: Callable[[], object]) -> None:
        """Take a step, and raise SourceError where what has been parsed is no sound XML.

        What the parser only warns of is an error too: a value would be lost, or a name mean less.
        """
        try:
            step()
        except etree.XMLSyntaxError as error:
            line, column = error.position
            raise SourceError(
                self._unsound(line, column, why_unsound(error.code, str(error.msg)))
            ) from None
        for one in self._parser.feed_error_log:
            if _SERIOUS.search(one.type_name):
                raise SourceError(
                    self._unsound(one.line, one.column, why_unsound(one.type, one.message))
                )

    def _close(self) -> None:
        root = self._parser.close()
        self._root = root if self._root is None else self._root

    def _unsound(self, line: int, column: int, why: str) -> str:
        after = f", after {self._read:,} record{'s' * (self._read > 1)}" if self._read else ""
        why = _PLACE.sub("", why)
        what = "is HTML, and no sound XML" if self._is_html else "is no sound XML"
        return f"{self.name} {what} in line {line:,}, column {column:,}{after}: {why}"

    def _too_large(self, why: str) -> str:
        names = "> or <".join(sorted(self._wanted))
        what = f"record {self._read + 1:,}"
        if self._wanted:
            what = f"there is no end of a <{names}> after record {self._read:,}, and what follows"
        return (
            f"{self.name}: {what} {why}; `largest-record` under `source` "
            "sets how many it may have, and `records` names the element that repeats"
        )

    # ---- records

    def _is_record(self, element: Any) -> bool:
        """Whether an element that has ended is a record. Raises SourceError where the elements
        below the root have several names, and none is stated."""
        around = element.getparent()
        if self._root is None:
            self._root = element.getroottree().getroot()
        if not self._wanted:
            if around is not self._root:
                return False
        elif not self._is_wanted(element):
            return False
        elif around is not self._around:
            if any(map(self._is_wanted, element.iterancestors())):
                return False
            self._around = around
        self._found[self._named(element)] = None
        if not self._wanted and len(self._found) > 1:
            raise SeveralNamesError(self._several(), self._named(self._root))
        return True

    def _is_wanted(self, element: Any) -> bool:
        return self._named(element) in self._wanted

    def _several(self) -> str:
        counts = Counter([*self._found, *map(self._named, self._root)])
        names = list(counts)
        usual = counts.most_common(1)[0][0]
        return (
            f"{self.name}: the elements within <{self._named(self._root)}> have different names "
            f"({', '.join(names[:_SHOWN])}); say which are the records: `records: {usual}`, or "
            f"`records: {self._named(self._root)}` for the whole; `flatledger survey` shows it"
        )

    def _named(self, element: Any) -> str:
        return self.names.element(element.tag)

    def _prune(self, to_the_last: bool = False) -> None:
        """Let go of all that has ended, with its names noted where it is no record."""
        node = self._root
        while node is not None and not (self._wanted and self._is_wanted(node)):
            for one in node if to_the_last else node[:-1]:
                if self._wanted and not self._is_wanted(one):
                    self._note(one)
            del node[:-1]
            node = node[-1] if len(node) and self._wanted else None

    def _note(self, element: Any) -> None:
        """Take note of the names of an element and of those in it, for a hint."""
        if len(self._met) < _MOST_NOTED:
            self._met.update(dict.fromkeys(map(self._named, element.iter())))


# ---- why a text is no sound XML, in words of our own: by the codes of the parser's errors


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
