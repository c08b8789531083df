"""Reading `output`: where the table goes, and how it is written."""

from __future__ import annotations

import codecs
from pathlib import PurePath

from ..values.visible import STEERING
from .forms import CHARACTER, SWITCH, TEXT, choice, choice_of, read_text
from .model import IF_THERE, Output
from .names import LINE_TERMINATORS, proposal
from .reading import Form, Key, Reading, Section, object_schema, read_keys
from .text import Item, Scalar

_ENCODINGS = ("utf-8", "utf-8-bom", "utf-16", "iso-8859-1", "iso-8859-15", "windows-1252")
_NO_ENCODINGS = ("idna", "punycode", "undefined", "unicode_escape", "raw_unicode_escape")
_PIECE = 'a,"b"\r\n'


def _file(item: Item, where: str, reading: Reading) -> str:
    text = read_text(item, where, reading)
    path = PurePath(text)
    if STEERING.search(text):
        reading.fault(item, f"`{text}` holds a character that no file's name should have")
    if path.is_absolute() or ".." in path.parts:
        reading.fault(item, f"`{text}` leaves the folder; name such a file on the command line")
    return text


def _quote_char(item: Item, where: str, reading: Reading) -> str | None:
    if isinstance(item, Scalar) and item.text == "none":
        return None
    return CHARACTER.read(item, where, reading)


def _encoding(item: Item, where: str, reading: Reading) -> str:
    text = read_text(item, where, reading)
    name = "utf-8-sig" if text.lower() in ("utf-8-bom", "utf8-bom") else text
    try:
        info = codecs.lookup(name)
    except (LookupError, ValueError):
        hint = proposal(text, _ENCODINGS) or f"; for example {', '.join(_ENCODINGS)}"
        reading.fault(item, f"no encoding `{text}`{hint}")
        return "utf-8"
    if not getattr(info, "_is_text_encoding", True):
        reading.fault(item, f"`{text}` does not encode text; for example utf-8 does")
        return "utf-8"
    if not _encodes_in_pieces(info):
        reading.fault(item, f"`{text}` is no encoding for tables; for example utf-8 is")
        return "utf-8"
    return name


def _encodes_in_pieces(info: codecs.CodecInfo) -> bool:
    """Whether pieces of a table, each encoded on its own, make up the whole when put together."""
    if info.name.replace("-", "_") in _NO_ENCODINGS or info.incrementalencoder is None:
        return False
    try:
        encoder = info.incrementalencoder()
        data = b"".join(encoder.encode(_PIECE) for _ in range(2))
        return bool(info.decode(data)[0] == 2 * _PIECE)
    except (UnicodeError, LookupError, ValueError):
        return False


OUTPUT_KEYS: Section = {
    "file": Key(Form(_file, TEXT.schema), "Where the table goes; {name} is an answer."),
    "format": Key(TEXT, "The format, where the file's name does not tell it."),
    "delimiter": Key(CHARACTER, "What stands between cells: a character or its name."),
    "quote-char": Key(Form(_quote_char, TEXT.schema), "What stands around a cell, or none."),
    "quote": Key(choice_of({"needed": False, "all": True}), "Which cells are quoted.", "quote_all"),
    "header": Key(SWITCH, "Whether the headings are written."),
    "second-header": Key(choice(("none", "paths", "units")), "A second row of headings."),
    "line-terminator": Key(choice_of(LINE_TERMINATORS), "What ends a row."),
    "encoding": Key(Form(_encoding, TEXT.schema), f"For example {', '.join(_ENCODINGS)}."),
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
