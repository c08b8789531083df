"""How a source is read, whatever its format."""

from __future__ import annotations

from typing import NamedTuple, Self

from ..bounds import LARGEST_RECORD
from ..layout.source_options import SourceOptions, TableReading
from ..structure.levels import Names


class Options(NamedTuple):
    """``records`` are the paths of names to the records within a document, each of at most
    ``largest`` bytes; with ``double_keys`` a name that comes twice in an object is a fault.
    ``table`` is how a table is read. ``namespaces`` are the prefixes of the names of elements; with
    ``keeps_text`` the text of all elements is asked for, also of those with none of their own.
    Several files are read ``as_named``, or in the natural order of their names.
    """

    records: tuple[Names, ...] = ()
    double_keys: bool = False
    largest: int = LARGEST_RECORD << 20
    table: TableReading = TableReading()
    namespaces: tuple[tuple[str, str], ...] = ()
    keeps_text: bool = False
    as_named: bool = False
    skips_unreadable: bool = False

    @classmethod
    def of(cls, how: SourceOptions, *, double_keys: bool = False, keeps_text: bool = False) -> Self:
        """The options that a layout states."""
        largest = how.largest_record << 20
        return cls(
            how.records,
            double_keys,
            largest,
            how.table,
            how.namespaces,
            keeps_text,
            how.file_order == "as-named",
            how.unreadable_files == "skip",
        )

    def stated(self) -> list[str]:
        """The keys of a layout that say how a source of a certain format is read."""
        return [*(["namespaces"] if self.namespaces else []), *self.table.stated()]


USUAL = Options()
