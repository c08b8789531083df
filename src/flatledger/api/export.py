"""An export: a layout, a source and a place to write to, brought together."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from os import PathLike
from typing import TYPE_CHECKING, Any, Literal

from ..errors import FaultsFoundError, FlatLedgerError
from ..layout.model.model import SettledLayout
from ..layout.model.note import note_of
from ..layout.model.output_options import IF_THERE, IfThere
from ..layout.settling.settling import output_of
from ..outputs import Destination, Target
from ..outputs.documents.csvw import SUFFIX, metadata
from ..outputs.documents.fault_table import fault_table
from ..outputs.formats import format_of, is_delimited
from ..outputs.places.file_set import FileSet
from ..outputs.places.names import is_file
from ..run.balance import Balance, FileCount, Learnt
from ..run.pipeline import TableRun
from ..run.protocols import Progress, RunProgress
from ..run.tables_run import TablesRun
from ..sources import AnySource
from ..structure.levels import LevelsDifferError
from . import logs
from .arguments import check_choice, check_given
from .layout import AnyLayout, Layout
from .notes import learnt
from .places import OutputPlaces, check_places, check_verified, tables_of
from .preparing import given_for
from .preparing_tables import TablePreparations
from .spilling import TemporaryRows
from .table_files import TableFile, forms_of, opened

if TYPE_CHECKING:
    from ..outputs.checking.verifying import Verifier

Verify = bool | Literal["all"]


def export(
    layout: AnyLayout,
    source: AnySource,
    to: Destination | Sequence[Destination] | None = None,
    *,
    ask: Mapping[str, Any] | None = None,
    progress: Progress | None = None,
    learn: bool = False,
    strict: bool = False,
    faults_to: Destination | None = None,
    report_to: Destination | None = None,
    if_there: IfThere | None = None,
    verify: Verify = False,
    fields: Mapping[str, Any] | None = None,
    reading: Mapping[str, Any] | None = None,
) -> Balance:
    """Flatten records into a table and write it; return the balance.

    ``layout`` is a path, a name on the shelf, a mapping, or a `Layout`; ``source`` is one of those
    that `table` takes. ``to`` is a path (``-``: standard output), an open binary file, or a list of
    such, each in the format of its name; left out, it is the layout's own ``output: file``.
    ``ask`` gives the values that the layout asks for. A file takes its name when it is whole. One
    that is there already is replaced; if it is not as it was last written, it is kept beside
    (``table.former.csv``). ``if_there`` chooses otherwise (``replace``: kept nowhere, ``refuse``,
    ``number``: the new one is ``table-2.csv``). A table that does not balance takes no other's
    place: it is ``table.unbalanced.csv``.

    ``progress`` is called with how far it has come (`RunProgress`). With ``learn`` the note beside
    the layout's file takes in the fields and keys that are new in the data. ``strict`` ends in
    FaultsFoundError where there is anything to tell, once all has been written; it refuses a form
    that the columns do not fit, and looks for names that come twice in an object.
    ``verify`` reads each finished file again, by a reader that is not ours, and holds every cell
    against what was written; ``"all"`` reads every record a second time by definition, too, not
    only a sample of them. ``faults_to`` takes every fault as a table (CSV), ``report_to`` the
    balance as JSON. ``fields`` declares further fields, ``reading`` says how the source is read, by
    the keys that stand under `source` in a layout. Nothing that takes part is written over.

    Raises ArgumentError, LayoutError, ShelfError, AnswerError, SourceError, OutputError,
    FaultsFoundError and MissingExtraError.

    >>> import io
    >>> written = io.BytesIO()
    >>> balance = export({"columns": [{"No": "no"}]}, [{"no": 1}, {"no": 2}], written)
    >>> balance.balanced, balance.rows, written.getvalue()
    (True, 2, b'No\\r\\n1\\r\\n2\\r\\n')
    """
    check_given(ask=ask, fields=fields, reading=reading)
    if if_there is not None:
        check_choice("if_there", if_there, IF_THERE)
    check_choice("verify", verify, (False, True, "all"))
    stated = Layout.of(layout).declaring(fields, reading)
    layouts = stated.of_tables()
    given = given_for(stated, ask, learn=learn, strict=strict)
    outputs = [output_of(one.request, given) for one in layouts]
    names = [one.name for one in layouts]
    places = OutputPlaces(
        tables_of(to, outputs, names),
        faults_to,
        report_to,
        if_there,
    )
    apart = check_places(places, source, layouts, outputs, learn=learn)
    if verify:
        check_verified(places, outputs)
    name = stated.name if stated.tables else ""
    all_again = verify == "all"
    prepared = TablePreparations(
        layouts, source, given, name=name, learn=learn, verify_all=all_again
    )
    learning = stated if learn else None
    while True:
        try:
            with _telling_placed(FileSet(apart)) as files:
                balance = _exported(prepared, places, files, progress, learning, bool(verify))
            return _nothing_told(balance) if strict else balance
        except LevelsDifferError as wrong:
            written = [*(one.to for one in places.tables), places.faults]
            prepared.begin_again(wrong, given=any(map(_is_stream, written)))


def _nothing_told(balance: Balance) -> Balance:
    """The balance of a strict run. Raises FaultsFoundError where there is anything to tell."""
    from ..reports.words import counted

    if balance.balanced and not balance.fault_count and not balance.notices:
        return balance
    wrong = [] if balance.balanced else ["it does not balance"]
    faults = [counted(balance.fault_count, "fault")] if balance.fault_count else []
    notices = [counted(len(balance.notices), "notice")] if balance.notices else []
    said = " and ".join([*wrong, *faults, *notices])
    for first in [*balance.wrong, *map(str, balance.faults), *balance.notices][:1]:
        said += f"; the first: {first}"
    raise FaultsFoundError(said, balance)


def _is_stream(place: Destination | None) -> bool:
    """Whether what has been written to a place has been seen already."""
    return place is not None and (not isinstance(place, str | PathLike) or not is_file(place))


def _exported(
    prepared: TablePreparations,
    places: OutputPlaces,
    files: FileSet,
    progress: Progress | None,
    learning: Layout | None,
    verify: bool,
) -> Balance:
    """Write the tables with what goes with them; the balance, which is the last of it."""
    outputs = [one.layout.output for one in prepared.parts]
    usual = places.if_there or outputs[0].if_there
    tables = [
        TableFile(files.add(one.to, places.if_there or outputs[one.tables[0]].if_there), one.tables)
        for one in places.tables
    ]
    faults, report = (
        [files.add(one, usual) for one in some if one is not None]
        for some in ([places.faults], [places.report])
    )
    balance = _tables(prepared, files, tables, faults, progress, verify)
    if learning is not None:
        _learn(learning, prepared, files, balance)
    logs.ended(balance.layout, balance)
    for one in report:
        one.write(balance.to_json())
        one.settle()
        balance.notes += one.notes
    return balance


def _tables(
    prepared: TablePreparations,
    files: FileSet,
    written: Sequence[TableFile],
    faults: Sequence[Target],
    progress: Progress | None,
    verify: bool,
) -> Balance:
    """Write the tables, and the faults beside them; the balance, which decides what they are
    called."""
    layouts = [one.layout for one in prepared.parts]
    with ExitStack() as writing:
        sink = writing.enter_context(fault_table(faults[0] if faults else None))
        lines = forms_of(written, layouts, verify)
        run = prepared.run(progress, faults=sink, lines=lines)
        with opened(written, prepared.name, layouts, run.runs):
            pairs = zip(layouts, run.runs, strict=True)
            verifiers = [_verifier(*pair) for pair in pairs] if verify else []
            _write(run, written, verifiers)
            prepared.check_names(run)
            balance = prepared.balance(run)
            for file in written:
                file.finish(balance)
    if verifiers:
        if progress is not None:
            progress(RunProgress.of(balance.read, run.reader.measure, "checking"))
        for file in written:
            _verify(verifiers, file, layouts, balance)
    if not balance.balanced:
        for file in written:
            file.target.stand_aside("unbalanced")
    for one in (*(file.target for file in written), *faults):
        one.settle()
    for file in written:
        file.tell(balance)
    balance.notes = [*dict.fromkeys(balance.notes), *(note for one in faults for note in one.notes)]
    balance.notes += dict.fromkeys(
        note
        for at, layout in enumerate(layouts)
        for note in _without_use(layout, [one.target for one in written if at in one.tables])
    )
    for file in written:
        first = file.tables[0]
        if layouts[first].output.csvw and file.gets_metadata:
            _describe(layouts[first], run.runs[first], files, file.target, balance)
    return balance


def _without_use(layout: SettledLayout, targets: Sequence[Target]) -> list[str]:
    """What was asked for that none of the files can have."""
    output = layout.output
    formats = {format_of(one.name, output.format).name for one in targets}
    notes = []
    if output.with_balance and not formats & {"xlsx", "ods"}:
        notes.append("no workbook is written, so no sheet has the balance (`with-balance`)")
    if any(key.page_break for key in layout.group) and not formats & {"xlsx", "ods", "html"}:
        notes.append("no workbook or page is written, in which groups begin pages (`page-break`)")
    if output.level_column and not layout.by_level:
        notes.append("`level-column` is for columns by level; in others a column is `level()`")
    delimited = any(one.replaces and is_delimited(one.name, output.format) for one in targets)
    if output.csvw and not delimited:
        notes.append("no file of delimited text is written, so no metadata are (`csvw`)")
    return notes


def _describe(
    layout: SettledLayout, run: TableRun, files: FileSet, file: Target, balance: Balance
) -> None:
    """Write CSVW metadata beside a file of delimited text."""
    data = metadata(layout, run.columns, file.name)
    target = files.add(file.name + SUFFIX)  # one that is not ours stays beside
    target.write(data)
    target.settle()
    balance.notes += target.notes
    balance.files.append(FileCount(target.name, 0, len(data), target.replaced))


def _write(run: TablesRun, written: Sequence[TableFile], verifiers: Sequence[Verifier]) -> None:
    """Give each file its tables, some rows at a time."""
    for table, block in run.blocks():
        for file in written:
            if block:
                file.write(table, block)
            else:
                file.ended(table)
        if verifiers and block:
            verifiers[table].look_at(block)


def _verifier(layout: SettledLayout, run: TableRun) -> Verifier:
    """What reads the finished files again; most runs need none."""
    from ..outputs.checking.verifying import Verifier

    return Verifier(layout, run.columns, TemporaryRows())


def _verify(
    verifiers: Sequence[Verifier],
    written: TableFile,
    layouts: Sequence[SettledLayout],
    balance: Balance,
) -> None:
    """Read a finished file again; what differs does not balance."""
    target = written.target
    for place, at in enumerate(written.tables):
        format = format_of(target.name, layouts[at].output.format).name
        among = written.among(place)
        with target.whole() as file:
            wrong, said = verifiers[at].verified(file, target.name, format, among)
        balance.wrong = [*balance.wrong, *wrong]
        if not wrong:
            balance.notes.append(said)


@contextmanager
def _telling_placed(files: FileSet) -> Iterator[FileSet]:
    """Where one of several files can't be moved to its place, tell which were before it."""
    try:
        with files:
            yield files
    except FlatLedgerError as error:
        if files.placed():
            error.written = f"the table had been written to {', '.join(files.placed())}"
        raise


def _learn(layout: Layout, prepared: TablePreparations, files: FileSet, balance: Balance) -> None:
    """Take the new fields and keys into the note beside the layout; they are new no longer."""
    assert layout.path is not None
    drifts = [one.drift for one in balance.tables or [balance]]
    found = dict.fromkeys(name for drift in drifts for name in drift.new_fields)
    known = {*(prepared.parts[0].layout.known or ()), *found}
    keys: dict[str, tuple[str, ...]] = {}
    for part in prepared.parts:
        keys |= part.named_keys()
    target = files.add(note_of(layout.path), "replace", was_read=True)
    target.write(learnt(layout.path, known, keys).encode())
    target.settle()
    balance.learnt = Learnt(target.name, len(found), len(known), sum(map(len, keys.values())))
    for drift in drifts:
        drift.new_fields = []
