"""What a run needs before it begins, and beginning again where the first records misled it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from .compile.level_watch import LevelsDifferError
from .enriching import attached_counts, enriched, open_plain
from .errors import LayoutError, LevelsError
from .layout import Layout
from .run.balance import Balance
from .run.pipeline import Run
from .run.protocols import Progress, Source
from .sources import AnySource
from .sources.first_records import FirstRecords
from .sources.remembered import RememberedSource
from .spilling import TemporaryRows
from .spreading import unknown_spreads, with_columns
from .structure.levels import level_name, named_place
from .structure.missing_fields import judged
from .structure.structure import Place
from .structure.wanted import names_wanted
from .values.faults import Fault


class Preparation:
    """A layout with nothing open in it (answers, known fields, columns for keys and for a form),
    and its source. Raises LayoutError, AnswerError and SourceError.
    """

    def __init__(
        self,
        layout: Layout,
        source: AnySource,
        ask: Mapping[str, Any] | None,
        learn: bool = False,
        strict: bool = False,
        most: int | None = None,
    ) -> None:
        """With ``most`` only so many records are read, from the first."""
        self.layout = layout.answered(ask).noted(learn)
        self._structure: Place | None = None
        self._notes: list[str] = []
        self._plain = self._opened(source, strict, learn, most)
        self.source: Source = enriched(self.layout, self._plain)
        while True:
            try:
                spread = with_columns(self.layout, self.source, self._structure, learn)
                break
            except LevelsDifferError as wrong:
                self.begin_again(wrong)
        self.layout = spread.fitted(strict)

    def _opened(self, source: AnySource, strict: bool, learn: bool, most: int | None) -> Source:
        """The source as it is, so that it can be read as often as the layout needs it."""
        seeks = bool(unknown_spreads(self.layout, learn))
        keep = self.layout.model.levels is None or seeks
        plain = open_plain(self.layout, source, strict, keep)
        if seeks and not plain.again:
            plain = RememberedSource(plain, TemporaryRows())
        return plain if most is None else FirstRecords(plain, most)

    def run(
        self,
        progress: Progress | None = None,
        *,
        faults: Callable[[Fault], None] | None = None,
    ) -> Run:
        """The run that the layout asks for: rows of records or entries, or rows of groups.

        ``faults`` is called with each fault.
        """
        model, store = self.layout.model, TemporaryRows()
        return Run(model, self.source, progress, store, self._structure, faults)

    def begin_again(self, wrong: LevelsDifferError, given: bool = False) -> None:
        """Look at the whole source, so that the next run knows all its levels.

        Raises LevelsError where that can't be: rows were ``given``, or it can be read once only.
        """
        place = level_name(wrong.names)
        if given or not self._plain.again:
            raise LevelsError(self._message(wrong, given))
        known = None
        if self.layout.model.splits or self.layout.model.attachments:
            known = self._structure_of(self._plain)
        self.source = enriched(self.layout, self._plain, known)
        self._structure = self._structure_of(self.source)
        self._notes.append(
            f"record {wrong.number:,} has a list of several at {place}, where the first records "
            "have none; all records were looked at, and the run began again"
        )

    def _message(self, wrong: LevelsDifferError, given: bool) -> str:
        place = level_name(wrong.names)
        why = "rows were given already" if given else "the source can be read once only"
        return (
            f"record {wrong.number:,} has a list of several at {place}, where the first records "
            f"have none, and {why}. State all levels in the layout: `levels: [{place}, …]` if it "
            f"repeats; without {place} such a list is a fault"
        )

    def check_names(self, run: Run) -> None:
        """Raise LayoutError for a path that no record had and that is a slip of the pen.

        Others are pointed out. The names that there are come from all records, which are looked at
        once more where that can be done.
        """
        missing = run.missing()
        if not missing:
            return
        structure = run.plan.chain.structure
        if not run.saw_all and self.source.again:
            structure = self._structure_of(self.source)
        model = self.layout.model
        lacks = {level_name(place) for one in model.may_lack if (place := named_place(one.node))}
        found = judged(missing, structure, run.plan.used, lacks | {*(model.known or ())})
        if found.problems:
            raise LayoutError(model.name, found.problems)
        run.notices += found.notices

    def balance(self, run: Run) -> Balance:
        """The balance of a run that has ended, with what its source and its layout tell."""
        balance = run.balance()
        balance.attached = attached_counts(run.reader)
        balance.fit = self.layout.model.fit
        balance.notes += self._notes
        return balance

    def _structure_of(self, source: Source) -> Place:
        """The structure of all records of a source, as far as the layout asks for it."""
        structure = Place(names_wanted(self.layout.model))
        with source.open() as reader:
            for batch in reader.batches():
                for number, record in zip(batch.numbers, batch.records, strict=True):
                    structure.add(record, number)
        return structure
