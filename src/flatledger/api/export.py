"""An export: a layout, a source and a place to write to, brought together."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from os import PathLike
from typing import TYPE_CHECKING, Any, Literal, cast

from ..errors import FaultsFoundError, FlatLedgerError
from ..layout.model.model import SettledLayout
from ..layout.model.note import note_of
from ..layout.model.output_options import IF_THERE, IfThere, Output
from ..layout.settling.settling import output_of
from ..outputs import Destination, Target, open_writer
from ..outputs.cells.writer import LineWriter, Writer
from ..outputs.documents.csvw import SUFFIX, metadata
from ..outputs.documents.fault_table import fault_table
from ..outputs.formats import format_of, is_delimited, line_form_of
from ..outputs.places.file_set import FileSet
from ..outputs.places.names import is_file
from ..run.balance import Balance, FileCount, Learnt
from ..run.pipeline import Run
from ..run.protocols import Progress, RunProgress
from ..sources import AnySource
from ..structure.levels import LevelsDifferError
from . import logs
from .arguments import check_choice, check_given
from .layout import AnyLayout, Layout
from .notes import learnt
from .places import OutputPlaces, check_places, check_verified, tables_of
from .preparing import Preparation, given_for
from .spilling import TemporaryRows

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
    given = given_for(stated, ask, learn=learn, strict=strict)
    output = output_of(stated.request, given)
    places = OutputPlaces(
        tables_of(to, output),
        faults_to,
        report_to,
        if_there or output.if_there,
    )
    apart = check_places(places, source, stated, output, learn=learn)
    if verify:
        check_verified(places, output)
    prepared = Preparation(stated, source, given, learn=learn, verify_all=verify == "all")
    learning = stated if learn else None
    while True:
        try:
            with _telling_placed(FileSet(apart)) as files:
                balance = _exported(prepared, places, files, progress, learning, bool(verify))
            return _nothing_told(balance) if strict else balance
        except LevelsDifferError as wrong:
            seen = any(map(_is_stream, (*places.tables, places.faults)))
            prepared.begin_again(wrong, given=seen)


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
    prepared: Preparation,
    places: OutputPlaces,
    files: FileSet,
    progress: Progress | None,
    learning: Layout | None,
    verify: bool,
) -> Balance:
    """Write the table with what goes with it; the balance, which is the last of it."""
    tables, faults, report = (
        [files.add(one, places.if_there) for one in some if one is not None]
        for some in (places.tables, [places.faults], [places.report])
    )
    balance = _table(prepared, files, tables, faults, progress, verify)
    if learning is not None:
        _learn(learning, prepared, files, balance)
    logs.ended(prepared.layout.name, balance)
    for one in report:
        one.write(balance.to_json())
        one.settle()
        balance.notes += one.notes
    return balance


def _table(
    prepared: Preparation,
    files: FileSet,
    targets: Sequence[Target],
    faults: Sequence[Target],
    progress: Progress | None,
    verify: bool,
) -> Balance:
    """Write the table, and the faults beside it; the balance, which decides what it is called."""
    layout = prepared.layout
    with ExitStack() as writing:
        sink = writing.enter_context(fault_table(faults[0] if faults else None))
        stated = layout.output.format
        alone = len(targets) == 1 and not verify  # then nothing but its text is wanted of a row
        lines = line_form_of(targets[0].name, stated) if alone else None
        run = prepared.run(progress, faults=sink, lines=lines)
        with ExitStack() as tables:
            writers = [
                tables.enter_context(open_writer(layout, target, run.columns, run.reader.name))
                for target in targets
            ]
            tables.enter_context(_telling_rows(writers, targets))
            verifier = _verifier(layout, run) if verify else None
            _write(run, writers, verifier)
            prepared.check_names(run)
            balance = prepared.balance(run)
            for writer in writers:
                writer.finish(balance)
    if verifier is not None:
        if progress is not None:
            progress(RunProgress.of(balance.read, run.reader.measure, "checking"))
        _verify(verifier, targets, layout.output.format, balance)
    if not balance.balanced:
        for target in targets:
            target.stand_aside("unbalanced")
    for one in (*targets, *faults):
        one.settle()
    for writer, target in zip(writers, targets, strict=True):
        balance.notes += [*writer.notes(), *target.notes]
        balance.files.append(FileCount(target.name, writer.rows, writer.bytes, target.replaced))
    balance.notes = [*dict.fromkeys(balance.notes), *(note for one in faults for note in one.notes)]
    balance.notes += _without_use(layout, targets)
    if layout.output.csvw:
        _describe(prepared, run, files, targets, balance)
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
    if output.csvw and not any(_gets_metadata(output, one) for one in targets):
        notes.append("no file of delimited text is written, so no metadata are (`csvw`)")
    return notes


def _gets_metadata(output: Output, target: Target) -> bool:
    return target.replaces and is_delimited(target.name, output.format)


def _describe(
    prepared: Preparation, run: Run, files: FileSet, targets: Sequence[Target], balance: Balance
) -> None:
    """Write CSVW metadata beside each file of delimited text."""
    for file in targets:
        if _gets_metadata(prepared.layout.output, file):
            data = metadata(prepared.layout, run.columns, file.name)
            target = files.add(file.name + SUFFIX)  # one that is not ours stays beside
            target.write(data)
            target.settle()
            balance.notes += target.notes
            balance.files.append(FileCount(target.name, 0, len(data), target.replaced))


def _write(run: Run, writers: Sequence[Writer], verifier: Verifier | None) -> None:
    """Give each writer the table, some rows at a time."""
    for block in run.blocks():
        for writer in writers:
            if run.gives_lines:
                cast(LineWriter, writer).write_lines(block)
            else:
                writer.write(block)
        if verifier is not None:
            verifier.look_at(block)


def _verifier(layout: SettledLayout, run: Run) -> Verifier:
    """What reads the finished files again; most runs need none."""
    from ..outputs.checking.verifying import Verifier

    return Verifier(layout, run.columns, TemporaryRows())


def _verify(verifier: Verifier, targets: Sequence[Target], stated: str, balance: Balance) -> None:
    """Read each finished file again; what differs does not balance."""
    for target in targets:
        with target.whole() as file:
            format = format_of(target.name, stated).name
            wrong, said = verifier.verified(file, target.name, format)
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


@contextmanager
def _telling_rows(writers: Sequence[Writer], targets: Sequence[Target]) -> Iterator[None]:
    """Where an error ends a run, tell what a stream had been given: it can't be taken back."""
    try:
        yield
    except FlatLedgerError as error:
        from ..reports.words import counted

        for writer, target in zip(writers, targets, strict=True):
            if not target.replaces and writer.bytes:
                given = counted(writer.rows, "row")
                error.written = f"{given} had been given to {target.name}"
        raise


def _learn(layout: Layout, prepared: Preparation, files: FileSet, balance: Balance) -> None:
    """Take the new fields and keys into the note beside the layout; they are new no longer."""
    assert layout.path is not None
    known = {*(prepared.layout.known or ()), *balance.drift.new_fields}
    keys = prepared.named_keys()
    target = files.add(note_of(layout.path), "replace", was_read=True)
    target.write(learnt(layout.path, known, keys).encode())
    target.settle()
    new, named = len(balance.drift.new_fields), sum(map(len, keys.values()))
    balance.learnt = Learnt(target.name, new, len(known), named)
    balance.drift.new_fields = []
