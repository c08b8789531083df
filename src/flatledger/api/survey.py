"""Surveying a source: what its records look like, before there is a layout."""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from heapq import merge
from itertools import groupby
from operator import is_
from typing import Any

import msgspec

from ..bounds import LARGEST_RECORD, MOST_DISTINCT, MOST_KINDS
from ..errors import ExpressionError, SourceError
from ..language import parse_expression
from ..language.nodes import FieldPath, Name
from ..language.notations import Notation
from ..language.selecting import Selection, compile_path
from ..layout.model.declared import DeclaredField
from ..layout.model.source_options import CATALOGUE
from ..run.collecting import at_rest, restfully
from ..run.decoding import laid_flat
from ..run.protocols import Batch, Progress, Reader, RunProgress
from ..sources import AnySource
from ..sources.catalogues.positions import Positions
from ..sources.catalogues.surveyed import in_notation
from ..sources.tables.tables import TableReader
from ..structure.path_texts import path_of
from ..structure.profile_values import text_of_value
from ..structure.profiles import PlaceProfile
from ..structure.survey import FieldSurvey, SurveyResult, fields_of, unfilled
from ..structure.trees import holds_objects
from ..values.functions import text_of
from ..values.numbers import ValueFaultError, read_decimal
from ..values.own_texts import TEXT, own_value
from ..values.parts import flattened
from .arguments import check_count, check_given
from .declaring import FieldsRead, declared_fields
from .documents import as_records, may_be_document, point_at_records, records_within
from .opening import notation_for, open_as
from .results import DistinctValues
from .total_rows import TotalRowsSeen, notices_of

Looks = Sequence[Callable[[list[Any], Batch], None]]  # what looks at records as they are read
SAMPLE = 2_000
HEADER = "header-row-count"
SHORT_ROWS = "short-rows"  # the key that says what becomes of rows that end early
TOTAL_ROWS = "total-rows"  # the key that says what becomes of them
MOST_TOLD = 100  # faults of the source


class Survey(SurveyResult):
    """Every place in a source; a notebook shows it as a tree that can be folded.

    >>> found = survey([{"no": 1, "lines": [{"qty": 2}, {"qty": 3}]}])
    >>> found.records, found.complete, [field.path for field in found.under("lines").fields]
    (1, True, ['lines', 'lines.qty'])
    """

    def __repr__(self) -> str:
        return f"<Survey of {self.source}: {self.records:,} records, {len(self.fields):,} fields>"

    def _repr_html_(self) -> str:
        from ..reports.survey_page import survey_fragment

        return survey_fragment(self)


def survey(
    source: AnySource,
    *,
    records: str | None = None,
    sample: int | None = SAMPLE,
    progress: Progress | None = None,
    largest_record: int = LARGEST_RECORD,
    reading: Mapping[str, Any] | None = None,
    fields: Mapping[str, Any] | None = None,
) -> Survey:
    """Look at the first ``sample`` records of a source (as in `table`; None: at all) and describe
    each place.

    ``records`` is the path to the records within a document, and ``largest_record`` bounds each, in
    MB. ``reading`` says more of how it is read, by the keys that stand under `source` in a layout
    (``{"delimiter": "pipe"}``, ``{"sheet": "Stores"}``). Of what ``fields`` declares it is told how
    many values are read so. Raises SourceError and LayoutError.

    >>> result = survey([{"no": 1, "lines": [{"qty": 2}]}, {"no": 2, "lines": {"qty": 3}}])
    >>> [(field.path, field.filled, field.entries) for field in result.fields]
    [('no', 2, 2), ('lines', 2, 2), ('lines.qty', 2, 2)]
    """
    check_given(reading=reading, fields=fields)
    check_count("sample", sample, or_all=True)
    equal = EqualRecords() if sample is None else None
    read = FieldsRead(declared_fields(fields, notation=notation_for(source, reading)))
    totals = TotalRowsSeen() if TOTAL_ROWS not in (reading or {}) else None

    def looking(reader: Reader) -> Looks:
        read.begin(typed=reader.types_moments)
        looks = [read.look_at, *([equal.look_at] if equal else [])]
        plain: list[Callable[[list[Any], Batch], None]] = [_of_records(one) for one in looks]
        return [*plain, *([totals.look_at] if totals else [])]

    tops, found = _gathered(
        source, records, sample, None, progress, largest_record, reading, looking
    )
    if totals is not None:
        found.total_rows = totals.found()
    found.notices += _of_rows(found, equal, reading or {})
    top = tops.get("", PlaceProfile())
    within = records_within(top) if may_be_document(source, found, records, fields) else None
    if within is not None:
        path, top = within
        found = as_records(found, path, top)
    places = _fields(top, found)
    read.tell(places)
    found.notices += _of_fields(found, places, reading or {})
    if not found.records:
        places = [unfilled(path_of("", heading)) for heading in found.headings]
    if found.records == 1 and found.complete and records is None:
        point_at_records(found, places, top.has_own_texts)
    return msgspec.structs.replace(found, fields=places)


def _of_rows(
    found: Survey, equal: EqualRecords | None, reading: Mapping[str, Any]
) -> Iterator[str]:
    """What is pointed out of rows that end early, sum up others, or are equal."""
    if SHORT_ROWS not in reading:
        yield from short_rows_told(found.short_rows)
    yield from notices_of(found.total_rows, unlabelled=True)
    if equal is not None and (count := equal.count()):
        what = "record is" if count == 1 else "records are"
        yield f"{count:,} {what} equal in everything to an earlier one"


def _of_fields(
    found: Survey, fields: Sequence[FieldSurvey], reading: Mapping[str, Any]
) -> Iterator[str]:
    """What is pointed out of headings that look like data, and of marks of total rows."""
    if HEADER not in reading:
        yield from first_row_told(found.headings, fields)
    for one in fields:
        if one.marks:
            several = {"total row": "total rows"}.get(one.marks, "headings of groups")
            are = f"record is a {one.marks}" if one.filled == 1 else f"records are {several}"
            them = "it" if one.filled == 1 else "them"
            leaves = f'`only: ["${one.path} is null"]` leaves {them} out'
            name = one.path[2:-2]
            yield f"{one.filled:,} {are} of a table (`{name}`): {leaves}"


def short_rows_told(count: int) -> list[str]:
    """What is pointed out of rows that end early, where there are any."""
    if not count:
        return []
    end = "row ends early, and is left out" if count == 1 else "rows end early, and are left out"
    return [f"{count:,} {end}; `source: {{short-rows: blank}}` takes what is missing for blank"]


def survey_kinds(
    path: str,
    source: AnySource,
    *,
    records: str | None = None,
    sample: int | None = SAMPLE,
    progress: Progress | None = None,
    largest_record: int = LARGEST_RECORD,
    reading: Mapping[str, Any] | None = None,
) -> dict[str, Survey]:
    """A survey for each kind of record, told apart by the value at a path.

    Raises ExpressionError, SourceError, and SourceError too beyond 100 kinds.

    >>> kinds = survey_kinds("type", [{"type": "log", "a": 1}, {"type": "chart", "b": 2}])
    >>> {kind: [field.path for field in result.fields] for kind, result in kinds.items()}
    {'log': ['type', 'a'], 'chart': ['type', 'b']}
    """
    check_given(reading=reading)
    check_count("sample", sample, or_all=True)
    tops, found = _gathered(source, records, sample, path, progress, largest_record, reading)
    return {
        kind: msgspec.structs.replace(found, records=top.filled, fields=_fields(top, found))
        for kind, top in tops.items()
    }


def survey_positions(
    tag: str,
    source: AnySource,
    *,
    sample: int | None = SAMPLE,
    progress: Progress | None = None,
    largest_record: int = LARGEST_RECORD,
    reading: Mapping[str, Any] | None = None,
) -> Survey:
    """What stands at the positions of a field of a catalogue that has no subfields (``008``,
    ``LDR``), with its lengths. Raises SourceError and LayoutError.

    Of each of its `fields` the commonest values are its ``counts``.
    """
    check_given(reading=reading)
    check_count("sample", sample, or_all=True)
    opened = open_as(source, None, largest_record, reading, asked=frozenset({tag}))
    found, positions = Survey(opened.name, 0, True, 0, []), Positions(tag)
    with opened.open() as reader:
        for records, _ in _counted(reader, found, sample, progress):
            fields = (one for record in records for one in _entries(record.get(tag)))
            positions.add_many(one[TEXT] for one in fields if "ind1" not in one)
    return msgspec.structs.replace(found, fields=positions.fields())


def _entries(value: Any) -> list[Any]:
    return value if isinstance(value, list) else [] if value is None else [value]


def _fields(top: PlaceProfile, found: Survey) -> list[FieldSurvey]:
    """The places of records, as a layout over them calls them."""
    fields = fields_of(top)
    return in_notation(fields) if found.states.get("format") == CATALOGUE else fields


def _gathered(
    source: AnySource,
    records: str | None,
    sample: int | None,
    kind_path: str | None,
    progress: Progress | None,
    largest_record: int,
    reading: Mapping[str, Any] | None,
    looking: Callable[[Reader], Looks] = lambda _: (),
) -> tuple[dict[str, PlaceProfile], Survey]:
    """Each kind's places, and what there is to say of the whole, without its fields."""
    notation = notation_for(source, reading)
    kinds = _path(kind_path, notation) if kind_path else None
    kind_of = _selection(kinds) if kinds else None
    opened = open_as(
        source,
        records,
        largest_record,
        reading,
        double_keys=True,
        asked=_names_in(kinds) if kinds else None,
        reads_all=True,
    )
    tops: dict[str, PlaceProfile] = {}
    found = Survey(opened.name, 0, True, 0, [])
    with opened.open() as reader:
        looks = looking(reader)
        for taken, batch in _counted(reader, found, sample, progress):
            for look in looks:
                look(taken, batch)
            for kind, alike in _by_kind(taken, kind_of).items():
                if kind not in tops and len(tops) >= MOST_KINDS:
                    raise SourceError(f"`{kind_path}` tells more than {MOST_KINDS} kinds apart")
                with at_rest():
                    if kind not in tops:
                        tops[kind] = PlaceProfile(top=True, has_own_texts=reader.has_own_texts)
                    tops[kind].add_many(alike)
    return tops, found


def _counted(
    reader: Reader, found: Survey, sample: int | None, progress: Progress | None
) -> Iterator[tuple[list[Any], Batch]]:
    """The records that are surveyed, with the batch that they are of; what there is to say of them
    goes into what is ``found``."""
    found.manner, found.states = reader.manner, dict(reader.states)
    found.headings = headings_of(reader)
    batches = restfully(reader.batches())
    for batch in batches:
        told = batch.origin.placed([*batch.remarks, *batch.faults])
        found.faults += len(batch.faults)
        found.told += told[: MOST_TOLD - len(found.told)]
        found.told_count += len(told)
        taken = batch.records if sample is None else batch.records[: sample - found.records]
        yield taken, batch
        found.records += len(taken)
        if progress:
            progress(RunProgress.of(found.records, reader.measure))
        if len(taken) < len(batch.records) or (sample is not None and found.records >= sample):
            whole = len(taken) == len(batch.records)
            found.complete = whole and next(batches, None) is None
            break
    found.notices = list(reader.account.notices)
    found.short_rows = reader.account.short_rows


def headings_of(reader: Reader) -> list[str]:
    """The headings of a table; none of other records."""
    return reader.headings if isinstance(reader, TableReader) else []


def _of_records(look: Callable[[list[Any]], None]) -> Callable[[list[Any], Batch], None]:
    return lambda records, _: look(records)


def _by_kind(records: list[Any], kind_of: Selection | None) -> dict[str, list[Any]]:
    """Records by their kinds, each in their order."""
    if kind_of is None:
        return {"": records}
    found: dict[str, list[Any]] = {}
    for record in records:
        values = kind_of.find(record)
        kind = text_of_value(own_value(values[0])) if values else "(none)"
        found.setdefault(kind, []).append(record)
    return found


def _path(text: str, notation: Notation | None) -> FieldPath:
    """The path that is meant. Raises ExpressionError."""
    node = parse_expression(text, notation)
    if not isinstance(node, FieldPath):
        raise ExpressionError("a path is expected here, such as lines.part.code", text, 0)
    return node


def _selection(path: FieldPath) -> Selection:
    """A compiled path, with the relaxations of a layout."""
    return compile_path(path.segments, is_level=lambda names: False)


def _names_in(path: FieldPath) -> frozenset[str]:
    """The names in a path, of which some are made only where they are asked for."""
    return frozenset(part.name for part in path.walk() if isinstance(part, Name))


def _with_nodes(value: Any, names: Sequence[str]) -> Any:
    """A value in which each tree on the way is a list of its nodes, so that a path of names goes to
    all of them, as a survey shows them at one place."""
    if not names or not isinstance(value, dict | list):
        return value
    if isinstance(value, list):
        found = [_with_nodes(entry, names) for entry in flattened(value)]
        return value if len(found) == len(value) and all(map(is_, found, value)) else found
    name, rest = names[0], names[1:]
    below = value.get(name)
    entries = below if below.__class__ is list else [below]
    nests = any(one.__class__ is dict and holds_objects(one.get(name)) for one in entries)
    nodes = laid_flat(below, name, "")[0] if nests and rest[:1] != [name] else below
    changed = _with_nodes(nodes, rest)
    return value if changed is below else {**value, name: changed}


def distinct_values(
    path: str,
    source: AnySource,
    *,
    records: str | None = None,
    sample: int | None = None,
    largest_record: int = LARGEST_RECORD,
    reading: Mapping[str, Any] | None = None,
    fields: Mapping[str, Any] | None = None,
) -> DistinctValues:
    """The distinct values at a path with their counts; as ``fields`` declares them, where they can
    be read so.

    Raises ArgumentError, ExpressionError where the path is none, and SourceError, also beyond
    100,000 different values.

    >>> distinct_values("lines.part", [{"lines": [{"part": "wick"}, {"part": "wick"}]}])
    {'wick': 2}
    """
    check_given(reading=reading, fields=fields)
    check_count("sample", sample, or_all=True)
    notation = notation_for(source, reading)
    node = _path(path, notation)
    selection, names = _selection(node), list(node.names() or ())
    asked = _names_in(node)
    opened = open_as(source, records, largest_record, reading, asked=asked, reads_all=True)
    counts = DistinctValues()
    read = 0
    declared = [one for one in declared_fields(fields, notation=notation) if one.names == (*names,)]
    with opened.open() as reader:
        as_declared = _as_declared(declared, reader)
        for batch in reader.batches():
            for record in batch.records:
                if sample is not None and read >= sample:
                    return counts
                read += 1
                found = selection.find(_with_nodes(record, names))
                for value in map(own_value, found) if reader.has_own_texts else found:
                    for item in value if isinstance(value, list) else [value]:
                        if not isinstance(item, dict | list):
                            counts[as_declared(item)] += 1
            if len(counts) > MOST_DISTINCT:
                raise SourceError(f"`{path}` has more than {MOST_DISTINCT:,} different values")
    return counts


def _as_declared(declared: Sequence[DeclaredField], reader: Reader) -> Callable[[Any], Any]:
    """What reads a value as it is declared; what can't be read so stays as it is."""
    if not declared:
        return lambda value: value
    field = declared[0].in_locale("", reader.types_moments).reader()

    def read(value: Any) -> Any:
        try:
            return field.read(value)
        except ValueFaultError:
            return value

    return read


# ---- counting records that are equal in everything to an earlier one, however many there are


_SIZE, _HELD = 16, 1_000_000  # bytes of a digest; digests in memory
_ENCODER = msgspec.json.Encoder(order="sorted", enc_hook=text_of, decimal_format="string")


class EqualRecords:
    """Counts by digests (BLAKE2b, 128 bits), which are put aside in sorted runs.

    >>> equal = EqualRecords()
    >>> equal.look_at([{"no": 1, "q": 2}, {"q": 2, "no": 1}, {"no": "1", "q": 2}])
    >>> equal.count()
    1
    """

    def __init__(self) -> None:
        self._held: list[bytes] = []
        self._aside: list[Any] = []

    def look_at(self, records: Iterable[Any]) -> None:
        """Take note of some records."""
        self._held += [
            hashlib.blake2b(_ENCODER.encode(record), digest_size=_SIZE).digest()
            for record in records
        ]
        if len(self._held) >= _HELD:
            file = tempfile.TemporaryFile()  # noqa: SIM115 (it has no name, and is gone with us)
            file.write(b"".join(sorted(self._held)))
            self._aside.append(file)
            self._held = []

    def count(self) -> int:
        """How many records are equal to an earlier one."""
        runs = [*map(_digests, self._aside), iter(sorted(self._held))]
        return sum(sum(1 for _ in alike) - 1 for _, alike in groupby(merge(*runs)))


def _digests(file: Any) -> Iterator[bytes]:
    file.seek(0)
    while digest := file.read(_SIZE):
        yield digest


# ---- whether the first row of a table, which is taken for its headings, is one of its rows


_YEARS = range(1500, 2101)


def first_row_told(headings: Sequence[str], fields: Sequence[FieldSurvey]) -> list[str]:
    """What to point out where each column of numbers or dates is headed by such a value. Years are
    what columns of figures are headed by.

    >>> from flatledger import survey
    >>> first_row_told(["12", "oak"], survey([{"12": "13", "oak": "elm"}]).fields)[0][:40]
    'the first row looks like the rows below '
    """
    by_path = {field.path: field for field in fields}
    typed = [
        (name, field)
        for name in headings
        if (field := by_path.get(path_of("", name))) is not None and _is_typed(field)
    ]
    alike = [name for name, field in typed if _fits(name, field)]
    years = all(name.isdigit() and int(name) in _YEARS for name in alike)
    if not alike or len(alike) < len(typed) or years:
        return []
    return [
        f"the first row looks like the rows below it ({', '.join(alike[:3])}); if it is one of "
        "them: `source: {header-row-count: 0}`"
    ]


def _is_typed(field: FieldSurvey) -> bool:
    numbers = field.kinds and set(field.kinds) <= {"integer", "decimal"}
    return bool(numbers) or (field.typing is not None and field.typing.datatype != "string")


def _fits(name: str, field: FieldSurvey) -> bool:
    if field.typing is not None:
        return field.typing.gives_back(name)
    return read_decimal(name) is not None
