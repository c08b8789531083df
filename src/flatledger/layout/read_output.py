"""Reading `output`: where the table goes, and how it is written."""

from __future__ import annotations

from pathlib import PurePath

from ..values.visible import STEERING
from .dialect_forms import ENCODING, ENCODINGS, QUOTE_CHAR
from .forms import CHARACTER, SWITCH, TEXT, choice, choice_of, read_text
from .model import IF_THERE, Output
from .names import LINE_TERMINATORS
from .reading import Form, Key, Reading, Section, object_schema, read_keys
from .text import Item


def _file(item: Item, where: str, reading: Reading) -> str:
    text = read_text(item, where, reading)
    path = PurePath(text)
    if STEERING.search(text):
        reading.fault(item, f"`{text}` holds a character that no file's name should have")
    if path.is_absolute() or ".." in path.parts:
        reading.fault(item, f"`{text}` leaves the folder; name such a file on the command line")
    return text


OUTPUT_KEYS: Section = {
    "file": Key(Form(_file, TEXT.schema), "Where the table goes; {name} is an answer."),
    "format": Key(TEXT, "The format, where the file's name does not tell it."),
    "delimiter": Key(CHARACTER, "What stands between cells: a character or its name."),
    "quote-char": Key(QUOTE_CHAR, "What stands around a cell, or none."),
    "quote": Key(choice_of({"needed": False, "all": True}), "Which cells are quoted.", "quote_all"),
    "header": Key(SWITCH, "Whether the headings are written."),
    "second-header": Key(choice(("none", "paths", "units")), "A second row of headings."),
    "line-terminator": Key(choice_of(LINE_TERMINATORS), "What ends a row."),
    "encoding": Key(ENCODING, f"For example {', '.join(ENCODINGS)}."),
    "if-there": Key(choice(IF_THERE), "What becomes of a file that is there already."),
    "formula-guard": Key(SWITCH, "Whether texts that a spreadsheet would calculate are guarded."),
}


def _output(item: Item, where: str, reading: Reading) -> Output:
    keys = reading.mapping(item, where, OUTPUT_KEYS)
    output = Output(**read_keys(keys, OUTPUT_KEYS, reading))
    if output.quote_char == (output.delimiter or ","):
        reading.fault(item, "the delimiter and the quote character are the same; change one")
    for key, value in (("delimiter", output.delimiter), ("quote-char", output.quote_char)):
        if value in ("\r", "\n"):
            reading.fault(keys[key], f"`{key}` can't be a line break, which ends a row")
    return output


OUTPUT = Form(_output, object_schema(OUTPUT_KEYS))
