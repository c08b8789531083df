"""Expressions that earlier runs of the tool have parsed, kept in the user's cache folder.

To wake the grammar takes longer than a small export does. Where the package's own modules have
changed, or the folder can't be read or written, all is parsed anew.
"""

from __future__ import annotations

import hashlib
import os
import pickle
import sys
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

from ..language import parser
from ..values import literals

_MOST = 2_000  # expressions that are kept
_LONGEST = 2_000  # characters of one of them
_VERSIONS = 3  # of the package, whose expressions are kept


class ParsedBefore:
    """What texts were parsed to, by the text and what it was parsed as."""

    def __init__(self, folder: Path) -> None:
        self._file = folder / f"expressions-{_made_by()}.pickle"
        self._found = _read(self._file)
        self._new = False

    def find(self, key: tuple[str, str]) -> Any:
        """What a text was parsed to; None where it was not."""
        return self._found.get(key)

    def keep(self, key: tuple[str, str], node: Any) -> None:
        """Keep what a text was parsed to."""
        if len(key[1]) <= _LONGEST:
            self._found[key] = node
            self._new = True

    def save(self) -> None:
        """Write down what is new; where that can't be done, nothing is lost."""
        if not self._new:
            return
        latest = dict(list(self._found.items())[-_MOST:])
        part = self._file.with_suffix(f".{os.getpid()}")
        with suppress(OSError, RecursionError, pickle.PicklingError):
            self._file.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
            part.write_bytes(pickle.dumps(latest))
            part.replace(self._file)
            others = self._file.parent.glob("expressions-*.pickle")
            for old in sorted(others, key=lambda file: file.stat().st_mtime)[:-_VERSIONS]:
                old.unlink()


@contextmanager
def parsed_before() -> Iterator[None]:
    """Meanwhile expressions are looked up before they are parsed, and then kept."""
    import platformdirs

    kept = ParsedBefore(Path(platformdirs.user_cache_dir("flatledger")))
    parser.remember_in(kept)
    try:
        yield
    finally:
        parser.remember_in(None)
        kept.save()


def _made_by() -> str:
    """What tells apart the packages and versions of Python by which nodes were made."""
    rooms = Path(parser.__file__).parent, Path(literals.__file__).parent
    files = sorted((one for room in rooms for one in os.scandir(room)), key=lambda one: one.path)
    stats = [(one.path, one.stat().st_mtime_ns) for one in files if one.is_file()]
    text = repr((sys.version_info, stats))
    return hashlib.blake2s(text.encode(), digest_size=8).hexdigest()


def _read(file: Path) -> dict[tuple[str, str], Any]:
    try:
        if not (parser.is_ours(file.parent) and parser.is_ours(file)):
            return {}
        found = pickle.loads(file.read_bytes())
    except Exception:  # a damaged file is none, however it is damaged
        return {}
    return found if isinstance(found, dict) else {}
