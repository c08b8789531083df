"""Reading `output`: where the table goes, and how it is written."""

from __future__ import annotations

from pathlib import PurePath

from ...values.visible import STEERING
from ..model.output_options import IF_THERE, Output
from ..model.text import Item, Scalar
from .dialect_forms import DELIMITER, ENCODING, ENCODINGS, QUOTE_CHAR, TERMINATOR
from .forms import (
    CHARACTER,
    CHARACTERS_OR_NAME,
    SWITCH,
    TEXT,
    choice,
    choice_of,
    list_of,
    read_text,
    whole_number,
)
from .reading import Form, Key, Reading, Section, object_schema, one_or_more, read_keys


def _file(item: Item, where: str, reading: Reading) -> str:
    text = read_text(item, where, reading)
    path = PurePath(text)
    if STEERING.search(text):
        reading.fault(item, f"`{text}` holds a character that no file's name should have")
    if path.is_absolute() or ".." in path.parts:
        reading.fault(item, f"`{text}` leaves the folder; name such a file on the command line")
    return text


def _line_break(item: Item, where: str, reading: Reading) -> str | None:
    if isinstance(item, Scalar) and item.text == "keep":
        return None
    return CHARACTERS_OR_NAME.read(item, where, reading)


def _second(item: Item, where: str, reading: Reading) -> tuple[str, ...]:
    if isinstance(item, Scalar) and item.text == "none":
        return ()
    return list_of(choice(("paths", "units", "datatypes"))).read(item, where, reading)


_SECOND = Form(_second, one_or_more({"enum": ["none", "paths", "units", "datatypes"]}))
LINE_BREAK = Form(_line_break, TEXT.schema)
OUTPUT_KEYS: Section = {
    "file": Key(
        list_of(Form(_file, TEXT.schema)),
        "Where the table goes; {name} is an answer, {run-date} the day of the run.",
        "files",
    ),
    "format": Key(TEXT, "The format, where the file's name does not tell it."),
    "delimiter": Key(DELIMITER, "What stands between cells: characters or a name."),
    "quote-char": Key(QUOTE_CHAR, "What stands around a cell, or none."),
    "escape-char": Key(CHARACTER, "What stands before a quote within quotes, if not a quote."),
    "quote": Key(choice(("needed", "texts", "all")), "Which cells are quoted."),
    "header": Key(SWITCH, "Whether the headings are written."),
    "second-header": Key(_SECOND, "Further rows of headings."),
    "preamble": Key(list_of(TEXT), "Lines above the headings; {name} is an answer."),
    "line-terminator": Key(TERMINATOR, "What ends a row."),
    "line-break": Key(LINE_BREAK, "What a line break within a cell becomes; keep: it stays."),
    "decimal-char": Key(choice_of({"point": ".", "comma": ","}), "What stands before decimals."),
    "null": Key(TEXT, "What is written where there is no value."),
    "encoding": Key(ENCODING, f"For example {', '.join(ENCODINGS)}."),
    "unencodable": Key(choice(("refuse", "replace")), "What becomes of letters that it lacks."),
    "too-long": Key(choice(("refuse", "cut")), "What becomes of cells beyond a column's width."),
    "beyond": Key(choice(("refuse", "continue")), "What becomes of what a sheet can't hold."),
    "sheet": Key(TEXT, "What the sheet of a workbook is called."),
    "level-column": Key(SWITCH, "Whether the name of a row's level comes first."),
    "indent": Key(whole_number(20), "How many cells each lower level of a stack is moved in."),
    "headings": Key(
        choice(("once", "each-family")), "Where the headings of columns by level stand."
    ),
    "with-balance": Key(SWITCH, "Whether a workbook has sheets for the balance and the faults."),
    "csvw": Key(SWITCH, "Whether CSVW metadata are written beside delimited text."),
    "if-there": Key(choice(IF_THERE), "What becomes of a file that is there already."),
    "formula-guard": Key(SWITCH, "Whether texts that a spreadsheet would calculate are guarded."),
}


def _output(item: Item, where: str, reading: Reading) -> Output:
    keys = reading.mapping(item, where, OUTPUT_KEYS)
    output = Output(**read_keys(keys, OUTPUT_KEYS, reading))
    delimiter = output.delimiter or ","
    if output.quote_char is not None and output.quote_char in delimiter:
        reading.fault(item, "the delimiter and the quote character are the same; change one")
    for key, value in (("delimiter", delimiter), ("quote-char", output.quote_char or "")):
        if "\r" in value or "\n" in value:
            reading.fault(keys[key], f"`{key}` can't be a line break, which ends a row")
    if output.escape_char and output.escape_char in (output.quote_char, *delimiter):
        reading.fault(keys["escape-char"], "the escape character is the delimiter or the quote")
    if {*output.line_terminator} & {*delimiter, output.quote_char, output.escape_char}:
        says = "a row ends with the delimiter, the quote or the escape character; change one"
        reading.fault(keys["line-terminator"], says)
    return output


OUTPUT = Form(_output, object_schema(OUTPUT_KEYS))
