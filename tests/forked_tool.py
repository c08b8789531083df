"""The tool as a process of its own, forked off one that has loaded it: the same run, begun sooner.

It is the command line as `python -m flatledger` has it, with its own folder, environment, streams
and exit code; what happens while Python loads the package is seen by the tests that start one.
"""

from __future__ import annotations

import atexit
import base64
import importlib
import json
import os
import selectors
import subprocess
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

_MAIN = Path(__file__).parents[1] / "src" / "flatledger" / "__main__.py"  # as `-m` has it
_LOADED = (
    *("cli.main", "api.export", "api.preview", "api.survey", "api.draft", "api.shelf"),
    *("api.specimen", "api.evaluate", "reports.screen", "language.actions"),
)


class ForkedTool:
    """Starts the process that the runs are forked off, once it is needed."""

    def __init__(self) -> None:
        self._server: subprocess.Popen[bytes] | None = None

    def run(
        self, arguments: Sequence[str], folder: Path, variables: dict[str, str], stdin: bytes
    ) -> tuple[int, bytes, bytes]:
        """The exit code of a run, and what it wrote on both streams."""
        if self._server is None:
            self._server = subprocess.Popen(
                [sys.executable, __file__], stdin=subprocess.PIPE, stdout=subprocess.PIPE
            )
            atexit.register(self._server.communicate)  # which ends it
        assert self._server.stdin is not None
        assert self._server.stdout is not None
        asked = {"arguments": arguments, "folder": str(folder), "variables": variables}
        line = json.dumps({**asked, "stdin": base64.b64encode(stdin).decode()})
        self._server.stdin.write(f"{line}\n".encode())
        self._server.stdin.flush()
        code, out, err = json.loads(self._server.stdout.readline())
        return code, base64.b64decode(out), base64.b64decode(err)


def _serve() -> None:
    from flatledger.cli import main  # before the module of that name takes its place

    for name in _LOADED:
        importlib.import_module(f"flatledger.{name}")
    answers = os.fdopen(os.dup(1), "w")
    os.dup2(2, 1)
    for line in sys.stdin:
        code, out, err = _forked(main, json.loads(line))
        told = code, base64.b64encode(out).decode(), base64.b64encode(err).decode()
        answers.write(json.dumps(told) + "\n")
        answers.flush()


def _forked(main: Callable[[], None], asked: dict[str, Any]) -> tuple[int, bytes, bytes]:
    outs, errs = os.pipe(), os.pipe()
    child = os.fork()
    if child == 0:
        os.close(outs[0])
        os.close(errs[0])
        _run(main, asked, outs[1], errs[1])
    os.close(outs[1])
    os.close(errs[1])
    found = {outs[0]: b"", errs[0]: b""}
    with selectors.DefaultSelector() as ready:
        for number in found:
            ready.register(number, selectors.EVENT_READ)
        while ready.get_map():
            for key, _ in ready.select():
                data = os.read(key.fd, 1 << 16)
                found[key.fd] += data
                if not data:
                    ready.unregister(key.fd)
    _, status = os.waitpid(child, 0)
    os.close(outs[0])
    os.close(errs[0])
    return os.waitstatus_to_exitcode(status), found[outs[0]], found[errs[0]]


def _run(main: Callable[[], None], asked: dict[str, Any], out: int, err: int) -> None:
    os.chdir(asked["folder"])
    os.environ.clear()
    os.environ.update(asked["variables"])
    os.dup2(_filled(base64.b64decode(asked["stdin"])), 0)
    os.dup2(out, 1)
    os.dup2(err, 2)
    for number in (out, err):
        os.close(number)
    sys.stdin = open(0, encoding="utf-8", closefd=False)  # noqa: SIM115 (the standard streams)
    sys.stdout = open(1, "w", encoding="utf-8", closefd=False)  # noqa: SIM115
    sys.stderr = open(2, "w", encoding="utf-8", errors="backslashreplace", closefd=False)  # noqa: SIM115
    sys.argv = [str(_MAIN), *asked["arguments"]]
    code: Any = 0
    try:
        main()
    except SystemExit as end:
        code = end.code or 0
    except BaseException:
        sys.excepthook(*sys.exc_info())
        code = 1
    atexit._run_exitfuncs()
    for stream in (sys.stdout, sys.stderr):
        try:
            stream.flush()
        except (OSError, ValueError):
            code = code or 120
    os._exit(code if isinstance(code, int) else 1)


def _filled(data: bytes) -> int:
    """A pipe that some bytes come out of."""
    taken, given = os.pipe()
    if os.fork() == 0:
        os.close(taken)
        try:
            with os.fdopen(given, "wb") as pipe:
                pipe.write(data)
        finally:
            os._exit(0)
    os.close(given)
    return taken


if __name__ == "__main__":
    _serve()
