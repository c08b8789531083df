"""The formats that records are read from: one line and one module for each.

A format is the one that is stated, or that is found by how the source begins, or by its name.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from pathlib import PurePath
from typing import NamedTuple, cast

import msgspec

from ..errors import SourceError
from ..extras import loaded
from ..language.notations import Notation
from ..layout.model.names import proposal
from ..layout.model.source_options import CATALOGUE, PHOTOS
from ..run.protocols import Reader, Source
from .files.naming import never_read
from .files.options import Options
from .files.packing import plain_name
from .files.reading import Bytes, Bytestream


def _never(head: bytes) -> bool:
    return False


class RecordFormat(NamedTuple):
    """A format of records: its name, how names of its files end, whether a source that begins so is
    of it, the module whose ``open_reader`` reads it, whether a source that begins so is probably of
    it where no name tells, the extra that it needs, and which keys under `source` it takes beside
    those that every format has. One ``of_another`` package is read by that.
    """

    name: str
    suffixes: tuple[str, ...]
    begins: Callable[[bytes], bool]
    module: str
    resembles: Callable[[bytes], bool] = _never
    extra: str = ""
    keys: frozenset[str] = frozenset()
    of_another: Callable[[Bytes, Options], Reader] | None = None

    def reader(self, data: Bytes, options: Options) -> Reader:
        """A reading of some bytes. Raises SourceError and MissingExtraError."""
        if self.of_another is not None:
            reader = self.of_another(data, options)
        else:
            name = f"{__package__}.{self.module}"
            what = self.name if self.name == PHOTOS else self.name.upper()
            module = loaded(name, self.extra, f"reading {what}")
            reader = cast(Reader, module.open_reader(data, options))
        without_use = [key for key in options.stated() if key not in self.keys]
        if without_use:
            said = f"{', '.join(f'`{key}`' for key in without_use)} has no effect here"
            reader.manner = "; ".join(filter(None, (reader.manner or self.name.upper(), said)))
        return reader


def _begins_json(head: bytes) -> bool:
    return _JSON.match(head) is not None


def _begins_xml(head: bytes) -> bool:
    begin = _XML.match(head)
    if begin is None or begin[1] is None:
        return begin is not None
    tags = head.count(b"<") > 1 or b"\n" not in head
    return tags and _JSON_LINE.search(head) is None


def _begins_marc(head: bytes) -> bool:
    return _MARC.match(head) is not None or (
        _begins_xml(head) and _MARCXML.search(head) is not None
    )


def _begins_workbook(head: bytes) -> bool:
    return head.startswith(b"PK\x03\x04")


def _resembles_table(head: bytes) -> bool:
    from .tables.delimited_source import resembles

    return resembles(head)


PICTURES = (b"\xff\xd8\xff", b"\x89PNG", b"II*\0", b"MM\0*", b"RIFF")  # how they begin
_ROWS = frozenset({"headings", "header-row-count", "skip-rows", "total-rows"})
_TABLE = _ROWS | {"formula-guard", "short-rows"}
_TEXT = frozenset({"encoding", "comment-prefix"})
_FIXED = _TEXT | _ROWS | {"widths"}
_JSON = re.compile(rb"[\s\x1e]*(?:\{\s*(?:[\"}]|$)|\[\s*(?:[\[{\"\]\d-]|true|false|null|$))")
_JSON_LINE = re.compile(rb"(?:^|[\n\x1e])\s*[\[{]")
_MARC = re.compile(rb"\s*\d{5}[ -~]{5}\d\d\d{5}[ -~]{3}45")
_MARCXML = re.compile(rb"http://www\.loc\.gov/MARC21/slim|info:lc/xmlns/marcxchange")
_XML = re.compile(rb"\s*<(?:[?!]|([a-zA-Z_:\x80-\xff]))|<\0|\0<")
FORMATS = (
    RecordFormat(
        *(CATALOGUE, (".mrc", ".marc"), _begins_marc, "catalogues.marc_source"),
        extra="marc",
        keys=frozenset({"broken-records", "encoding"}),
    ),
    RecordFormat("json", (".json", ".jsonl", ".ndjson"), _begins_json, "json.json_source"),
    RecordFormat(
        *("xlsx", (".xlsx", ".xlsm", ".ods"), _begins_workbook, "tables.workbook_source"),
        keys=_TABLE | {"sheet", "range", "fill-merged", "hidden-rows", "largest-unpacked"},
    ),
    RecordFormat(
        *(
            "csv",
            (".csv", ".tsv", ".tab", ".psv"),
            _never,
            "tables.delimited_source",
            _resembles_table,
        ),
        keys=_TABLE | _TEXT | {"delimiter", "quote-char", "escape-char", "line-terminator"},
    ),
    RecordFormat(
        *("xml", (".xml",), _begins_xml, "xml.xml_source"),
        keys=frozenset({"namespaces", "encoding"}),
    ),
    RecordFormat(
        *(
            PHOTOS,
            (".jpg", ".jpeg", ".tif", ".tiff", ".png", ".webp"),
            _never,
            "photographs.photo_source",
        ),
        extra="photos",
    ),
    RecordFormat("fixed-width", (), _never, "tables.fixed_width_source", keys=_FIXED),
)


def format_named(name: str, formats: Sequence[RecordFormat] = FORMATS) -> RecordFormat:
    """The format of this name. Raises SourceError.

    >>> format_named("json").suffixes
    ('.json', '.jsonl', '.ndjson')
    """
    names = [one.name for one in formats]
    if name not in names:
        formats = _with_further(formats)
        names = [one.name for one in formats]
    if name not in names:
        hint = proposal(name, names) or f"; there are {', '.join(names)}"
        raise SourceError(f"no format `{name}`{hint}")
    return formats[names.index(name)]


def notation_of_another(name: str) -> Notation | None:
    """The notation that another package's format of this name brings; None where there is none.
    Raises SourceError where one can't be loaded."""
    if name in [one.name for one in FORMATS]:
        return None
    from .further_formats import further_formats

    return next((one.notation for one in further_formats() if one.name == name), None)


def format_found(head: bytes, name: str, formats: Sequence[RecordFormat] = FORMATS) -> RecordFormat:
    """The format of a source by how it begins, by its name, by what it is probably, or the first.

    >>> format_found(b'{"no": 1}', "orders.txt").name
    'json'
    """
    suffix = plain_name(name).suffix
    by_name = [one for one in formats if suffix in one.suffixes]
    by_content = [one for one in formats if one.begins(head)]
    found = by_content or by_name
    if not by_name and (suffix or not found):  # another package may know it
        further = _with_further(formats)[len(formats) :]
        named = [one for one in further if suffix and suffix in one.suffixes]
        found = named or found or [one for one in further if one.begins(head)]
    if not found:
        found = [one for one in formats if one.resembles(head)]
    return found[0] if found else format_named("json", formats)


def _with_further(formats: Sequence[RecordFormat]) -> list[RecordFormat]:
    """Formats, and those of other packages after them. Raises SourceError where two have one name,
    or one can't be loaded."""
    from .further_formats import further_formats

    found = [*formats]
    for one in further_formats():
        if one.name in [known.name for known in found]:
            raise SourceError(f"there are two formats called `{one.name}`; uninstall one of them")
        found.append(
            RecordFormat(one.name, one.suffixes, one.recognises, "", of_another=one.reader)
        )
    return found


def reading(
    opened: Callable[[], Bytes],
    name: str,
    options: Options,
    stated: RecordFormat | None,
    again: bool = True,
) -> Reader:
    """A reading of the bytes that are ``opened`` for it; where total rows are to be found first,
    all of them are read twice. Raises SourceError and MissingExtraError."""
    if options.table.total_rows.needs_look:
        if not again:
            raise SourceError(
                f"{name} can be read once only, so that its total rows can't be found first; name "
                "the columns that are blank in them: `total-rows: {drop: [Part]}`"
            )
        with _begun(opened(), name, options, stated) as reader:
            from .tables.total_rows import settled, total_rows_in

            found = settled(options.table.total_rows, total_rows_in(reader))
        table = msgspec.structs.replace(options.table, total_rows=found)
        options = options._replace(table=table)
    return _begun(opened(), name, options, stated)


def _begun(data: Bytes, name: str, options: Options, stated: RecordFormat | None) -> Reader:
    try:
        if kind := never_read(data.head):
            others = "delimited text, JSON, XML and workbooks are"
            raise SourceError(f"{name} is {kind}, which is not read here: {others}")
        reader = (stated or format_found(data.head, name)).reader(data, options)
        reader.measure = data
        return reader
    except BaseException:
        data.close()
        raise


class ByteSource:
    """Records in the bytes of a file or a stream, which are opened for each reading."""

    def __init__(
        self, stream: Bytestream, options: Options, stated: RecordFormat | None = None
    ) -> None:
        self.name, self.again = stream.name, stream.again
        self._stream, self._options = stream, options
        self._stated = stated

    def open(self) -> Reader:
        """A reading from the start. Raises SourceError and MissingExtraError."""
        reader = reading(self._stream.open, self.name, self._options, self._stated, self.again)
        reader.file = PurePath(self.name).name or self.name
        return reader

    def parts(self, most: int) -> Sequence[Source]:
        """Itself: where a record begins is only known by reading as far."""
        return [self]
