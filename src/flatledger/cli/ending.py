"""How a command ends: the one place where errors become messages and exit codes."""

from __future__ import annotations

import errno
import io
import os
import signal
import sys
from collections.abc import Callable, Iterator
from contextlib import suppress
from types import FrameType, TracebackType
from typing import Any

from ..errors import FlatLedgerError

_STOPPING = ("SIGINT", "SIGTERM", "SIGHUP")
CLOSED_PIPE = 141
_ERROR = 1


class FailedError(Exception):
    """An error of the family that ends a command, and how its message starts."""

    def __init__(self, start: str, error: FlatLedgerError) -> None:
        super().__init__(str(error))
        self.start, self.error = start, error


def stop_on_signals() -> None:
    """End at once with 128 and the signal's number, when stopped; nothing unfinished is left.

    What is told to be ignored (as `nohup` does) stays ignored.
    """
    for number in _stopping():
        if signal.getsignal(number) is not signal.SIG_IGN:
            signal.signal(number, _stop)


def finish() -> None:
    """Stop at no signal any more: all is done, whatever comes while Python ends."""
    for number in _stopping():
        signal.signal(number, signal.SIG_IGN)


def _stopping() -> Iterator[int]:
    """The signals that stop a command, as far as the system has them."""
    return (getattr(signal, name) for name in _STOPPING if hasattr(signal, name))


def _stop(number: int, _: FrameType | None) -> None:
    unfinished = sys.modules.get("flatledger.outputs.places.unfinished")
    clear = getattr(unfinished, "clear_unfinished", None)  # it may be half loaded
    placed = clear() if clear is not None else []
    if placed:
        say(f"flatledger: stopped, but {', '.join(placed)} had been written")
    os._exit(128 + number)


def ended(call: Callable[[], object]) -> int:
    """Call something; its exit code, once what it wrote has gone out."""
    _ready_streams()
    _ready_numbers()
    try:
        code = _code_of(call)
        sys.stdout.flush()
    except BrokenPipeError:  # the reader of our output has gone: nothing is left to say
        code = CLOSED_PIPE
    except FailedError as failed:
        _tell(failed.start, failed.error)
        code = failed.error.exit_code
    except OSError as error:
        name = error.filename if error.filename is not None else "standard output"
        say(f"flatledger: {name} can't be written: {error.strerror or error}")
        code = _ERROR
    except MemoryError:
        say("flatledger: there is not enough memory for this")
        code = _ERROR
    except Exception as error:
        _tell_mistake(error)
        code = _ERROR
    _let_streams_go()
    return code


def _code_of(call: Callable[[], object]) -> int:
    """What a command returns, or exits with; a command line that is wrong is shown."""
    import click

    try:
        found = call()
    except SystemExit as end:
        found = end.code
    except click.UsageError as error:
        from ..values.visible import visible

        if error.ctx is not None:
            say(error.ctx.get_usage())
            say(f"Try '{error.ctx.command_path} --help' for help.")
        say(f"Error: {visible(error.format_message())}")
        return error.exit_code
    except click.ClickException as error:
        say(f"flatledger: {error.format_message()}")
        return error.exit_code
    except (click.Abort, KeyboardInterrupt):  # Ctrl-C, or the end of input, at a question
        say("")
        return 128 + signal.SIGINT
    return found if isinstance(found, int) else 0


# ---- saying it -------------------------------------------------------------------------------


def say(text: str) -> None:
    """Write a line to standard error, if anybody listens."""
    from ..values.visible import visible_lines

    if sys.stderr is not None:
        with suppress(OSError, ValueError):
            sys.stderr.write(visible_lines(text) + "\n")
            sys.stderr.flush()


def _tell(start: str, error: FlatLedgerError) -> None:
    """What is wrong, and what had been written all the same."""
    from ..values.visible import visible

    lines = [visible(line) for line in error.lines()]
    if error.typed:
        lines[-1] += f" ({error.typed})"
    say("\n".join([f"{start}: {lines[0]}", *lines[1:]]))
    if error.written:
        say(visible(f"But {error.written}."))


def _tell_mistake(error: Exception) -> None:
    """What only a mistake in the program itself can lead to."""
    name, line = _deepest_place(error.__traceback__)
    what = f"{type(error).__name__}: {str(error)[:200]}".replace("\n", " ")
    say(
        f"flatledger: this should not happen, and is a mistake in Flat Ledger: {what} ({name}, "
        f"line {line}). Please report it, with the command, the layout and the source"
    )


def _deepest_place(traceback: TracebackType | None) -> tuple[str, int]:
    """The file and line of our own that an exception came from."""
    found = ("", 0)
    while traceback is not None:
        name = traceback.tb_frame.f_code.co_filename
        if f"{os.sep}flatledger{os.sep}" in name or name.startswith("<"):
            found = (name.rpartition(f"{os.sep}flatledger{os.sep}")[2], traceback.tb_lineno)
        traceback = traceback.tb_next
    return found


# ---- the standard streams --------------------------------------------------------------------


class _Closed(io.TextIOBase):
    """Stands for a standard stream that is closed: whoever writes to it learns that."""

    def write(self, _: str) -> int:
        raise OSError(errno.EBADF, "it is closed", "standard output")

    @property
    def buffer(self) -> Any:
        raise OSError(errno.EBADF, "it is closed", "standard output")

    def fileno(self) -> int:
        raise OSError(errno.EBADF, "it is closed", "standard output")


def _ready_numbers() -> None:
    """Integers of any length are written out; Python's bound is for servers."""
    sys.set_int_max_str_digits(0)


def _ready_streams() -> None:
    """What a console can't show is escaped; a closed output says so when it is written to.

    No file that is opened later gets the number of a stream that is closed.
    """
    for number in range(3):
        try:
            os.fstat(number)
        except OSError:
            os.open(os.devnull, os.O_RDWR)
    if sys.stdout is None:
        sys.stdout = _Closed()
    elif isinstance(sys.stdout, io.TextIOWrapper):
        sys.stdout.reconfigure(errors="backslashreplace")


def _let_streams_go() -> None:
    """Have nothing more come of streams that failed, when the process ends."""
    for stream in (sys.stdout, sys.stderr):
        try:
            if stream is not None:
                stream.flush()
        except (OSError, ValueError):
            with suppress(OSError, ValueError):
                nowhere = os.open(os.devnull, os.O_WRONLY)
                os.dup2(nowhere, stream.fileno())
