"""What a run needs before it begins, and beginning again where the first records misled it."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from ..errors import LayoutError, LevelsError, SourceError
from ..language.nodes import FieldPath
from ..layout.model.source_options import NAMED_BY_A_STANDARD
from ..layout.model.text import scalar
from ..layout.settling.settling import Given, settle
from ..outputs.cells.finishing import group_wording
from ..plan.plan import Plan
from ..reference.definition import defined_for
from ..run.balance import Balance, BegunAgain, OpenedBy
from ..run.pipeline import Run, TableRun
from ..run.protocols import NodeDefinitions, Progress, RunServices, Source, TextForm, no_lines
from ..sources import AnySource
from ..sources.shaping.first_records import FirstRecords
from ..sources.shaping.remembered import RememberedSource
from ..structure.levels import KnownLevels, LevelsDifferError, Names, named_place, plain_steps
from ..structure.missing_fields import MissingPath, judged, named_places, nothing_met, what_is_there
from ..structure.record_kinds import kinds_told
from ..structure.structure import Place
from ..structure.wanted import names_wanted
from ..values.faults import Fault
from . import logs
from .column_keys import keys_of, keys_sought
from .layout import Layout
from .notes import note_beside
from .opening import definitions_of, enriched, open_plain
from .results import ShownBalance
from .spilling import TemporaryRows

_HEADINGS_SHOWN = 10


def given_for(
    layout: Layout, ask: Mapping[str, Any] | None, *, learn: bool = False, strict: bool = False
) -> Given:
    """What is known when a run of a layout begins. Raises LayoutError for the note beside it."""
    return Given(ask or {}, dt.datetime.now(), note_beside(layout, learn=learn), strict)


class Preparation:
    """A layout that is settled, and its source. Raises LayoutError, AnswerError and SourceError.

    ``keys`` are those that its columns are made for, by heading.
    """

    def __init__(
        self,
        layout: Layout,
        source: AnySource,
        given: Given,
        *,
        learn: bool = False,
        most: int | None = None,
        double_keys: bool = False,
        verify_all: bool = False,
        beside: Preparation | None = None,
        again: bool = False,
        wanted: frozenset[str] | None = None,
    ) -> None:
        """With ``learn`` keys are looked for that the note does not know; with ``most`` only so
        many records are read, from the first; names that come twice in an object are looked for
        with ``double_keys``. With ``verify_all`` every record is read again by definition. What is
        prepared ``beside`` another reads the same source; it has to be there ``again`` where one of
        them wants that, and the names ``wanted`` of its structure are those of all."""
        self._double_keys = double_keys or given.strict
        self._verify_all = verify_all
        self.structure: Place | None = None
        self._whole: Place | None = None  # of all records, looked at when a run has ended
        self._told: set[Names] = set()  # places that no record had, and that were pointed out
        self._begun_again: list[BegunAgain] = []
        self._definitions: NodeDefinitions | None = None
        self._seeking = keys_sought(layout.request, given, learn=learn)
        self._wanted = wanted or names_wanted(layout.request)
        if beside is None:
            self._plain = self._opened(layout, source, again, most)
        else:
            self._plain = beside._plain
        self._request, self._given = layout.request, given
        self.source: Source = (
            enriched(layout.request, self._plain) if beside is None else beside.source
        )
        found = self._found_keys()
        self.keys = keys_of(layout.request, given, found)
        self.layout = settle(layout.request, given, self.keys)

    def _opened(self, layout: Layout, source: AnySource, again: bool, most: int | None) -> Source:
        """The source as it is, so that it can be read as often as the layout needs it."""
        again = again or self._seeking is not None
        keep = layout.request.levels is None or again
        plain = open_plain(layout.request, source, double_keys=self._double_keys, keep=keep)
        by = layout.request.opens_by
        twice = again or (by is not None and not by.file)
        if twice and not plain.again:
            plain = RememberedSource(plain, TemporaryRows())
        return plain if most is None else FirstRecords(plain, most)

    def _found_keys(self) -> Mapping[str, list[str]]:
        """The keys that the source has, for the columns of which they are not known."""
        while self._seeking is not None:
            try:
                definitions = definitions_of(self._request, self.source)
                return self._seeking.found(self.source, self.structure, definitions)
            except LevelsDifferError as wrong:
                self.begin_again(wrong)
        return {}

    def run(
        self,
        progress: Progress | None = None,
        *,
        faults: Callable[[Fault], None] | None = None,
        lines: Callable[[Plan], TextForm | None] | None = None,
    ) -> Run:
        """The run that the layout asks for: rows of records or entries, or rows of groups.

        ``faults`` is called with each fault. Where nothing but lines of text is wanted of rows,
        ``lines`` says how these are made.
        """
        services = self.services(faults=faults, lines=lines)
        structure = self.structure
        return Run(self.layout, self.source, services, progress=progress, structure=structure)

    def services(
        self,
        *,
        faults: Callable[[Fault], None] | None = None,
        lines: Callable[[Plan], TextForm | None] | None = None,
    ) -> RunServices:
        """What a run is lent."""
        logs.begun(self.layout.name, self.source.name)
        self._definitions = definitions_of(self._request, self.source)
        return RunServices(
            TemporaryRows(),
            faults,
            group_wording,
            self._definitions,
            define=defined_for(self.layout),
            verify_all=self._verify_all,
            lines=lines or no_lines,
        )

    def as_after(self, other: Preparation) -> None:
        """Know what another one has found out about the source that both read."""
        self.source, self._plain, self.structure = other.source, other._plain, other.structure
        self._begun_again, self._whole = other._begun_again, other._whole

    def begin_again(self, wrong: LevelsDifferError, *, given: bool = False) -> None:
        """Look at the whole source, so that the next run knows all its levels.

        Raises LevelsError where that can't be: rows were ``given``, or it can be read once only.
        """
        place = KnownLevels(format=self._request.source.format).called(wrong.names)
        again = BegunAgain(wrong.number, place, nests=wrong.nests, several=wrong.several)
        if given or not self._plain.again:
            raise LevelsError(_message(again, wrong.names, given)) from None
        known = None
        if self._request.splits or self._request.lookups:
            known = self._structure_of(self._plain)
        self.source = enriched(self._request, self._plain, known)
        self.structure = self._structure_of(self.source)
        self._begun_again.append(again)

    def check_names(self, run: TableRun) -> None:
        """Raise LayoutError for a path that no record had and that is mistyped.

        Others are pointed out. The names that there are come from all records, which are looked at
        once more where that can be done.
        """
        missing = run.missing()
        self._check_declared(run)
        self._told = self._judge_missing(run, missing) if missing else set()
        self._stop_at_nothing(run, missing)

    def _judge_missing(self, run: TableRun, missing: list[MissingPath]) -> set[Names]:
        """Judge the paths that no record had; those that were pointed out. Raises LayoutError."""
        structure = self._all_met(run)
        layout = self.layout
        known = run.plan.chain.known
        lacks = {known.called(place) for one in layout.may_lack if (place := named_place(one.node))}
        found = judged(missing, structure, known, run.plan.used, lacks | {*(layout.known or ())})
        by_a_standard = run.reader.states.get("format") in NAMED_BY_A_STANDARD
        if found.problems and not by_a_standard:
            raise LayoutError(layout.name, found.problems)
        run.notices += [*(one.message for one in found.problems), *found.notices]
        return found.told

    def _stop_at_nothing(self, run: TableRun, missing: list[MissingPath]) -> None:
        """Raise SourceError where no record had any field that columns and conditions name."""
        chain, layout = run.plan.chain, self.layout
        if run.reader.states.get("format") in NAMED_BY_A_STANDARD or not missing:
            return
        values = [one.value for one in layout.columns if one.value is not None]
        values += [one.value for one in layout.row_per_group if one.value is not None]
        values += [one.value for one in layout.conditions]
        made = {one.name for one in layout.lookups} | {one.name for one in layout.splits}
        lacks = {place for one in layout.may_lack if (place := named_place(one.node))}
        places = {
            names
            for names in named_places(values, chain)
            if names not in lacks and not made.intersection(names)
        }
        absent = {one.names for one in missing}
        if not places or not all(
            any(names[: len(one)] == one or one[: len(names)] == names for one in absent)
            for names in places
        ):
            return
        structure = self._all_met(run)
        if nothing_met(places, structure):
            has = what_is_there(structure)
            raise SourceError(
                f"none of the fields that the layout names is in {run.reader.name}, which has "
                f"{has}; is it the right source?"
            )

    def _tell_blank_columns(self, run: TableRun, balance: Balance) -> None:
        """Tell of columns without a value in any row. It is pointed out, but where no record need
        have the field, or that has been pointed out already."""
        lacks = {place for one in self.layout.may_lack if (place := named_place(one.node))}
        values = {one.heading: one.value for one in self.layout.columns if one.value is not None}
        by_a_standard = run.reader.states.get("format") in NAMED_BY_A_STANDARD
        odd, known = list[str](), list[str]()
        for heading in balance.drift.blank_columns:
            places = named_places([values[heading]], run.plan.chain) - {()}
            told = any(names[: len(one)] == one for names in places for one in self._told)
            usual = by_a_standard or not places or places & lacks or told
            (known if usual else odd).append(heading)
        unread = [one for one in odd if one in balance.drift.unread_columns]
        blank = [one for one in odd if one not in unread]
        balance.notices = [
            *balance.notices,
            *([f"no row has a value in {_listed(blank)}"] if blank else []),
            *([f"nothing could be read in {_listed(unread)}"] if unread else []),
        ]
        balance.notes += [f"no row has a value in {_listed(known)}"] if known else []

    def _check_declared(self, run: TableRun) -> None:
        """Point out a declared field that no record has and nothing else uses."""
        chain = run.plan.chain
        for one in self.layout.fields:
            assert isinstance(one.expression.node, FieldPath)
            names = plain_steps(one.expression.node, chain)[0]
            if names in run.plan.used or chain.structure.find(names) is not None:
                continue
            surely = run.saw_all or self.source.again
            if surely and self._all_met(run).find(names) is None:
                run.notices.append(f"`fields` declares {one.expression.text}, which no record has")

    def named_keys(self) -> dict[str, tuple[str, ...]]:
        """All keys that are known by now, by what the columns for them are named by."""
        known = dict(self._given.note.keys) if self._given.note is not None else {}
        for column in self._request.columns:
            if column.spread is not None:
                known[column.spread.name] = tuple(self.keys[column.heading])
        return known

    def balance(self, run: TableRun, *, closely: bool = False) -> ShownBalance:
        """The balance of a run that has ended, with what its source and its layout tell. With
        ``closely`` a table is looked through for rows that are sums without a word for it too."""
        balance = ShownBalance.of(run.balance())
        if self.layout.lookups:
            from .side_lists import lookup_counts

            balance.lookups = lookup_counts(run.reader)
        balance.opened_by = opened_by(self._definitions)
        balance.fit = self.layout.fit
        balance.begun_again = self._begun_again
        self._tell_blank_columns(run, balance)
        self._tell_total_rows(run, balance, closely)
        if balance.checked is None and balance.read:
            why = "rows that become a tree, and nodes that are opened so far only, are not"
            balance.notes = [f"not checked again by definition: {why}", *balance.notes]
        balance.notes = [*kinds_told(run.first, names_wanted(self._request)), *balance.notes]
        return balance

    def _tell_total_rows(self, run: TableRun, balance: Balance, closely: bool) -> None:
        """Point out rows that are totals of others, where rows are labelled so and nobody has said
        what becomes of them; the source is looked at once more where that can be done."""
        labelled = run.reader.account.labelled
        if not labelled and not closely:
            return
        from .total_rows import notices_of, total_rows_of

        closely = closely and not self.layout.source.table.total_rows.said
        if self._plain.again and (labelled or closely):
            told = notices_of(total_rows_of(self._plain), unlabelled=closely)
        else:
            told = [f"{one} is labelled as a total; does it sum up others?" for one in labelled[:1]]
        balance.notices = [*balance.notices, *told]

    def _all_met(self, run: TableRun) -> Place:
        """The structure of all records, where they can be read once more; else of the first."""
        if run.saw_all or not self.source.again:
            return run.plan.chain.structure
        if self._whole is None:
            self._whole = self._structure_of(self.source)
        return self._whole

    def _structure_of(self, source: Source) -> Place:
        """The structure of all records of a source, as far as the layout asks for it."""
        structure = Place(self._wanted)
        with source.open() as reader:
            structure.marked_as(reader)
            for batch in reader.batches():
                for number, record in zip(batch.numbers, batch.records, strict=True):
                    structure.add(record, number)
        return structure


def _listed(headings: Sequence[str]) -> str:
    """Headings in a sentence, the first of them."""
    more = len(headings) - _HEADINGS_SHOWN
    shown = ", ".join(f"`{one}`" for one in headings[:_HEADINGS_SHOWN])
    return f"{shown} and {more:,} more columns" if more > 0 else shown


def _message(wrong: BegunAgain, names: Names, given: bool) -> str:
    place = wrong.level
    start = f"record {wrong.record:,} has {wrong.met}, where the first records have none"
    why = "rows were given already" if given else "the source can be read once only"
    if wrong.nests:
        nests = f"nests: {{{scalar(place)}: {scalar(names[-1])}}}"
        return f"{start}, and {why}. Say so in the layout: `{nests}`"
    return (
        f"{start}, and {why}. State all levels in the layout: `levels: [{scalar(place)}, …]` if it "
        f"repeats; without {place} a list of several there is a fault"
    )


# ---- what became of the definitions by which nodes of a tree were opened


SHOWN = 5


def opened_by(definitions: NodeDefinitions | None) -> OpenedBy | None:
    """What became of the definitions, once a run has ended."""
    if definitions is None:
        return None
    unused = [name for name in definitions.nodes if name not in definitions.used]
    return OpenedBy(
        file=definitions.file,
        definitions=len(definitions.nodes),
        used=len(definitions.used),
        unused=len(unused) if definitions.file else 0,
        first_unused=unused[:SHOWN] if definitions.file else [],
        double=len(definitions.double),
        first_double=list(definitions.double)[:SHOWN],
        nameless=definitions.nameless,
    )
