"""The characters of a source that is text: its encoding, stated or found."""

from __future__ import annotations

import codecs
from collections.abc import Iterator
from typing import NamedTuple

from ..errors import SourceError

_USUAL = [  # of others a few letters tell nothing
    *("cp1252", "cp1250", "cp1251", "cp1253", "cp1254", "cp1257", "iso8859_2", "iso8859_5"),
    *("koi8_r", "koi8_u", "mac_roman", "shift_jis", "euc_jp", "euc_kr", "gb18030", "big5"),
    *("utf_16_le", "utf_16_be"),
]
_PIECE = 1 << 16  # characters that are cut into rows together: what these take fits a cache
_WESTERN = "cp1252"  # taken where what is met could be it: the usual one after UTF-8
_CALLED = {"cp1252": "windows-1252", "cp1250": "windows-1250", "cp1251": "windows-1251"}


class Encoding(NamedTuple):
    """An encoding, and whether it was only found by looking at the first bytes."""

    name: str
    found: bool = False

    def said(self) -> str:
        """What to say of it, if anything.

        >>> Encoding("cp1252", True).said(), Encoding("utf-8", True).said()
        (', windows-1252 as far as can be told (`encoding` states it)', '')
        """
        if self.name == "utf-8":
            return ""
        name = _CALLED.get(self.name, self.name)
        return (
            f", {name} as far as can be told (`encoding` states it)" if self.found else f", {name}"
        )


def found_encoding(head: bytes) -> Encoding:
    """UTF-8 where the first bytes are that, else what their characters make likely.

    >>> found_encoding("Fjørholm".encode()).name
    'utf-8'
    """
    try:
        codecs.getincrementaldecoder("utf-8")().decode(head)
    except UnicodeDecodeError:
        return Encoding(_likely(head), found=True)
    return Encoding("utf-8", found=True)


def _likely(data: bytes) -> str:
    from charset_normalizer import from_bytes

    best = from_bytes(data, cp_isolation=_USUAL).best()
    if best is None or _WESTERN in (best.encoding, *best.could_be_from_charset):
        return _WESTERN
    return best.encoding


def texts(
    chunks: Iterator[bytes], encoding: Encoding, name: str, *, whole: bool = True
) -> Iterator[str]:
    """The bytes of a source, or of its beginning, as texts.

    Raises SourceError at a byte that is none of the encoding.
    """
    decoder = codecs.getincrementaldecoder(encoding.name)()
    line = 1
    for chunk in chunks:
        try:
            text = decoder.decode(chunk)
        except UnicodeDecodeError as error:
            raise _not_so(error, encoding, name, line) from None
        line += text.count("\n")
        yield from pieces(text)
    try:
        yield decoder.decode(b"", final=whole)
    except UnicodeDecodeError as error:
        raise _not_so(error, encoding, name, line) from None


def pieces(text: str) -> Iterator[str]:
    """A text in pieces of which the rows fit a cache."""
    return (text[at : at + _PIECE] for at in range(0, len(text), _PIECE))


def _not_so(error: UnicodeDecodeError, encoding: Encoding, name: str, line: int) -> SourceError:
    at = line + error.object[: error.start].count(b"\n")
    called = _CALLED.get(encoding.name, encoding.name.upper())
    what = f"{name}, line {at:,}: byte 0x{error.object[error.start]:02x} is not {called}"
    if encoding.name != "utf-8":
        return SourceError(f"{what}; state another `encoding` under `source`")
    likely = _CALLED.get(found := _likely(error.object), found)
    return SourceError(f"{what}; state its `encoding` under `source`, perhaps {likely}")
