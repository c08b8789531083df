"""How a source is read, whatever its format."""

from __future__ import annotations

from typing import NamedTuple, Self

from ...bounds import LARGEST_RECORD
from ...layout.model.source_options import SourceOptions, TableReading
from ...structure.levels import Names
from ...values.own_texts import TEXT


class Options(NamedTuple):
    """``records`` are the paths of names to the records within a document, each of at most
    ``largest`` bytes; with ``double_keys`` a name that comes twice in an object is a fault.
    ``table`` is how a table is read. ``namespaces`` are the prefixes of the names of elements. Only
    the names that are ``asked`` for are built, where a format has more than anybody wants (None: it
    is not known), unless it is all that is read. Several files are read ``as_named``, or in the
    natural order of their names. What can be read of a broken record is taken ``in_part``. The
    columns of a table that are ``declared`` in a layout are not read as metadata describe them. A
    document of which nobody can tell what its records are is one itself ``whole_if_mixed``.
    """

    records: tuple[Names, ...] = ()
    double_keys: bool = False
    largest: int = LARGEST_RECORD << 20
    table: TableReading = TableReading()
    namespaces: tuple[tuple[str, str], ...] = ()
    asked: frozenset[str] | None = None
    reads_all: bool = False
    as_named: bool = False
    skips_unreadable: bool = False
    in_part: bool = False
    declared: frozenset[str] = frozenset()
    whole_if_mixed: bool = False

    @classmethod
    def of(
        cls,
        how: SourceOptions,
        *,
        double_keys: bool = False,
        asked: frozenset[str] | None = None,
        reads_all: bool = False,
        declared: frozenset[str] = frozenset(),
    ) -> Self:
        """The options that a layout states."""
        largest = how.largest_record << 20
        return cls(
            how.records,
            double_keys,
            largest,
            how.table,
            how.namespaces,
            asked,
            reads_all,
            how.file_order == "as-named",
            how.unreadable_files == "skip",
            how.broken_records == "in-part",
            declared,
        )

    @property
    def keeps_text(self) -> bool:
        """Whether the text of all elements is asked for, also of those with none of their own."""
        return self.asked is not None and TEXT in self.asked

    def stated(self) -> list[str]:
        """The keys of a layout that say how a source of a certain format is read."""
        own = {"namespaces": self.namespaces, "broken-records": self.in_part}
        return [*(key for key, value in own.items() if value), *self.table.stated()]


USUAL = Options()
