"""The commands; thin. Each loads what it needs when it is called, so that help answers at once."""

from __future__ import annotations

import gc

from .ending import ended, finish, stop_on_signals

_MADE = 100_000  # objects, after which it is looked for circles among them


def main() -> None:
    """Run the tool with what was typed, and leave the process with its exit code."""
    stop_on_signals()  # before anything that takes time
    gc.set_threshold(_MADE, 20, 20)  # what is imported stays, and is no reason to look through it

    def call() -> object:
        from .main import flatledger

        return flatledger.main(prog_name="flatledger", standalone_mode=False)

    code = ended(call)
    finish()
    raise SystemExit(code)
