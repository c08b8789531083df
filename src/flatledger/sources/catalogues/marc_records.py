"""One record of ISO 2709, as MARC 21 has it: a leader, a directory, and fields with subfields.

The structure is read here and not by pymarc, which takes data as it comes where the directory is
wrong; its tables are what MARC-8 is read by.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from contextlib import redirect_stderr
from typing import NamedTuple

from pymarc.marc8 import MARC8ToUnicode

END_OF_RECORD, END_OF_FIELD, DELIMITER = b"\x1d", b"\x1e", "\x1f"
_LEADER, _ENTRY = 24, 12
_ESCAPE = b"\x1b"
_GENERAL_DATA, _CHARSET = "100", slice(26, 30)  # of UNIMARC


class BrokenRecordError(Exception):
    """A record is not as ISO 2709 has it; ``read`` is what of it could be read."""

    def __init__(self, reason: str, read: CatalogueRecord | None = None) -> None:
        super().__init__(reason)
        self.read = read


class BadFieldError(Exception):
    """A field can't be read; its record stays without it."""


class BadField(NamedTuple):
    """A field that was left out: what stands there, and why."""

    text: str
    why: str


class CatalogueField(NamedTuple):
    """A field: a control field has a ``value``, others indicators and subfields by their codes."""

    tag: str
    value: str | None = None
    ind1: str = " "
    ind2: str = " "
    subfields: Sequence[tuple[str, str]] = ()


class CatalogueRecord(NamedTuple):
    """A record of a catalogue: its leader, and its fields in their order."""

    leader: str
    fields: list[CatalogueField]


class Characters:
    """Reads the texts of one record: in an encoding that is stated, in UTF-8 where the leader says
    so or they are such, else in MARC-8.

    ``bad`` says that a byte means nothing in the sets that were chosen.
    """

    def __init__(self, data: bytes, is_unicode: bool, encoding: str) -> None:
        is_utf8 = not encoding and (is_unicode or _is_utf8(data))
        self.claims_marc8 = is_utf8 and not is_unicode
        self.in_marc8 = not is_utf8 and not encoding and not data.isascii()
        self._encoding = encoding or "utf-8"
        self._tables = None if is_utf8 or encoding else _Watching()

    def texts(self, data: bytes) -> list[str]:
        """The texts of a field, its indicators first. Raises UnicodeDecodeError."""
        if self._tables is None or (data.isascii() and _ESCAPE not in data):
            return data.decode(self._encoding).split(DELIMITER)
        return [self._text(part) for part in data.split(DELIMITER.encode())]

    def _text(self, data: bytes) -> str:
        assert self._tables is not None
        with redirect_stderr(io.StringIO()):  # which the tables write to, asked or not
            return str(self._tables.translate(data))  # type: ignore[no-untyped-call]

    @property
    def bad(self) -> bool:
        return self._tables is not None and self._tables.met_unknown


class _Watching(MARC8ToUnicode):
    """pymarc's reading of MARC-8, which asks whether to be quiet where it knows no character."""

    met_unknown = False

    @property
    def quiet(self) -> bool:
        self.met_unknown = True
        return True

    @quiet.setter
    def quiet(self, value: bool) -> None:
        pass


def _is_utf8(data: bytes) -> bool:
    """Whether a record is in UTF-8, whatever its leader says: no MARC-8 with marks is."""
    if data.isascii():
        return False
    try:
        data.decode("utf-8")
    except UnicodeDecodeError:
        return False
    return True


def read_record(
    data: bytes, encoding: str = ""
) -> tuple[CatalogueRecord, bool, Sequence[BadField]]:
    """A record with its terminator; whether its leader says MARC-8 though it is UTF-8; and the
    fields that can't be read.

    ``encoding`` is one that is stated. Raises BrokenRecordError where its structure is wrong.
    """
    leader = data[:_LEADER]
    if len(leader) < _LEADER or not leader.isascii():
        raise BrokenRecordError("the leader has fewer than 24 characters, or others than ASCII")
    base = leader[12:17]
    if not base.isdigit() or not _LEADER < int(base) <= len(data):
        raise BrokenRecordError(f"the leader says that the fields begin at {base.decode()!r}")
    directory = data[_LEADER : int(base) - 1]
    if len(directory) % _ENTRY or data[int(base) - 1 : int(base)] != END_OF_FIELD:
        raise BrokenRecordError("the directory has no end where the fields begin")
    found = CatalogueRecord(leader.decode(), [])
    characters = Characters(data, leader[9:10] == b"a", encoding)
    wrong, bad, made = "", list[BadField](), 0
    for at in range(0, len(directory), _ENTRY):
        entry = directory[at : at + _ENTRY]
        made += int(entry[3:7]) if entry[3:7].isdigit() else 0
        if made > 2 * len(data):
            wrong = wrong or "the fields that the directory names lie over each other"
            break
        try:
            found.fields.append(_field(entry, data, int(base), characters))
        except (BadFieldError, UnicodeDecodeError) as error:
            text = _bytes_of(entry, data, int(base)).decode("latin-1").replace(DELIMITER, "$")
            bad.append(BadField(text, f"{_reason(entry[:3], error)}; the field is left out"))
        except (BrokenRecordError, ValueError) as error:
            wrong = wrong or _reason(entry[:3], error)
    wrong = wrong or _ends_wrongly(data) or _unknown_characters(found, characters)
    if wrong:
        raise BrokenRecordError(wrong, found)
    return found, characters.claims_marc8, bad


def _ends_wrongly(data: bytes) -> str:
    """What is wrong with where a record ends; blank if nothing is."""
    length = data[:5]
    if not data.endswith(END_OF_RECORD):
        return "it has no mark of its end"
    if not length.isdigit() or int(length) != len(data):
        return f"the leader says that it has {length.decode()!r} bytes; it has {len(data):,}"
    return ""


def _unknown_characters(found: CatalogueRecord, characters: Characters) -> str:
    """That a record is in other characters than it was read by; blank if it is not."""
    if characters.in_marc8 and (charset := _unimarc_charset(found)):
        return f"field 100 says {charset!r} of its characters; state their `encoding`"
    if not characters.bad:
        return ""
    return "it has characters that MARC-8 does not know; `encoding` states what they are in"


def _unimarc_charset(found: CatalogueRecord) -> str:
    """The character set that a record of UNIMARC names in its general data; blank for others."""
    for field in found.fields:
        if field.tag == _GENERAL_DATA and field.subfields[:1]:
            code, text = field.subfields[0]
            if code == "a" and text[:8].isdigit() and len(text) >= _CHARSET.stop:
                return text[_CHARSET].strip()
    return ""


def _bytes_of(entry: bytes, data: bytes, base: int) -> bytes:
    """What the directory says is a field, with its mark of the end. Raises ValueError."""
    start = base + int(entry[7:12])
    return data[start : start + int(entry[3:7])]


def _field(entry: bytes, data: bytes, base: int, characters: Characters) -> CatalogueField:
    """The field of an entry in the directory. Raises BadFieldError, BrokenRecordError and
    ValueError."""
    own = _bytes_of(entry, data, base)
    if own[-1:] != END_OF_FIELD or END_OF_FIELD in own[:-1]:
        raise BrokenRecordError("the directory does not say where it is")
    tag = entry[:3].decode("ascii")
    parts = characters.texts(own[:-1])
    indicators = parts[0]
    if len(parts) == 1 and tag.startswith("00"):
        return CatalogueField(tag, indicators)
    if len(indicators) != 2:
        raise BadFieldError(f"it has {len(indicators)} indicators, and not 2")
    subfields = [(part[0], part[1:]) for part in parts[1:] if part]
    return CatalogueField(tag, None, indicators[0], indicators[1], subfields)


def _reason(tag: bytes, error: Exception) -> str:
    name = tag.decode("ascii", "backslashreplace")
    if isinstance(error, UnicodeDecodeError):
        what = error.encoding.upper()
        return f"field {name} has bytes that are no {what} (`encoding` states what they are)"
    if isinstance(error, BrokenRecordError | BadFieldError):
        return f"field {name}: {error}"
    return f"the directory has {name} with no length or place"
