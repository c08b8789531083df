"""How the commands are grouped and show their help."""

from __future__ import annotations

import re
from typing import Any

import click

from ..errors import FlatLedgerError
from .ending import CLOSED_PIPE, FailedError

SECTIONS = {
    "The layout, or what differs from it": (
        *("tables", "row_per", "columns", "only", "sort", "group", "take", "fit_to", "save"),
    ),
    "What the layout asks for": ("ask", "answers"),
    "How the source is read": (
        "fields",
        "reading",
        "records",
        "below",
        "everything",
        "largest_record",
    ),
    "How the table is written": (
        *("to", "format_", "delimiter", "header", "encoding", "csvw", "with_balance"),
        *("if_there", "verify", "verify_all"),
    ),
    "What is said": ("quiet", "strict", "faults_to", "report_to", "learn"),
}
_SECTION_OF = {name: title for title, names in SECTIONS.items() for name in names}
_BOUNDS = re.compile(r"\s*\[[^\]]*x[<>]=?[^\]]*\]")  # of numbers, which say themselves
_FEW = 8  # options that need no sections


class Command(click.Command):
    """A command whose help has its options by what they are about."""

    def format_options(self, context: click.Context, formatter: click.HelpFormatter) -> None:
        """Write the options section by section; which of them may be repeated is said."""
        shown = [
            (one, record)
            for one in self.get_params(context)
            if isinstance(one, click.Option)
            and (record := one.get_help_record(context)) is not None
        ]
        order = list(_SECTION_OF)
        sections: dict[str, list[tuple[int, tuple[str, str]]]] = {title: [] for title in SECTIONS}
        for one, (name, text) in shown:
            text = _BOUNDS.sub("", text)
            title = _SECTION_OF.get(str(one.name)) if len(shown) > _FEW else None
            if getattr(one, "multiple", False):
                text = f"{text.rstrip('.')}; may be repeated."
            place = order.index(str(one.name)) if title else 0
            sections.setdefault(title or "Options", []).append((place, (name, text)))
        for title, records in sections.items():
            if records:
                with formatter.section(title):
                    formatter.write_dl([record for _, record in sorted(records, key=_place)])


def _place(entry: tuple[int, Any]) -> int:
    return entry[0]


class Commands(click.Group):
    """The group of commands. An error of the family is told when the command has ended."""

    command_class = Command

    def invoke(self, context: click.Context) -> Any:
        from ..api.parsed_before import parsed_before

        try:
            with parsed_before():
                return super().invoke(context)
        except BrokenPipeError:  # which click would end in its own way
            raise SystemExit(CLOSED_PIPE) from None
        except FlatLedgerError as error:
            nothing = context.invoked_subcommand == "export" and not error.written
            raise FailedError("Nothing written" if nothing else "flatledger", error) from None

    def format_commands(self, context: click.Context, formatter: click.HelpFormatter) -> None:
        """Write what each command does, whole."""
        with formatter.section("Commands"):
            formatter.write_dl(
                [
                    (name, str(self.commands[name].help).strip().split("\n\n")[0])
                    for name in self.list_commands(context)
                ]
            )


class ShelfCommands(Commands):
    """The group of the shelf's commands; a former name is refused with the new one."""

    def get_command(self, context: click.Context, name: str) -> click.Command | None:
        if name == "take":
            context.fail("`shelf take` is now `shelf get`.")
        return super().get_command(context, name)
