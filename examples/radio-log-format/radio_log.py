"""Radio logs: blocks of lines such as `Station: Holm Skerry`, with a blank line after each block.

A name that stands several times in a block repeats: `Heard` is a list where there are two. Names
may be of several words; where a layout says `source: {format: radio-log}`, `kept~by` is `Kept by`.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import chain
from typing import Any, BinaryIO

from flatledger import Notation, UnreadableRecord

MARK = b"RADIO LOG"


class Words(Notation):
    """Names of several words, as `kept~by`."""

    format = "radio-log"
    paths = "| WORDS -> words_path"
    rules = r"WORDS.4: /[a-z]+(?:~[a-z]+)+/"

    def actions(self) -> Any:
        """What becomes of such a name: the one that the records have."""
        from lark import v_args

        from flatledger.language import nodes
        from flatledger.language.actions import Actions, at

        @v_args(meta=True)
        class WordActions(Actions):
            def words_path(self, meta: Any, items: list[Any]) -> nodes.FieldPath:
                name = nodes.Name(at(meta), str(items[0]).replace("~", " "))
                return self.field_path(at(meta), (nodes.Segment(at(meta), (name,)),))

        return WordActions

    def called(self, names: tuple[str, ...]) -> str:
        """How messages call a place."""
        words = len(names) == 1 and names[0].replace(" ", "").isalpha() and " " in names[0]
        return names[0].replace(" ", "~") if words else ""


class RadioLog:
    """The format: its name in a layout, how its files are called, and how they are read."""

    name = "radio-log"
    suffixes = (".rlog",)
    notation = Words()

    def recognises(self, head: bytes) -> bool:
        """By its first line, whatever the file is called."""
        return head.startswith(MARK)

    def records(self, file: BinaryIO) -> Iterator[dict[str, Any] | UnreadableRecord]:
        """A record for each block."""
        block: list[str] = []
        for line in chain(file, [b""]):  # the last block may have no blank line after it
            text = line.decode("utf-8").strip()
            if text and not line.startswith(MARK):
                block.append(text)
            elif block:
                yield self._record(block)
                block = []

    def _record(self, block: list[str]) -> dict[str, Any] | UnreadableRecord:
        found: dict[str, list[str]] = {}
        for line in block:
            name, colon, value = line.partition(":")
            if not colon:
                return UnreadableRecord(line, "has no colon after its name")
            found.setdefault(name.strip().lower(), []).append(value.strip())
        return {name: values if len(values) > 1 else values[0] for name, values in found.items()}
