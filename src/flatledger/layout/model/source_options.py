"""How a source is read, as a layout says it."""

from __future__ import annotations

from typing import Literal

import msgspec

from ...bounds import LARGEST_RECORD

CATALOGUE = "marc"  # the format whose layouts have a notation of their own
PHOTOS = "photos"
NAMED_BY_A_STANDARD = (CATALOGUE, PHOTOS)  # formats of which hardly a record has every field


class TotalRowReading(msgspec.Struct, frozen=True):
    """What becomes of rows of a table that are totals already: nothing is ``said``, they are kept,
    or dropped. ``drop`` are the columns that are blank in them, to be found where none are stated;
    ``before``: they stand before what they sum up. Where all was looked at first, ``rows`` are
    those that sum up others.
    """

    said: Literal["", "keep", "drop"] = ""
    drop: tuple[str, ...] = ()
    before: bool = False
    rows: frozenset[int] | None = None

    @property
    def needs_look(self) -> bool:
        """Whether the whole table has to be looked at first."""
        return self.said == "drop" and self.rows is None and (self.before or not self.drop)


class TableReading(msgspec.Struct, frozen=True):
    """How records are read that are rows of a table: of delimited text, fixed widths, a workbook.

    Names and meanings are those of CSVW's dialect description. What is blank or None is found by
    looking. ``headings`` are names to take in place of those in the table; with ``nested`` a
    heading is a path (`Line.Part`). ``widths`` are the headings of fixed-width text with the number
    of characters of each. ``formula_guard`` takes the apostrophe off texts that look like formulas.

    ``sheet`` and ``range`` say where a workbook's table is: a range of cells, a named one, or a
    table by its name. A merged cell's value stands in its first cell, or in each (``fill_merged``);
    rows that are hidden take part unless ``hidden_rows`` says otherwise. ``largest_unpacked`` is in
    megabytes. ``total_rows`` says what becomes of rows that sum up others, ``short_rows`` of those
    that end early.
    """

    delimiter: str = ""
    quote_char: str | None = ""
    escape_char: str = ""
    line_terminator: str = ""
    encoding: str = ""
    header_row_count: int | None = None
    skip_rows: int | None = None
    comment_prefix: str = ""
    headings: tuple[str, ...] = ()
    nested: bool = False
    widths: tuple[tuple[str, int], ...] = ()
    formula_guard: bool = False
    sheet: str = ""
    range: str = ""
    fill_merged: bool = False
    hidden_rows: Literal["keep", "drop"] = "keep"
    largest_unpacked: int = 0  # by the size of the file
    total_rows: TotalRowReading = TotalRowReading()
    short_rows: Literal["drop", "blank"] = "drop"

    def stated(self) -> list[str]:
        """The keys of a layout that say anything here.

        >>> TableReading(delimiter=";", nested=True).stated()
        ['delimiter', 'headings']
        """
        usual = TableReading()
        names = [one for one in self.__struct_fields__ if getattr(self, one) != getattr(usual, one)]
        keys = ("headings" if one == "nested" else one.replace("_", "-") for one in names)
        return list(dict.fromkeys(keys))


class SourceOptions(msgspec.Struct, frozen=True):
    """How a source is read: ``records`` are the paths of names to the records within a document,
    each of at most ``largest_record`` megabytes; a blank ``format`` is found by looking.
    ``namespaces`` are prefixes, each with what it stands for. Of several files ``file_order`` says
    in which order they are read, and ``unreadable_files`` what becomes of one that can't be;
    ``broken_records`` whether what can be read of a catalogue's broken records is taken.
    """

    records: tuple[tuple[str, ...], ...] = ()
    namespaces: tuple[tuple[str, str], ...] = ()
    file_order: Literal["natural", "as-named"] = "natural"
    unreadable_files: Literal["stop", "skip"] = "stop"
    broken_records: Literal["drop", "in-part"] = "drop"
    format: str = ""
    largest_record: int = LARGEST_RECORD
    table: TableReading = TableReading()

    @property
    def stated_format(self) -> str:
        """The format that is stated, be it by the widths of its columns; blank where none is."""
        return self.format or ("fixed-width" if self.table.widths else "")
