"""Texts as bytes, and the letters that an encoding lacks."""

from __future__ import annotations

import codecs
from collections.abc import Callable, Sequence

from ...errors import OutputError
from ...layout.model.output_options import Output
from ...run.protocols import Row

_INSTEAD = "?"


class Encoded:
    """Encodes the pieces of a file. Letters that the encoding lacks are refused, or replaced and
    counted.

    >>> pieces = Encoded(Output(encoding="iso-8859-1", unencodable="replace"))
    >>> pieces.encode("5 €", [("5 €",)], lambda place: f"row {place + 1} holds")
    b'5 ?'
    >>> pieces.notes()
    ['1 letter that iso-8859-1 lacks was replaced by ?; the first is in row 1: € (U+20AC)']
    """

    def __init__(self, output: Output) -> None:
        self._name = output.encoding
        self._replaces = output.unencodable == "replace"
        self._encoder = codecs.getincrementalencoder(output.encoding)()
        self._begun = False
        self._replaced = 0
        self._first = ""

    def encode(self, text: str, rows: Sequence[Row], where: Callable[[int], str]) -> bytes:
        """The bytes of a text that is made of rows; ``where`` says which of them holds something.

        Raises OutputError.
        """
        try:
            data = self._encoder.encode(text)
        except UnicodeEncodeError as error:
            if not self._begun:  # of the mark that stands before the first letter, too
                self._encoder.reset()
            letter = error.object[error.start]
            place = next(
                n for n, row in enumerate(rows) if any(letter in str(cell) for cell in row)
            )
            if not self._replaces:
                raise OutputError(
                    f"{where(place)} {letter!r} (U+{ord(letter):04X}), which {self._name} can't "
                    "express; choose another `encoding`, such as utf-8, or `unencodable: replace`"
                ) from None
            data = self._encoder.encode(self._without_lacking(text, where(place), letter))
        self._begun = True
        return data

    def _without_lacking(self, text: str, where: str, letter: str) -> str:
        lacking = {one for one in set(text) if not self._has(one)}
        self._replaced += sum(text.count(one) for one in lacking)
        where = where.removesuffix(" holds").removesuffix(" hold")
        self._first = self._first or f"in {where}: {letter} (U+{ord(letter):04X})"
        return text.translate({ord(one): _INSTEAD for one in lacking})

    def _has(self, letter: str) -> bool:
        try:
            letter.encode(self._name)
        except UnicodeEncodeError:
            return False
        return True

    def notes(self) -> list[str]:
        """What a reader of the table should know."""
        if not self._replaced:
            return []
        letters = "1 letter" if self._replaced == 1 else f"{self._replaced:,} letters"
        was = "was" if self._replaced == 1 else "were"
        return [
            f"{letters} that {self._name} lacks {was} replaced by {_INSTEAD}; the first is "
            f"{self._first}"
        ]
