"""The forms that the dialect of a source and that of an output have in common."""

from __future__ import annotations

import codecs

from ..model.names import CHARACTERS, LINE_TERMINATORS, proposal
from ..model.text import Item, Scalar
from .forms import CHARACTER, CHARACTERS_OR_NAME, TEXT, read_text
from .reading import Form, Reading

ENCODINGS = ("utf-8", "utf-8-bom", "utf-16", "iso-8859-1", "iso-8859-15", "windows-1252")
_NO_ENCODINGS = ("idna", "punycode", "undefined", "unicode_escape", "raw_unicode_escape")
_PIECE = 'a,"b"\\r\\n'


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
        hint = proposal(text, ENCODINGS) or f"; for example {', '.join(ENCODINGS)}"
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


def _delimiter(item: Item, where: str, reading: Reading) -> str:
    """One or several characters, or a name. Of several, letters are likely a name misspelt."""
    text = CHARACTERS_OR_NAME.read(item, where, reading)
    if len(text) > 1 and any(letter.isalnum() for letter in text):
        hint = proposal(text, CHARACTERS) or f"; the names are {', '.join(CHARACTERS)}"
        reading.fault(item, f"{where} takes characters or their name, not `{text}`{hint}")
        return ","
    return text


def _terminator(item: Item, where: str, reading: Reading) -> str:
    """A line break by its name, or other characters."""
    if isinstance(item, Scalar) and item.text in LINE_TERMINATORS:
        return LINE_TERMINATORS[item.text]
    return CHARACTERS_OR_NAME.read(item, where, reading)


DELIMITER = Form(_delimiter, TEXT.schema)
QUOTE_CHAR = Form(_quote_char, TEXT.schema)
ENCODING = Form(_encoding, TEXT.schema)
TERMINATOR = Form(_terminator, TEXT.schema)
