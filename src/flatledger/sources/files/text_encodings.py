"""The characters of a source that is text: its encoding, stated or found."""

from __future__ import annotations

import codecs
import re
from collections.abc import Iterator
from typing import NamedTuple

from ...errors import SourceError

_USUAL = [  # of others a few letters tell nothing
    *("cp1252", "cp1250", "cp1251", "cp1253", "cp1254", "cp1257", "iso8859_2", "iso8859_5"),
    *("koi8_r", "koi8_u", "mac_roman", "shift_jis", "euc_jp", "euc_kr", "gb18030", "big5"),
    *("utf_16_le", "utf_16_be"),
]
_PIECE = 1 << 16  # characters that are cut into rows together: what these take fits a cache
_WESTERN = "cp1252"  # taken where what is met could be it: the usual one after UTF-8
_SHOWN = 20
_WORD = re.compile(r"[^\W\d_]+")
_PARTS = re.compile(rb"[\s,;|\t\"]+")
_WITHIN_WORDS = re.compile(  # a sign before a small letter, or a capital after one
    r"[\u00a2-\u00a6\u00a8-\u00aa\u00ac-\u00b6\u00b8-\u00ba\u00bc-\u00be\u00d7\u00f7ˆ˜†‡‰™€]"
    r"[a-z\u00df-\u00f6\u00f8-\u00ff]|[a-z][\u00c0-\u00d6\u00d8-\u00deŸŠŽŒ][a-z]"
)
_WESTERN_LETTERS = [
    set(one)
    for one in (
        *("äöüß", "àâæçéèêëîïôœùûüÿ", "áéíñóúü", "áâãàçéêíóôõúü", "àèéìíîòóùú", "æøåéèêóòôüäö"),
        *("åäöéšž", "áéíóúýþæðö", "áíóúýøæð", "éëïöüèêáóí", "àçéèíïóòúü", "áéíóúàèìòù"),
        *("âêîôûäëïöüáéíóúàèìòù", "äõöüšž", "ªº", "µ"),
    )
]
_CALLED = {"cp1252": "windows-1252", "cp1250": "windows-1250", "cp1251": "windows-1251"}


class Encoding(NamedTuple):
    """An encoding, and whether it was only ``found`` by looking at the first bytes. It ``reads``
    something that the ``runner_up`` would read otherwise."""

    name: str
    found: bool = False
    reads: str = ""
    runner_up: str = ""
    otherwise: str = ""

    def said(self) -> str:
        """What to say of it, if anything.

        >>> Encoding("cp1252", True).said(), Encoding("utf-8", True).said()
        (', windows-1252 as far as can be told (`encoding` states it)', '')
        """
        if self.name == "utf-8":
            return ""
        name = called(self.name)
        return (
            f", {name} as far as can be told (`encoding` states it)" if self.found else f", {name}"
        )

    def notices(self) -> list[str]:
        """What to point out where letters depend on a guess."""
        if not self.runner_up:
            return []
        name, other = called(self.name), called(self.runner_up)
        return [
            f"the encoding is a guess: {name} reads {self.reads}, {other} would read "
            f"{self.otherwise}; `source: {{encoding: {name}}}` states it"
        ]


def called(name: str) -> str:
    """What an encoding is called."""
    return _CALLED.get(name, name)


def found_encoding(head: bytes) -> Encoding:
    """UTF-8 where the first bytes are that, else what their characters make likely.

    >>> found_encoding("Fjørholm".encode()).name
    'utf-8'
    >>> found_encoding("Navn;Tårn".encode("cp1252")).name
    'cp1252'
    """
    try:
        codecs.getincrementaldecoder("utf-8")().decode(head)
    except UnicodeDecodeError:
        return _likely(head)
    return Encoding("utf-8", found=True)


def _likely(data: bytes) -> Encoding:
    """The usual one of the West, unless letters speak against it; with another that is likely."""
    from charset_normalizer import from_bytes

    likely = [match.encoding for match in from_bytes(data, cp_isolation=_USUAL)]
    others = (one for one in likely if one != _WESTERN)
    best = _WESTERN if _may_be_western(data) else next(others, _WESTERN)
    for other in likely:
        if other != best and (words := _differing(data, best, other)):
            return Encoding(best, True, words[0], other, words[1])
    return Encoding(best, True)


def _may_be_western(data: bytes) -> bool:
    """Whether the letters are such as one language of the West has in a word."""
    try:
        text = data.decode(_WESTERN)
    except UnicodeDecodeError:
        return False
    if _WITHIN_WORDS.search(text):
        return False
    words = {word.casefold() for word in _WORD.findall(text) if not word.isascii()}
    strange = [word for word in words if not any(_own(word) <= one for one in _WESTERN_LETTERS)]
    return len(strange) * 5 <= len(words)


def _own(word: str) -> set[str]:
    return {letter for letter in word if letter > "\x7f"}


def _differing(data: bytes, one: str, other: str) -> tuple[str, str] | None:
    """The first word that two encodings read differently."""
    for line in data.splitlines():
        for part in _PARTS.split(line):
            texts = [part.decode(name, "replace") for name in (one, other)]
            if texts[0] != texts[1]:
                return texts[0][:_SHOWN], texts[1][:_SHOWN]
    return None


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
    meant = _CALLED.get(encoding.name, encoding.name.upper())
    what = f"{name}, line {at:,}: byte 0x{error.object[error.start]:02x} is not {meant}"
    if encoding.name != "utf-8":
        return SourceError(f"{what}; state another `encoding` under `source`")
    likely = called(_likely(error.object).name)
    return SourceError(f"{what}; state its `encoding` under `source`, perhaps {likely}")
