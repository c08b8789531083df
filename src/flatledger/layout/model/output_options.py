"""How a table is written, as a layout says it."""

from __future__ import annotations

from typing import Literal, get_args

import msgspec

IfThere = Literal["keep", "replace", "refuse", "number"]
IF_THERE: tuple[IfThere, ...] = get_args(IfThere)
Quote = Literal["needed", "texts", "all"]
SecondHeader = Literal["paths", "units", "datatypes"]


class Output(msgspec.Struct, frozen=True):
    """How the table is written. Names and meanings are CSVW's dialect description, where it has
    them.

    ``files`` are where it goes, each in the format of its name; a blank ``format`` is told by that.
    A file that is there already is replaced, and kept beside where it was changed by hand, unless
    ``if_there`` says otherwise.

    A blank ``delimiter`` is that of the form that is fitted, or a comma; a blank ``escape_char``
    doubles quotes. ``preamble`` are lines above the headings, and ``second_header`` are rows below
    them. ``line_break`` stands for a line break within a cell, if not itself; ``null`` for what is
    not there. Letters that the encoding lacks are refused, or replaced. ``formula_guard`` puts an
    apostrophe before texts that a spreadsheet would take for formulas.

    ``too_long`` cells of fixed-width text are refused or cut; those of a workbook, and rows that no
    sheet holds, are refused or continued (``beyond``). ``sheet`` is what the sheet is called.

    With columns by level, ``level_column`` puts the level's name first in delimited text, and each
    lower level stands ``indent`` cells further in; the rows of ``headings`` stand once, or above
    each family.
    """

    files: tuple[str, ...] = ()
    format: str = ""
    if_there: IfThere = "keep"
    formula_guard: bool = True
    delimiter: str = ""
    quote_char: str | None = '"'
    escape_char: str = ""
    quote: Quote = "needed"
    header: bool = True
    second_header: tuple[SecondHeader, ...] = ()
    preamble: tuple[str, ...] = ()
    line_terminator: str = "\r\n"
    line_break: str | None = None
    decimal_char: str = "."
    null: str = ""
    encoding: str = "utf-8"
    unencodable: Literal["refuse", "replace"] = "refuse"
    too_long: Literal["refuse", "cut"] = "refuse"
    beyond: Literal["refuse", "continue"] = "refuse"
    sheet: str = ""
    level_column: bool = False
    indent: int = 1
    headings: Literal["once", "each-family"] = "once"
    with_balance: bool = False
    csvw: bool = False
