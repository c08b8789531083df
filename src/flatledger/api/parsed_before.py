"""Layouts and expressions that earlier runs of the tool have read, and the grammar, kept in the
user's cache folder.

To wake the grammar, or to read YAML, takes longer than a small export does. Where the package's own
modules have changed, or the folder can't be read or written, all is parsed anew.
"""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

from ..language import parser
from ..language.plain_nodes import from_plain, to_plain
from ..layout.model import text as texts
from ..layout.model.text import Item
from ..layout.reading import plain_items
from ..values import literals
from .kept import Kept

_MOST = 2_000  # expressions that are kept
_LONGEST = 2_000  # characters of one of them
_LAYOUTS = 50  # layouts that are kept
_LONGEST_LAYOUT = 100_000  # characters of one of them
_NAME, _GRAMMAR, _LAYOUT = "expressions", "grammar", "layout"


class ParsedBefore:
    """What texts were parsed to, by the text and what it was parsed as."""

    def __init__(self, kept: Kept) -> None:
        self._kept, self._made_by = kept, _made_by()
        found = kept.read(_NAME, self._made_by)
        self._found: dict[str, Any] = found if isinstance(found, dict) else {}
        self._new = False

    def find(self, start: str, text: str) -> Any:
        """What a text was parsed to; None where it was not."""
        plain = self._found.get(_key(start, text))
        with suppress(LookupError, TypeError, ValueError, ArithmeticError, RecursionError):
            return from_plain(plain)
        return None

    def keep(self, start: str, text: str, node: Any) -> None:
        """Keep what a text was parsed to."""
        if len(text) <= _LONGEST:
            with suppress(RecursionError, TypeError):
                self._found[_key(start, text)] = to_plain(node)
                self._new = True

    def save(self) -> None:
        """Write down what is new; where that can't be done, nothing is lost."""
        if self._new:
            latest = dict(list(self._found.items())[-_MOST:])
            self._kept.write(_NAME, self._made_by, latest)


class LayoutsBefore:
    """The items of layouts' texts, each by its own digest."""

    def __init__(self, kept: Kept) -> None:
        self._kept, self._made_by = kept, _made_by()

    def find(self, text: str, name: str) -> Item | None:
        """The items of a text; None where they are not known."""
        plain = self._kept.read(_LAYOUT, self._key(text))
        with suppress(LookupError, TypeError, ValueError, RecursionError):
            return plain_items.from_plain(plain, name)
        return None

    def keep(self, text: str, item: Item) -> None:
        """Keep the items of a text."""
        if len(text) <= _LONGEST_LAYOUT:
            with suppress(RecursionError):
                self._kept.write(_LAYOUT, self._key(text), plain_items.to_plain(item), _LAYOUTS)

    def _key(self, text: str) -> str:
        return f"{self._made_by}\n{text}"


class KeptGrammars:
    """The built grammars, by their texts and the version of what built them."""

    def find(self, made_by: str) -> Any:
        """A built grammar; None where there is none."""
        return in_cache_folder().read(_GRAMMAR, made_by)

    def keep(self, made_by: str, built: Any) -> None:
        """Keep a built grammar."""
        in_cache_folder().write(_GRAMMAR, made_by, built)


def in_cache_folder() -> Kept:
    """What is kept in the cache folder of the user."""
    import platformdirs

    return Kept(Path(platformdirs.user_cache_dir("flatledger")))


@contextmanager
def parsed_before() -> Iterator[None]:
    """Meanwhile layouts and expressions are looked up before they are parsed, and then kept."""
    kept = in_cache_folder()
    found = ParsedBefore(kept)
    parser.remember_in(found)
    texts.remember_in(LayoutsBefore(kept))
    try:
        yield
    finally:
        parser.remember_in(None)
        texts.remember_in(None)
        found.save()


def _key(start: str, text: str) -> str:
    return f"{start} {text}"


def _made_by() -> str:
    """What tells apart the packages and versions of Python by which nodes were made."""
    rooms = Path(parser.__file__).parent, Path(literals.__file__).parent
    files = sorted((one for room in rooms for one in os.scandir(room)), key=lambda one: one.path)
    stats = [(one.path, one.stat().st_mtime_ns) for one in files if one.is_file()]
    stats += [(one, os.stat(one).st_mtime_ns) for one in (texts.__file__, plain_items.__file__)]
    return repr((sys.version_info, stats))
