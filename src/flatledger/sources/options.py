"""How a source is read, whatever its format."""

from __future__ import annotations

from typing import NamedTuple

from ..bounds import LARGEST_RECORD
from ..layout.source_options import TableReading
from ..structure.levels import Names


class Options(NamedTuple):
    """``records`` is the path of names to the records within a document, each of at most
    ``largest`` bytes; with ``double_keys`` a name that comes twice in an object is a fault.
    ``table`` is how a table is read.
    """

    records: Names = ()
    double_keys: bool = False
    largest: int = LARGEST_RECORD << 20
    table: TableReading = TableReading()


USUAL = Options()
