"""Where something is written: a file that takes its place when whole, a stream, an open file."""

from __future__ import annotations

import io
import os
from collections.abc import Iterator, Sequence
from contextlib import suppress
from os import PathLike, fspath
from pathlib import Path, PurePath
from typing import Any, BinaryIO

from ...errors import OutputError
from ...layout.model.output_options import IfThere
from .apart import Apart
from .last_written import is_as_written, remember
from .names import Destination, aside, further_names, name_of
from .streams import standard_output, stream_number
from .unfinished import PLACED, Unfinished, signals_waiting


class Target:
    """A context in which a file is written beside its final name, and moved there at its end.

    Left by an error or a kill, the former file stays as it was. ``-`` is standard output; a device
    or a pipe is written to directly. Of a file that is there already, ``if_there`` says whether it
    is replaced, and kept beside where it is not as it was last written; just replaced; refused; or
    left, and the new one numbered. ``remedy`` is what to do where it is refused.
    ``apart`` are files whose place it never takes.

    After its end ``name`` is where it was written, ``placed`` whether a file took its place,
    ``replaced`` whether a former one was there, and ``notes`` are what its reader should know.
    """

    def __init__(
        self,
        to: Destination,
        if_there: IfThere = "keep",
        remedy: str = "`if-there: replace` replaces it",
        *,
        apart: Apart | None = None,
    ) -> None:
        self._path: Path | None = None
        self._unfinished: Unfinished | None = None
        self._if_there, self._remedy = if_there, remedy
        self._apart = apart or Apart()
        self._own = False  # a stream that is closed at the end
        self._digest = ""  # of what has been written, once it is settled
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
                raise OutputError(f"{self.name}: there is no folder {folder}") from error
            reason = error.strerror if isinstance(error, OSError) else error
            raise OutputError(f"{self.name} can't be written: {reason}") from error
        if self._unfinished.cleared:
            self.notes.append(f"what a run that was cut off had left of {self.name} is cleared")
        for left in self._unfinished.left:
            self.notes.append(
                f"{left.name} lies beside {self.name}: another run is writing it, or was cut off "
                "and left it; this file system does not tell which"
            )
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
            self._settle_at(aside(self._path, word))
            if self._if_there == "refuse":
                self._if_there = "number"

    def write(self, data: bytes) -> None:
        """Write some bytes. Raises OutputError when the disk is full or the file is gone."""
        try:
            self.file.write(data)
        except BrokenPipeError:
            raise
        except (OSError, ValueError) as error:
            raise self.failed(error) from error

    def whole(self) -> BinaryIO:
        """What has been written to a file, before it takes its place, to be read from its start."""
        assert self._unfinished is not None
        self.file.flush()
        return self._unfinished.path.open("rb")

    def abandon(self) -> None:
        """Leave it, without having written anything where it has not taken its place."""
        if self._unfinished is not None:
            self._unfinished.abandon()
        elif self._own:
            with suppress(OSError):
                self.file.close()

    def __enter__(self) -> Target:
        return self

    def __exit__(self, kind: type[BaseException] | None, *_: object) -> None:
        leave([self], kind)

    def flush_stream(self) -> None:
        """Have a stream pass on what it was given, as far as it can."""
        if self._unfinished is None:
            with suppress(OSError, ValueError):
                self.file.flush()

    def failed(self, error: OSError | ValueError) -> OutputError:
        """What to say of a failure of the file."""
        kept = "; the former file is as it was" if self._path and self._path.is_file() else ""
        reason = error.strerror if isinstance(error, OSError) else str(error)
        return OutputError(f"{self.name} can't be written: {reason}{kept}")

    # ---- taking its place

    def settle(self) -> None:
        """Have the disk hold all of it, and settle its name and that of a former file; from now on
        nothing can fail but the move. `abandon` takes it back. A stream is flushed.

        Raises OutputError.
        """
        try:
            if self._unfinished is None:
                self.file.flush()
            elif not self._digest:
                self._settle(self._unfinished)
        except BrokenPipeError:
            raise
        except (OSError, ValueError) as failure:
            raise self.failed(failure) from failure

    def _settle(self, unfinished: Unfinished) -> None:
        assert self._path is not None
        self._digest = unfinished.settle()
        if self._if_there == "number":
            self._settle_at(self._named(unfinished.path, further_names(self._path, "")))
        elif self._if_there == "refuse":
            if not unfinished.give_name(unfinished.path, self._path):
                raise self._refused()  # somebody has made it meanwhile
        else:
            self._apart.check([("it", self._path)])
            self.replaced = self._path.exists()
            if self.replaced and self._if_there == "keep":
                self._keep_former(self._path)

    def take_place(self) -> None:
        """Move a file that is settled to its place. Raises OutputError."""
        if self._unfinished is None:
            return
        has_name = self._if_there in ("number", "refuse")
        try:
            self._unfinished.take_place(None if has_name else self._path)
        except OSError as failure:
            raise self.failed(failure) from failure
        self.placed = True

    def remember(self) -> None:
        """Take note of what it was written as."""
        if self._path is not None and self.placed:
            remember(self._path, self._digest)

    def _settle_at(self, place: Path) -> None:
        self._path = place
        self.name = fspath(Path(self.name).with_name(place.name))

    def _named(self, file: Path, names: Iterator[Path]) -> Path:
        """Give a file the first of some further names that nothing has yet."""
        assert self._unfinished is not None
        return next(name for name in names if self._unfinished.give_name(file, name))

    def _keep_former(self, place: Path) -> None:
        """Have a file that was changed since it was written stand beside, under a further name."""
        if is_as_written(place, self._digest):
            return
        kept = self._named(place, further_names(place, ".former"))
        self.notes.append(
            f"{self.name} was not as it was last written here, perhaps corrected by hand; it is "
            f"kept as {kept.name}"
        )


def leave(targets: Sequence[Target], kind: type[BaseException] | None) -> None:
    """Have all take their places together, once each is whole; none where an error came, ``kind``.

    Signals wait until all are there. Raises OutputError.
    """
    try:
        if kind is None:
            for one in targets:
                one.settle()
            with signals_waiting():
                for one in targets:
                    one.take_place()
                PLACED[:] = [one.name for one in targets if one.placed]
        else:
            for one in targets:
                one.flush_stream()
    finally:
        for one in targets:
            one.abandon()
            one.remember()


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
