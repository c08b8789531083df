"""Several tables from one reading: each batch of records goes to one table after another."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

from ..layout.model.model import SettledLayout
from ..plan.plan import together
from ..structure.structure import Place
from ..structure.wanted import names_wanted
from .decoding import structure_met
from .pipeline import TableRun, batches_of, planned, tell
from .protocols import Progress, Row, RunServices, Source


class TablesRun:
    """Several layouts over one source, which is read and decoded once.

    What one of them filters out another still sees: what conditions kept is passed beside the
    records. ``runs`` are those of the tables, in their order.
    """

    def __init__(
        self,
        layouts: Sequence[SettledLayout],
        source: Source,
        services: Sequence[RunServices],
        *,
        progress: Progress | None = None,
        structure: Place | None = None,
        each: Callable[[], None] | None = None,
    ) -> None:
        """With ``structure`` what all records look like is known already. ``each`` is called before
        each batch, and before the tables end."""
        self._progress, self._each = progress, each
        reader = self.reader = source.open()
        try:
            wanted = frozenset[str]().union(*map(names_wanted, layouts))
            met = structure or structure_met(reader, wanted)
            if (definitions := services[0].definitions) is not None:  # which all of them have
                met.merge(definitions.structure)
            known = structure is not None
            plans = together([planned(one, reader, met, known) for one in layouts])
            lent = zip(plans, services, strict=True)
            self.runs = [TableRun(plan, reader, own) for plan, own in lent]
        except BaseException:
            reader.close()
            raise
        reader.keeps = lambda number: any(run.keeps(number) for run in self.runs)

    def blocks(self) -> Iterator[tuple[int, list[Row]]]:
        """The rows of the tables as they are given, with the place of their table; a table has
        ended where none of its rows stand in a block."""
        first = self.runs[0]
        with self.reader:
            for batch in batches_of(self.reader, first.plan, first.stepper.exact_type):
                if self._each is not None:
                    self._each()
                for place, run in enumerate(self.runs):
                    for block in run.take(batch):
                        yield place, block
                tell(self._progress, first, "reading")
        if self._each is not None:
            self._each()
        for place, run in enumerate(self.runs):
            for block in run.end():
                tell(self._progress, first, "writing")
                yield place, block
            yield place, []
