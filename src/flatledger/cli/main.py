"""The command-line tool: its commands, and the one place where errors become messages."""

from __future__ import annotations

import os
import signal
import sys
from collections.abc import Callable
from types import FrameType
from typing import Any

import click

EPILOG = """\b
Exit codes: 0 done and balanced; 1 the data or the layout is at fault, and
nothing was written; 2 the command line is wrong; 3 written, with faults,
under --strict; 4 written, and it does not balance.
"""


class Commands(click.Group):
    """The group of commands. Errors of the family are shown in one sentence, without traceback."""

    def invoke(self, context: click.Context) -> Any:
        try:
            return super().invoke(context)
        except BrokenPipeError:  # the reader of our output has gone: nothing is left to say
            sys.stdout = open(os.devnull, "w")  # noqa: SIM115 (it lives as long as the process)
            context.exit(0)
        except Exception as error:
            from ..errors import FlatLedgerError

            if not isinstance(error, FlatLedgerError):
                raise
            start = "Nothing written" if context.invoked_subcommand == "export" else "flatledger"
            click.echo(f"{start}: {error}", err=True)
            context.exit(error.exit_code)


def _version(context: click.Context, _: click.Parameter, wanted: bool) -> None:
    if wanted:
        from .. import __version__

        click.echo(f"flatledger {__version__}")
        context.exit()


def _stop(number: int, _: FrameType | None) -> None:
    raise SystemExit(128 + number)


LAYOUT_OPTIONS = (
    ("--column", "columns", "A column as in a layout, such as 'Part: lines.part.code'."),
    ("--only", "only", "A condition that must be true."),
    ("--sort", "sort", "A heading or expression to sort by; desc after it turns it round."),
    ("--group", "group", "A heading or expression to group by."),
)


def layout_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """Give a command the options by which a layout is typed."""
    for name, key, help_text in reversed(LAYOUT_OPTIONS):
        command = click.option(name, key, multiple=True, metavar="TEXT", help=help_text)(command)
    further = (
        click.option("--fit-to", metavar="FORM", help="A published form (CSV, XLSX) to fit."),
        click.option("--save", metavar="NAME", help="Keep the layout on the shelf."),
        click.option(
            *("--ask", "ask"),
            multiple=True,
            metavar="NAME=VALUE",
            help="A value that the layout asks for; of a list also @FILE or @-.",
        ),
        click.option("--answers", metavar="FILE", help="A YAML file with such values."),
    )
    for option in further:
        command = option(command)
    row_per = click.option("--row-per", metavar="LEVEL", help="The level that a row stands for.")
    return row_per(command)


@click.group(cls=Commands, epilog=EPILOG, context_settings={"help_option_names": ["-h", "--help"]})
@click.option(
    "--version",
    is_flag=True,
    is_eager=True,
    expose_value=False,
    callback=_version,
    help="Say which version this is.",
)
def main() -> None:
    """Turn records that hold other records into flat tables that add up.

    A layout, a small YAML file, says what a row stands for, which columns there are, which records
    take part, and how they are ordered, grouped and totalled. Each run ends with a balance: what
    was read, kept and written, and every total's two sides.

    To begin: flatledger demo
    """
    signal.signal(signal.SIGTERM, _stop)  # an unfinished file is cleared away


@main.command()
@click.argument("places", nargs=-1, metavar="[LAYOUT] SOURCE")
@click.option("-o", "--output", "to", metavar="FILE", help="Where to write; - is standard output.")
@click.option("--report-to", metavar="FILE", help="Write the balance there too, as JSON.")
@click.option("--faults-to", metavar="FILE", help="Write every fault there, as a table (CSV).")
@click.option("--strict", is_flag=True, help="Exit 3 on faults; refuse a form that does not fit.")
@click.option("-q", "--quiet", is_flag=True, help="No balance on standard error if all is well.")
@click.option("--learn", is_flag=True, help="Note the fields of SOURCE beside the layout.")
@layout_options
def export(
    places: tuple[str, ...],
    to: str | None,
    report_to: str | None,
    faults_to: str | None,
    strict: bool,
    quiet: bool,
    learn: bool,
    **typed: Any,
) -> None:
    """Export SOURCE as LAYOUT says, and show the balance.

    SOURCE is JSON Lines or JSON, plain or gzip; - is standard input. The table goes where -o says,
    else where the layout says, else to standard output. The balance goes to standard error.

    \b
    flatledger export requisition-lines.yaml requisitions.jsonl
    flatledger export requisition-lines.yaml requisitions.jsonl -o - | less

    LAYOUT is a file, or the name of one on the shelf. Options change it for this run: conditions
    are added, columns changed or added. Without LAYOUT, its columns are typed:

    \b
    flatledger export requisitions.jsonl --row-per lines --column 'Part: lines.part.code'
        --column 'Quantity: {value: lines.qty, total: sum}' --only 'lines.qty > 1'
    """
    from .export import Ways, run_export
    from .typed import layout_and_source

    with layout_and_source(places, **typed) as (layout, source):
        ways = Ways(to, report_to, faults_to, strict, quiet, learn)
        code = run_export(layout, source, ways)
    raise SystemExit(code)


@main.command()
@click.argument("source", type=click.Path(allow_dash=True))
@click.option("--under", metavar="PATH", help="Only this place and what lies below it.")
@click.option("--values", metavar="PATH", help="The distinct values there, with their counts.")
@click.option("--kinds", metavar="PATH", help="Each kind of record apart, told by the value there.")
@click.option("--records", metavar="PATH", help="Where the records sit in a JSON document.")
@click.option("--all", "everything", is_flag=True, help="Read all records, not only the first.")
@click.option("--json", "as_json", is_flag=True, help="The same as JSON.")
@click.option("--html", "page", metavar="PAGE", help="Write it as a page that can be folded.")
def survey(source: str, **options: Any) -> None:
    """Show every field of SOURCE: its path, how often it is filled and repeats, what it holds.

    \b
    flatledger survey requisitions.jsonl
    flatledger survey requisitions.jsonl --under lines.part
    flatledger survey requisitions.jsonl --values status
    """
    from .survey import run_survey

    raise SystemExit(run_survey(source, **options))


@main.command()
@click.argument("places", nargs=-1, metavar="[LAYOUT] SOURCE")
@click.option("--sample", is_flag=True, help="Only the first 1,000 records: a quick look.")
@click.option("--html", "page", metavar="PAGE", help="Write it as a page.")
@layout_options
def preview(places: tuple[str, ...], sample: bool, page: str | None, **typed: Any) -> None:
    """Show what an export would give, without writing anything.

    The columns with what they hold, the plan in plain words, the first rows, and what would be
    read, kept and written, counted over the whole of SOURCE. A layout can be typed as for export.
    """
    from .preview import run_preview
    from .typed import layout_and_source

    with layout_and_source(places, **typed) as (layout, source):
        code = run_preview(layout, source, sample, page)
    raise SystemExit(code)


@main.command()
@click.argument("source", type=click.Path(allow_dash=True))
@click.option("--row-per", metavar="LEVEL", help="The level that a row stands for.")
@click.option("--records", metavar="PATH", help="Where the records sit in a JSON document.")
@click.option("--all", "everything", is_flag=True, help="Read all records, not only the first.")
@click.option("-o", "--output", "to", metavar="FILE", help="Where to write the layout.")
@click.option("--learn", is_flag=True, help="Note the fields of SOURCE beside it.")
@click.option("--fit-to", metavar="FORM", help="A published form (CSV, XLSX) that it is to fit.")
def draft(source: str, **options: Any) -> None:
    """Draft a layout for SOURCE that runs as it is: every field at or above the row's level.

    \b
    flatledger draft requisitions.jsonl
    flatledger draft requisitions.jsonl --row-per payments -o payments.yaml
    """
    from .draft import run_draft

    raise SystemExit(run_draft(source, **options))


@main.command("try")
@click.argument("expression")
@click.argument("source", type=click.Path(allow_dash=True))
@click.option("--row-per", metavar="LEVEL", help="The level that a row stands for.")
@click.option("--records", metavar="PATH", help="Where the records sit in a JSON document.")
@click.option(
    "--first", default=10, show_default=True, type=click.IntRange(1, 300), help="How many records."
)
def try_(
    expression: str, source: str, row_per: str | None, records: str | None, first: int
) -> None:
    """Evaluate EXPRESSION on the first records of SOURCE, and show each value and its kind.

    \b
    flatledger try station requisitions.jsonl
    flatledger try station.name requisitions.jsonl
    flatledger try 'lines.qty * lines.unit_price' requisitions.jsonl --row-per lines
    """
    from .trying import run_try

    raise SystemExit(run_try(expression, source, row_per, records, first))


@main.command()
@click.option(
    "--to",
    "folder",
    metavar="FOLDER",
    default="flatledger-demo",
    show_default=True,
    help="Where to put the sample data, the layouts and the tables.",
)
def demo(folder: str) -> None:
    """Run the sample layouts over the sample data, and show what comes of it."""
    from .demo import run_demo

    raise SystemExit(run_demo(folder))


@main.group(invoke_without_command=True)
@click.option("--json", "as_json", is_flag=True, help="The list as JSON.")
@click.pass_context
def shelf(context: click.Context, as_json: bool) -> None:
    """List the shelf: saved layouts, conditions and lists, with what they are for.

    A layout's name on the shelf can be given wherever its file can. Shared folders are named in
    the environment variable FLATLEDGER_SHELVES, or in the settings file.
    """
    from .shelf import list_shelf

    if context.invoked_subcommand is None:
        raise SystemExit(list_shelf(as_json))


KIND = click.Choice(["layout", "conditions", "list"])


@shelf.command()
@click.argument("file", type=click.Path(exists=True, dir_okay=False))
@click.option("--as", "name", metavar="NAME", help="Its name, if not that of the file.")
@click.option("--replace", is_flag=True, help="Replace what has this name; the former is kept.")
def put(file: str, name: str | None, replace: bool) -> None:
    """Put FILE on the personal shelf: a layout, conditions (`only` alone), or a list (.txt, .csv).

    What it holds is checked first.
    """
    from .shelf import put_on_shelf

    raise SystemExit(put_on_shelf(file, name, replace))


@shelf.command()
@click.argument("name")
@click.option("--kind", type=KIND, help="Which, where several have this name.")
@click.option("-o", "--output", "to", metavar="FILE", help="Where to write it.")
def take(name: str, kind: str | None, to: str | None) -> None:
    """Write the text of NAME to a file or to standard output; it stays on the shelf."""
    from .shelf import take_from_shelf

    raise SystemExit(take_from_shelf(name, kind, to))


@shelf.command()
@click.argument("name")
@click.option("--kind", type=KIND, help="Which, where several have this name.")
def remove(name: str, kind: str | None) -> None:
    """Take NAME off the personal shelf. It is moved aside, not deleted."""
    from .shelf import remove_from_shelf

    raise SystemExit(remove_from_shelf(name, kind))
