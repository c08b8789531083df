"""XML: each element of the name that repeats is a record."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from itertools import chain
from typing import Any

from ..errors import SourceError
from ..run.decoding import convert
from ..run.protocols import Account, Batch
from ..structure.levels import level_name
from ..values.element_texts import TEXT
from .element_building import built
from .element_names import ElementNames
from .element_shapes import Shapes
from .element_structs import OddElementError, StructBuilder
from .json_values import LOOK_AHEAD
from .options import Options
from .reader import BaseReader
from .reading import Bytes
from .xml_elements import RecordElements


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
    of_elements = True

    def __init__(self, data: Bytes, options: Options) -> None:
        self.name = data.name
        self._data, self._options = data, options
        self._chunks: Iterator[bytes] = data.chunks()
        self._first = self._look()

    def _look(self) -> list[Any]:
        """The first records. What they are in is read once more with all."""
        first, seen = list[Any](), list[bytes]()
        elements = RecordElements(self._data, self._options)
        whole = Shapes(elements.names).plain("")
        for chunk in self._chunks:
            seen.append(chunk)
            first += [_record(built(one, whole)) for one in elements.within(chunk)]
            if len(first) >= LOOK_AHEAD:
                break
        else:
            elements.end()
        self.manner = elements.manner()
        self.states = elements.states()
        self._chunks = chain(seen, self._chunks)
        return first[:LOOK_AHEAD]

    def close(self) -> None:
        self._data.close()

    def peek(self) -> list[Any]:
        return self._first

    def batches(self, record_type: Any = None, exact: Any = None) -> Iterator[Batch]:
        elements = RecordElements(self._data, self._options)
        exact = exact if len(self._first) >= LOOK_AHEAD else None
        records = _Records(elements.names, self._options, record_type or dict[str, Any], exact)
        for chunk in self._chunks:
            for one in elements.within(chunk):
                records.add(one)
            yield from records.batches()
        elements.end()
        self.account = Account(elements.notices())


class _Records:
    """Makes records of elements: in the exact type, if there is one, as far as they fit it."""

    def __init__(self, names: ElementNames, options: Options, loose: Any, exact: Any) -> None:
        self._whole = Shapes(names).plain("")
        shapes = Shapes(names, options.keeps_text)
        self._loose, self._shape = loose, shapes.of("", loose)
        self._exact = None if exact is None else StructBuilder(shapes).of(exact)
        self._type = exact
        self._runs: list[tuple[bool, list[Any]]] = []  # those that follow one another in one type
        self._specimens: list[Any] = []
        self._number = 1

    def add(self, element: Any) -> None:
        """Take in an element."""
        if not self._specimens:
            self._specimens.append(_record(built(element, self._whole)))
        fits = self._exact is not None
        try:
            record = self._exact(element) if self._exact else self._plain(element)
        except OddElementError:
            fits, record = False, self._plain(element)
        if record is None:
            record = self._type()
        if not self._runs or self._runs[-1][0] != fits:
            self._runs.append((fits, []))
        self._runs[-1][1].append(record)

    def _plain(self, element: Any) -> Any:
        return _record(built(element, self._shape))

    def batches(self) -> Iterator[Batch]:
        """What was taken in since the last time."""
        specimens, self._specimens = self._specimens, []
        runs, self._runs = self._runs, []
        for fits, records in runs:
            numbers = range(self._number, self._number + len(records))
            self._number += len(records)
            batch = Batch(records, numbers, [], partial(list, specimens), exact=fits)
            yield batch if fits else convert(batch, self._loose)
            specimens = []


def _record(value: Any) -> Any:
    """An element as a record: an object, even if it is empty or holds a text alone."""
    if value.__class__ is dict:
        return value
    return {} if value is None else {TEXT: value}
