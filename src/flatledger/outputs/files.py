"""Where something is written: a file that takes its place when whole, a stream, an open file."""

from __future__ import annotations

import io
import os
import shutil
from collections.abc import Iterator
from itertools import count
from os import PathLike, fspath
from pathlib import Path, PurePath
from types import TracebackType
from typing import Any, BinaryIO

from ..errors import OutputError
from ..layout.output_options import IfThere
from .last_written import is_as_written, remember
from .streams import standard_output, stream_number
from .unfinished import LONGEST_NAME, Unfinished

Destination = str | PathLike[str] | BinaryIO


class Target:
    """A context in which a file is written beside its final name, and moved there at its end.

    Left by an error or a kill, the former file stays as it was. ``-`` is standard output; a device
    or a pipe is written to directly. Of a file that is there already, ``if_there`` says whether it
    is replaced, and kept beside where it is not as it was last written; just replaced; refused; or
    left, and the new one numbered. ``remedy`` is what to do where it is refused.

    After its end ``name`` is where it was written, ``placed`` whether a file took its place,
    ``replaced`` whether a former one was there, and ``notes`` are what its reader should know.
    """

    def __init__(
        self,
        to: Destination,
        if_there: IfThere = "keep",
        remedy: str = "`if-there: replace` replaces it",
    ) -> None:
        self._path: Path | None = None
        self._unfinished: Unfinished | None = None
        self._if_there, self._remedy = if_there, remedy
        self._own = False  # a stream that is closed at the end
        self.replaced = self.placed = False
        self.notes: list[str] = []
        self.file: BinaryIO
        self.name = name_of(to)
        if not isinstance(to, str | PathLike):
            self.file = _binary(to)
        elif fspath(to) == "-":
            self.file = standard_output()
        else:
            self._open(Path(to))

    def _open(self, path: Path) -> None:
        """Open a stream that has a name, a device, or an unfinished file."""
        try:
            number = stream_number(path)
            if number is not None:
                self.file, self._own = os.fdopen(os.dup(number), "wb"), True
                return
            if path.is_dir():
                raise OutputError(f"{self.name} is a folder; name a file in it")
            if path.exists() and not path.is_file():
                self.file, self._own = path.open("wb"), True
                return
            path = path.resolve()
            if path.exists() and not os.access(path, os.W_OK):
                raise OutputError(f"{self.name} can't be written: it is read-only")
            if path.exists() and self._if_there == "refuse":
                raise self._refused()
            self._unfinished = Unfinished(path)
        except (OSError, ValueError, RuntimeError) as error:  # a NUL, links that go in a circle
            if isinstance(error, FileNotFoundError) and not path.parent.exists():
                folder = PurePath(self.name).parent
                raise OutputError(f"{self.name}: there is no folder {folder}") from None
            reason = error.strerror if isinstance(error, OSError) else error
            raise OutputError(f"{self.name} can't be written: {reason}") from None
        if self._unfinished.cleared:
            self.notes.append(f"what a run that was cut off had left of {self.name} is cleared")
        self.file = self._unfinished.file
        self._path = path

    def _refused(self) -> OutputError:
        return OutputError(
            f"{self.name} is there already and stays as it is; name another file, or remove it "
            f"first ({self._remedy})"
        )

    @property
    def replaces(self) -> bool:
        """Whether it takes its place as a whole at the end, so that nobody has seen it before."""
        return self._unfinished is not None

    def stand_aside(self, word: str) -> None:
        """Take a place beside the one that was named, with a word before the suffix."""
        if self._path is not None:
            self._settle_at(_with_ending(self._path, f".{word}"))

    def write(self, data: bytes) -> None:
        """Write some bytes. Raises OutputError when the disk is full or the file is gone."""
        try:
            self.file.write(data)
        except BrokenPipeError:
            raise
        except (OSError, ValueError) as error:
            raise self.failed(error) from None

    def whole(self) -> BinaryIO:
        """What has been written to a file, before it takes its place, to be read from its start."""
        assert self._unfinished is not None
        self.file.flush()
        return self._unfinished.path.open("rb")

    def abandon(self) -> None:
        """Leave it without having written anything."""
        if self._unfinished is not None:
            self._unfinished.abandon()

    def __enter__(self) -> Target:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        traceback: TracebackType | None,
    ) -> None:
        try:
            if self._unfinished is None:
                self._end_stream()
            elif kind is None:
                self._take_place(self._unfinished)
        except BrokenPipeError:
            raise
        except (OSError, ValueError) as failure:
            if kind is None:
                raise self.failed(failure) from None
        finally:
            if self._unfinished is not None:
                self._unfinished.abandon()

    def _end_stream(self) -> None:
        try:
            self.file.flush()
        finally:
            if self._own:
                self.file.close()

    def failed(self, error: OSError | ValueError) -> OutputError:
        """What to say of a failure of the file."""
        kept = "; the former file is as it was" if self._path and self._path.is_file() else ""
        reason = error.strerror if isinstance(error, OSError) else str(error)
        return OutputError(f"{self.name} can't be written: {reason}{kept}")

    # ---- taking its place

    def _take_place(self, unfinished: Unfinished) -> None:
        assert self._path is not None
        digest = unfinished.digest()
        if self._path.exists() and self._if_there == "keep":
            self._keep_former(self._path, digest)
        unfinished.take_place(self._move)
        self.placed = True
        remember(self._path, digest)

    def _move(self, whole: Path) -> None:
        assert self._path is not None
        if self._if_there in ("keep", "replace"):
            self.replaced = self._path.exists()
            os.replace(whole, self._path)
        elif self._if_there == "number":
            self._settle_at(_named(whole, further_names(self._path, "")))
            whole.unlink()
        elif _takes_name(whole, self._path):
            whole.unlink()
        else:  # somebody has made it meanwhile
            raise self._refused()

    def _settle_at(self, place: Path) -> None:
        self._path = place
        self.name = fspath(Path(self.name).with_name(place.name))

    def _keep_former(self, place: Path, digest: str) -> None:
        """Have a file that was changed since it was written stand beside, under a further name."""
        if is_as_written(place, digest):
            return
        kept = _named(place, further_names(place, ".former"))
        self.notes.append(
            f"{self.name} was not as it was last written here, perhaps corrected by hand; it is "
            f"kept as {kept.name}"
        )


def name_of(to: Destination) -> str:
    """What a place is called."""
    if not isinstance(to, str | PathLike):
        return str(getattr(to, "name", "open file"))
    return "standard output" if fspath(to) == "-" else fspath(to)


def is_file(to: str | PathLike[str]) -> bool:
    """Whether a path is that of a file, or would be: no stream, device or pipe."""
    path = Path(to)
    if fspath(to) == "-" or stream_number(path) is not None:
        return False
    return not path.exists() or path.is_file()


def _binary(to: Any) -> BinaryIO:
    """An open file that takes bytes. Raises OutputError."""
    if isinstance(to, io.TextIOBase):
        below = getattr(to, "buffer", None)
        if below is None:
            raise OutputError("a table is written as bytes: give io.BytesIO, or a file of mode wb")
        to.flush()
        to = below
    if not hasattr(to, "write"):
        raise OutputError(f"a place to write to is a path or an open file, not {to!r:.60}")
    return to  # type: ignore[no-any-return]


def further_names(place: Path, word: str) -> Iterator[Path]:
    """The names beside a place that have a word before the suffix, numbered from the second on.

    >>> from itertools import islice
    >>> [name.name for name in islice(further_names(Path("table.csv"), ".former"), 2)]
    ['table.former.csv', 'table.former-2.csv']
    """
    for number in count(1):
        yield _with_ending(place, f"{word}-{number}" if number > 1 else word)


def _with_ending(place: Path, ending: str) -> Path:
    """A name with more at the end of its stem, which is cut where the name would be too long."""
    stem = place.stem
    while ending and len(os.fsencode(f"{stem}{ending}{place.suffix}")) > LONGEST_NAME:
        stem = stem[:-1]
    return place.with_name(f"{stem}{ending}{place.suffix}")


def _named(file: Path, names: Iterator[Path]) -> Path:
    """Give a file the first of some further names that nothing has yet."""
    return next(name for name in names if _takes_name(file, name))


def _takes_name(file: Path, name: Path) -> bool:
    """Give a file a further name, or a copy where it can have none; False where it is taken."""
    try:
        try:
            os.link(file, name)
        except FileExistsError:
            return False
        except OSError:  # not every file system has several names for one file
            with file.open("rb") as old, name.open("xb") as new:
                shutil.copyfileobj(old, new)
            shutil.copystat(file, name)
    except FileExistsError:
        return False
    return True
