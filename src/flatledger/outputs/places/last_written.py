"""What was last written where: by it a table that somebody has corrected by hand is told apart."""

from __future__ import annotations

import hashlib
from contextlib import suppress
from pathlib import Path

import msgspec
import platformdirs

from ...values.visible import encodable
from .locks import LockedError, locked

_MOST = 2_000  # places that are remembered
_PATIENCE = 5  # seconds, for another run that writes to it


class Written(msgspec.Struct, frozen=True, array_like=True):
    """A file as it was written: bytes, time of change in nanoseconds, hash of what it holds."""

    size: int
    time: int
    digest: str


def is_as_written(place: Path, new: str) -> bool:
    """Whether a file is what was last written there, or holds just what is about to be: ``new``.

    What is not known is not.
    """
    known = _read().get(_key(place))
    try:
        there = place.stat()
        if known is not None and (there.st_size, there.st_mtime_ns) == (known.size, known.time):
            return True
        with place.open("rb") as file:
            return hashlib.file_digest(file, "blake2b").hexdigest() in (new, known and known.digest)
    except OSError:
        return False


def remember(place: Path, digest: str) -> None:
    """Take note of a file that has just been written. Where that can't be done, nothing is lost."""
    with suppress(OSError, LockedError):
        there = place.stat()
        _file().parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        with locked(_file().with_suffix(".lock"), _PATIENCE):
            known = _read()
            known.pop(_key(place), None)
            known[_key(place)] = Written(there.st_size, there.st_mtime_ns, digest)
            latest = dict(list(known.items())[-_MOST:])
            part = _file().with_suffix(".new")
            part.write_bytes(msgspec.json.encode(latest))
            part.replace(_file())


def _key(place: Path) -> str:
    return str(encodable(str(place)))


def _file() -> Path:
    return Path(platformdirs.user_state_dir("flatledger")) / "written.json"


def _read() -> dict[str, Written]:
    try:
        return msgspec.json.decode(_file().read_bytes(), type=dict[str, Written])
    except (OSError, msgspec.MsgspecError, UnicodeDecodeError):
        return {}
