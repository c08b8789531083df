"""XML: each element of the name that repeats is a record."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from contextlib import suppress
from functools import partial
from itertools import chain
from typing import Any

import msgspec
from lxml import etree

from ...errors import SourceError
from ...run.protocols import Account, Batch
from ...structure.levels import level_name
from ...values.faults import Fault
from ...values.own_texts import TEXT
from ..files.options import Options
from ..files.reader import BaseReader
from ..files.reading import Bytes
from ..json.json_values import LOOK_AHEAD, is_little
from .element_building import built
from .element_names import ElementNames
from .element_shapes import ElementShapes
from .element_structs import OddElementError, StructBuilder
from .xml_elements import RecordElements, SeveralNamesError

# ---- elements that are nested deeper than Python goes unasked


DEEPEST = 1_000  # elements within each other
_ROOM = 4 * DEEPEST  # of Python's own stack


def deeply(step: Callable[[], Any], element: Any) -> Any:
    """What a step makes of an element, up to 1,000 within each other.

    Raises RecursionError for what is deeper.
    """
    try:
        return step()
    except RecursionError:
        if goes_deeper(element):
            raise
    before = sys.getrecursionlimit()
    sys.setrecursionlimit(max(before, _ROOM))
    try:
        return step()
    finally:
        sys.setrecursionlimit(before)


def goes_deeper(element: Any) -> bool:
    """Whether more than 1,000 elements stand within each other."""
    depth = 0
    for event, _ in etree.iterwalk(element, events=("start", "end")):
        depth += 1 if event == "start" else -1
        if depth > DEEPEST:
            return True
    return False


_TOO_DEEP = f"more than {DEEPEST:,} elements stand within each other"
_LEFT_OUT = "the record is left out"


def open_reader(data: Bytes, options: Options) -> XmlReader:
    """A reading of some bytes. Raises SourceError."""
    deep = next((path for path in options.records if len(path) > 1), None)
    if deep is not None:
        raise SourceError(
            f"{data.name}: in XML `records` takes the name of the element that repeats, and no "
            f"path: `{deep[-1]}`, not `{level_name(deep)}`"
        )
    return XmlReader(data, options)


class XmlReader(BaseReader):
    """Reads the elements of a document that are its records; it gives them in any type."""

    decodes = True
    has_own_texts = True

    def __init__(self, data: Bytes, options: Options) -> None:
        self.name = data.name
        self._data, self._options = data, options
        self._chunks: Iterator[bytes] = data.chunks()
        self._seen: list[bytes] = []
        try:
            self._first = self._look()
        except SeveralNamesError as error:
            if not options.whole_if_mixed:
                raise
            self._options = options._replace(records=((error.outermost,),))
            self._first = self._look()
            self.manner = f"{self.manner}, since the elements in it have different names"

    def _look(self) -> list[Any]:
        """The first records. What they are in is read once more with all."""
        first = list[Any]()
        self._chunks = chain(self._seen, self._chunks)
        self._seen = seen = list[bytes]()
        elements = RecordElements(self._data, self._options)
        whole = ElementShapes(elements.names).plain("")
        for chunk in self._chunks:
            seen.append(chunk)
            for one in elements.within(chunk):
                with suppress(RecursionError):
                    first.append(_record(deeply(partial(built, one, whole), one)))
            if len(first) >= LOOK_AHEAD:
                break
        else:
            for one in elements.rest():
                with suppress(RecursionError):
                    first.append(_record(deeply(partial(built, one, whole), one)))
        self.manner = elements.manner()
        self.states = elements.states()
        self._chunks = chain(seen, self._chunks)
        self._little = is_little(first, sum(map(len, seen)))
        return first[:LOOK_AHEAD]

    def close(self) -> None:
        self._data.close()

    def peek(self) -> list[Any]:
        return self._first

    def batches(self, record_type: Any = None, exact: Any = None) -> Iterator[Batch]:
        elements = RecordElements(self._data, self._options)
        exact = None if self._little else exact
        shape = record_type or dict[str, Any]
        records = _Records(elements.names, self._options, shape, exact, self.keeps)
        for chunk in self._chunks:
            for one in elements.within(chunk):
                records.add(one)
            yield from records.batches()
        for one in elements.rest():
            records.add(one)
        yield from records.batches()
        self.account = Account(elements.notices())


class _Records:
    """Makes records of elements: in the exact type, if there is one, as far as they fit it."""

    def __init__(
        self,
        names: ElementNames,
        options: Options,
        loose: Any,
        exact: Any,
        keeps: Callable[[int], bool],
    ) -> None:
        """``keeps`` tells of which records, by their numbers, the plain data is wanted."""
        self._keeps, self._kept = keeps, dict[int, Any]()
        self._with_texts = ElementShapes(names, options.keeps_text).plain("")
        self._whole = ElementShapes(names).plain("")
        shapes = ElementShapes(names, options.keeps_text)
        self._loose, self._shape = loose, shapes.of("", loose)
        self._exact = None if exact is None else StructBuilder(shapes).of(exact)
        self._type = exact
        self._runs: list[tuple[bool, list[Any], list[int]]] = []  # in one type, with their numbers
        self._specimens: list[Any] = []
        self._faults: list[Fault] = []
        self._number = 0

    def add(self, element: Any) -> None:
        """Take in an element."""
        self._number += 1
        if not self._specimens:
            with suppress(RecursionError):
                self._specimens.append(
                    _record(deeply(partial(built, element, self._whole), element))
                )
        try:
            fits, record = deeply(lambda: self._made(element), element)
        except RecursionError:
            text = f"<{element.tag.rpartition('}')[2]}>"
            self._faults.append(Fault(self._number, "", text, f"{_TOO_DEEP}; {_LEFT_OUT}"))
            return
        if not self._runs or self._runs[-1][0] != fits:
            self._runs.append((fits, [], []))
        self._runs[-1][1].append(record)
        self._runs[-1][2].append(self._number)
        if self._keeps(self._number):
            with suppress(RecursionError):
                whole = deeply(partial(built, element, self._with_texts), element)
                self._kept[self._number] = _record(whole)

    def _made(self, element: Any) -> tuple[bool, Any]:
        """A record, and whether it is of the exact type; else it is of the loose one."""
        if self._exact is not None:
            try:
                return True, self._exact(element) or self._type()
            except OddElementError:
                pass
        plain = _record(built(element, self._shape))
        return False, msgspec.convert(plain, self._loose)

    def batches(self) -> Iterator[Batch]:
        """What was taken in since the last time."""
        specimens, self._specimens = self._specimens, []
        runs, self._runs = self._runs, []
        faults, self._faults = self._faults, []
        kept, self._kept = self._kept, {}
        if faults and not runs:
            yield Batch([], [], faults)
        for fits, records, numbers in runs:
            last: partial[list[Any]] = partial(list, specimens)
            plain = partial(_kept_at, kept, numbers)
            yield Batch(records, numbers, faults, last, exact=fits, plain=plain)
            specimens, faults = [], []


def _kept_at(kept: dict[int, Any], numbers: list[int], place: int) -> Any:
    return kept[numbers[place]]


def _record(value: Any) -> Any:
    """An element as a record: an object, even if it is empty or holds a text alone."""
    if value.__class__ is dict:
        return value
    return {} if value is None else {TEXT: value}
