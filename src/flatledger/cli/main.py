"""The command-line tool: its commands and options."""

from __future__ import annotations

import os
from collections.abc import Callable
from typing import Any, Literal, get_args

import click

from ..bounds import LARGEST_RECORD
from ..layout.model.shelved import ShelfCategory
from . import completing, help_texts
from .commands import Commands, ShelfCommands

IfThere = Literal["keep", "replace", "refuse", "number"]
IF_THERE: tuple[IfThere, ...] = get_args(IfThere)
EPILOG = """\b
Exit codes: 0 done and balanced; 1 the data or the layout is at fault, and
nothing was written; 2 the command line is wrong; 3 written, with faults,
under --strict; 4 does not balance: the table stands beside as
NAME.unbalanced.EXT; 130, 143, 129 or 141 stopped by Ctrl-C, SIGTERM, SIGHUP
or a closed pipe.
"""


def _version(context: click.Context, _: click.Parameter, wanted: bool) -> None:
    if wanted:
        from .. import __version__

        click.echo(f"flatledger {__version__}")
        context.exit()


def reading_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """Give a command the options by which a source is read."""
    largest = click.option(
        "--largest-record",
        metavar="MB",
        type=click.IntRange(min=1),
        default=LARGEST_RECORD,
        help=f"How large a record may be.  [default: {LARGEST_RECORD}]",
    )
    records = click.option(
        "--records",
        metavar="PATH",
        help="Where the records sit: a path in JSON, an element of XML.",
    )
    return reading_option(records(largest(command)))


def reading_option(command: Callable[..., Any]) -> Callable[..., Any]:
    """Give a command the option for further keys of how a source is read."""
    read = click.option(
        *("--read", "reading"),
        multiple=True,
        metavar="KEY=VALUE",
        callback=_reading,
        help="How SOURCE is read, as under `source` in a layout: sheet=Stores, delimiter=pipe.",
    )
    below = click.option("--below", is_flag=True, help="Of a folder also the folders within it.")
    field = click.option(
        *("--field", "fields"),
        multiple=True,
        metavar="TEXT",
        callback=_fields,
        help="What the values of a field are: 'raised: {datatype: date, reads: dd/MM/yyyy}'.",
    )
    return field(read(below(command)))


def _fields(context: click.Context, _: click.Parameter, texts: tuple[str, ...]) -> dict[str, Any]:
    from .typed import declared_fields

    return declared_fields(texts)


def _reading(context: click.Context, _: click.Parameter, texts: tuple[str, ...]) -> dict[str, Any]:
    from .typed import reading_keys

    return reading_keys(texts)


STRICT = (
    "Exit 3 on faults and on what is pointed out; look for names that come twice in an object; "
    "refuse a form that does not fit."
)
LAYOUT_OPTIONS = (
    ("--column", "columns", "A column as in a layout: 'Part: lines.part.code'."),
    ("--only", "only", "A condition that must be true."),
    ("--sort", "sort", "A heading or expression to sort by; desc after it reverses the order."),
    ("--group", "group", "A heading or expression to group by."),
)


def layout_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """Give a command the options by which a layout is typed."""
    for name, key, help_text in reversed(LAYOUT_OPTIONS):
        command = click.option(name, key, multiple=True, metavar="TEXT", help=help_text)(command)
    further = (
        click.option(
            "--take",
            metavar="N",
            type=click.IntRange(min=1),
            help="Only the first N records that pass.",
        ),
        click.option("--fit-to", metavar="FORM", help="A published form (CSV, XLSX) to fit."),
        click.option("--save", metavar="NAME", help="Keep the layout on the shelf."),
        click.option("--replace", is_flag=True, help="With --save: replace the one of this name."),
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
    row_per = click.option(
        "--row-per",
        multiple=True,
        metavar="LEVEL",
        help="The level that a row stands for; rows of several are stacked.",
    )
    tables = click.option(
        "--table",
        "tables",
        multiple=True,
        metavar="NAME",
        help="Only this table of a layout with several.",
    )
    return reading_option(row_per(tables(command)))


@click.group(
    cls=Commands,
    help=help_texts.MAIN,
    epilog=EPILOG,
    context_settings={"help_option_names": ["-h", "--help"]},
    invoke_without_command=True,
)
@click.option(
    "--version",
    is_flag=True,
    is_eager=True,
    expose_value=False,
    callback=_version,
    help="Say which version this is.",
)
@click.pass_context
def flatledger(context: click.Context) -> None:
    if context.invoked_subcommand is None:
        click.echo(context.get_help())


@flatledger.command(help=help_texts.EXPORT)
@click.argument("places", nargs=-1, metavar="[LAYOUT] SOURCE...", shell_complete=completing.layouts)
@click.option(
    *("-o", "--output", "to"),
    multiple=True,
    metavar="FILE",
    help="Where to write, in the format of its name; - is standard output.",
)
@click.option("--report-to", metavar="FILE", help="Write the balance there too, as JSON.")
@click.option("--faults-to", metavar="FILE", help="Write every fault there, as a table (CSV).")
@click.option(
    *("--if-there", "if_there"),
    type=click.Choice(IF_THERE),
    help="What becomes of a file that is there; keep: one changed by hand stays beside.",
)
@click.option("--strict", is_flag=True, help=STRICT)
@click.option("-q", "--quiet", is_flag=True, help="No balance on standard error if all is well.")
@click.option("--learn", is_flag=True, help="Note the fields of SOURCE beside the layout.")
@click.option("--verify", is_flag=True, help="Read what was written again, by another reader.")
@click.option(
    "--verify-all",
    is_flag=True,
    help="That, and every record read a second time by definition: some 30 times as long.",
)
@click.option(
    *("--format", "format_"),
    metavar="NAME",
    help="The format, if no file's name tells it.",
    shell_complete=completing.formats,
)
@click.option("--delimiter", metavar="NAME", help="What stands between cells: semicolon, tab.")
@click.option("--header/--no-header", default=None, help="Whether the headings are written.")
@click.option("--encoding", metavar="NAME", help="The encoding of text, if not utf-8.")
@click.option("--csvw", is_flag=True, help="Write CSVW metadata beside delimited text.")
@click.option("--with-balance", is_flag=True, help="Put the balance and the faults in a workbook.")
@layout_options
def export(
    places: tuple[str, ...],
    to: tuple[str, ...],
    report_to: str | None,
    faults_to: str | None,
    if_there: IfThere | None,
    strict: bool,
    quiet: bool,
    learn: bool,
    verify: bool,
    verify_all: bool,
    format_: str | None,
    delimiter: str | None,
    header: bool | None,
    encoding: str | None,
    csvw: bool,
    with_balance: bool,
    **typed: Any,
) -> None:
    from .export import ExportWays, run_export
    from .typed import layout_and_source

    output: dict[str, Any] = {
        "format": format_,
        "delimiter": delimiter,
        "header": None if header is None else "yes" if header else "no",
        "encoding": encoding,
        "csvw": csvw and "yes",
        "with-balance": with_balance and "yes",
    }
    if any("{" in name.replace("{table}", "") and not os.path.exists(name) for name in to):
        output["file"], to = list(to), ()  # where answers stand in the places of their names
    typed["output"] = {key: value for key, value in output.items() if value}
    again: Any = "all" if verify_all else verify
    with layout_and_source(places, **typed) as (layout, source, answers):
        ways = ExportWays(to, report_to, faults_to, if_there, strict, quiet, learn, again)
        code = run_export(layout, source, answers, ways)
    raise SystemExit(code)


@flatledger.command(help=help_texts.SURVEY)
@click.argument("sources", nargs=-1, required=True, metavar="SOURCE...")
@click.option("--under", metavar="PATH", help="Only this place and what lies below it.")
@click.option("--depth", metavar="N", type=click.IntRange(1), help="Show N levels of names, whole.")
@click.option("--values", metavar="PATH", help="The distinct values there, with their counts.")
@click.option("--kinds", metavar="PATH", help="Each kind of record apart, told by the value there.")
@reading_options
@click.option("--all", "everything", is_flag=True, help="Read all records, not only the first.")
@click.option("--json", "as_json", is_flag=True, help="The same as JSON.")
@click.option("--html", "page", metavar="PAGE", help="Write it as a page that can be folded.")
def survey(sources: tuple[str, ...], below: bool, **options: Any) -> None:
    from .survey import run_survey
    from .typed import one_or_several

    raise SystemExit(run_survey(one_or_several(sources, below), **options))


@flatledger.command(help=help_texts.PREVIEW)
@click.argument("places", nargs=-1, metavar="[LAYOUT] SOURCE...", shell_complete=completing.layouts)
@click.option("--sample", is_flag=True, help="Only the first 1,000 records: a quick look.")
@click.option(
    "--rows",
    type=click.IntRange(0, 1_000),
    default=10,
    show_default=True,
    metavar="N",
    help="How many of the first rows are shown.",
)
@click.option("--html", "page", metavar="PAGE", help="Write it as a page.")
@layout_options
def preview(
    places: tuple[str, ...], sample: bool, rows: int, page: str | None, **typed: Any
) -> None:
    from .preview import run_preview
    from .typed import layout_and_source

    with layout_and_source(places, **typed) as (layout, source, answers):
        code = run_preview(layout, source, answers, sample, rows, page)
    raise SystemExit(code)


@flatledger.command(help=help_texts.DRAFT)
@click.argument("sources", nargs=-1, required=True, metavar="SOURCE...")
@click.option("--row-per", metavar="LEVEL", help="The level that a row stands for.")
@reading_options
@click.option("--all", "everything", is_flag=True, help="Read all records, not only the first.")
@click.option("-o", "--output", "to", metavar="FILE", help="Where to write the layout.")
@click.option("--replace", is_flag=True, help="Replace a file that is there already.")
@click.option("--learn", is_flag=True, help="Note the fields of SOURCE beside it.")
@click.option("--fit-to", metavar="FORM", help="A published form (CSV, XLSX) that it is to fit.")
def draft(sources: tuple[str, ...], below: bool, **options: Any) -> None:
    from .draft import run_draft
    from .typed import one_or_several

    raise SystemExit(run_draft(one_or_several(sources, below), **options))


@flatledger.command("try", help=help_texts.TRY)
@click.argument("expression")
@click.argument("sources", nargs=-1, required=True, metavar="SOURCE...")
@click.option("--row-per", metavar="LEVEL", help="The level that a row stands for.")
@reading_options
@click.option(
    "--first", default=10, show_default=True, type=click.IntRange(1, 300), help="How many records."
)
@click.option("--steps", is_flag=True, help="Show each step: what is read where, what it makes.")
def try_(expression: str, sources: tuple[str, ...], below: bool, **options: Any) -> None:
    from .trying import run_try
    from .typed import one_or_several

    raise SystemExit(run_try(expression, one_or_several(sources, below), **options))


@flatledger.command(help=help_texts.SPECIMEN)
@click.argument("layout", shell_complete=completing.layouts)
@click.argument("source", required=False, type=click.Path(allow_dash=True))
@click.option("--table", metavar="NAME", help="Which table of a layout with several.")
@click.option("-o", "--output", "to", metavar="FILE", required=True, help="Where to write it.")
@click.option("--replace", is_flag=True, help="Replace a file that is there already.")
def specimen(layout: str, source: str | None, table: str | None, to: str, replace: bool) -> None:
    from .specimen import run_specimen

    raise SystemExit(run_specimen(layout, source, table, to, replace))


@flatledger.command(help=help_texts.CHECK)
@click.argument("layout", shell_complete=completing.layouts)
@click.argument("source", required=False, type=click.Path(allow_dash=True))
@click.option("--code", is_flag=True, help="Show the code that it is made into for SOURCE.")
def check(layout: str, source: str | None, code: bool) -> None:
    from .checking import run_check, run_code

    if code is not (source is not None):
        raise click.UsageError("name a source with --code, and none without it")
    raise SystemExit(run_check(layout) if source is None else run_code(layout, source))


@flatledger.command("help", help=help_texts.HELP)
@click.argument("names", nargs=-1, metavar="[COMMAND]")
@click.pass_context
def help_(context: click.Context, names: tuple[str, ...]) -> None:
    found: click.Command = flatledger
    inner = context.find_root()
    for name in names:
        group = found if isinstance(found, click.Group) else None
        command = group.get_command(inner, name) if group else None
        if command is None:
            context.fail(f"There is no command {name!r}.")
        inner = click.Context(command, info_name=name, parent=inner)
        found = command
    click.echo(found.get_help(inner))


@flatledger.command(help=help_texts.SCHEMA)
@click.option("-o", "--output", "to", metavar="FILE", help="Where to write it.")
def schema(to: str | None) -> None:
    from .schema import run_schema

    raise SystemExit(run_schema(to))


@flatledger.command(help=help_texts.DEMO)
@click.option(
    "--to",
    "folder",
    metavar="FOLDER",
    default="flatledger-demo",
    show_default=True,
    help="Where to put the sample data, the layouts and the tables.",
)
def demo(folder: str) -> None:
    from .demo import run_demo

    raise SystemExit(run_demo(folder))


@flatledger.group(cls=ShelfCommands, invoke_without_command=True, help=help_texts.SHELF)
@click.option("--json", "as_json", is_flag=True, help="The list as JSON.")
@click.pass_context
def shelf(context: click.Context, as_json: bool) -> None:
    from .shelf import list_shelf

    if context.invoked_subcommand is None:
        raise SystemExit(list_shelf(as_json))


CATEGORY = click.Choice([str(one) for one in ShelfCategory])


@shelf.command(help=help_texts.PUT)
@click.argument("file", type=click.Path(exists=True, dir_okay=False))
@click.option("--as", "name", metavar="NAME", help="Its name, if not the layout's or the file's.")
@click.option("--replace", is_flag=True, help="Replace what has this name; the former is kept.")
@click.option("--with-files", is_flag=True, help="Take along the files that a layout names.")
def put(file: str, name: str | None, replace: bool, with_files: bool) -> None:
    from .shelf import put_on_shelf

    raise SystemExit(put_on_shelf(file, name, replace, with_files))


@shelf.command(help=help_texts.GET)
@click.argument("name", shell_complete=completing.things)
@click.option("--kind", "category", type=CATEGORY, help="Which, where several have this name.")
@click.option("-o", "--output", "to", metavar="FILE", help="Where to write it.")
@click.option("--replace", is_flag=True, help="Replace a file that is there already.")
def get(name: str, category: str | None, to: str | None, replace: bool) -> None:
    from .shelf import get_from_shelf

    raise SystemExit(get_from_shelf(name, category, to, replace))


@shelf.command(help=help_texts.REMOVE)
@click.argument("name", shell_complete=completing.things)
@click.option("--kind", "category", type=CATEGORY, help="Which, where several have this name.")
def remove(name: str, category: str | None) -> None:
    from .shelf import remove_from_shelf

    raise SystemExit(remove_from_shelf(name, category))
