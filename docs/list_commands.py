"""Make docs/commands.md: what each command of the tool takes, as its own help says it.

python docs/list_commands.py
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import click
from click.testing import CliRunner

from flatledger.cli.main import flatledger

HERE = Path(__file__).parent
WIDTH = 100


def commands(group: click.Group, names: tuple[str, ...] = ()) -> Iterator[tuple[str, ...]]:
    """The names of all commands, those of groups after the group."""
    for name, command in group.commands.items():
        if not command.hidden:
            yield (*names, name)
            if isinstance(command, click.Group):
                yield from commands(command, (*names, name))


def page() -> str:
    """The whole page."""
    lines = [
        "# Every command",
        "",
        "Made by `docs/list_commands.py` of what `flatledger help COMMAND` says. How one begins is",
        "shown in [A first table](first-table.md), and how things go on in [Running](running.md).",
    ]
    for names in ((), *commands(flatledger)):
        shown = CliRunner().invoke(
            flatledger, [*names, "--help"], prog_name="flatledger", terminal_width=WIDTH
        )
        title = " ".join(("flatledger", *names)) if names else "The tool"
        lines += ["", f"## {title}", "", "```text", shown.output.rstrip(), "```"]
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    (HERE / "commands.md").write_text(page(), encoding="utf-8")
