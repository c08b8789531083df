"""The formats that tables are written in: one line and one module for each.

A format is the one that the layout states, or the one that the file's name asks for.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, NamedTuple, cast

from ..errors import OutputError
from ..extras import loaded
from ..layout.model.model import LayoutParts, SettledLayout
from ..layout.model.names import proposal
from ..plan.plan import Plan
from ..plan.row_type import ColumnPlan
from ..run.protocols import TextForm
from .cells.writer import TablesWriter, Writer, check_suffix, suffix_of
from .places.files import Target


class TableFormat(NamedTuple):
    """A format of tables: its name, how names of its files end, its module, and its extra.

    The module has ``check_table``, which raises OutputError where a layout can't be written so, and
    ``open_writer``. ``by_level``: each level of stacked rows may have columns of its own in it.
    ``several``: tables can stand in it one after another (`TablesWriter`).
    """

    name: str
    suffixes: tuple[str, ...]
    module: str
    extra: str = ""
    by_level: bool = False
    several: bool = False

    def load(self) -> Any:
        """Its module. Raises MissingExtraError."""
        name = f"{__package__}.{self.module}"
        return loaded(name, self.extra, f"writing {self.name.upper()}")


FORMATS = (
    TableFormat("csv", (".csv", ".txt"), "text.delimited", by_level=True),
    TableFormat("tsv", (".tsv", ".tab"), "text.tabbed", by_level=True),
    TableFormat("fixed-width", (), "text.fixed_width"),
    TableFormat("xlsx", (".xlsx",), "forms.form_workbook", by_level=True, several=True),
    TableFormat("ods", (".ods",), "sheets.opendocument", by_level=True, several=True),
    TableFormat("json", (".json",), "documents.json_document", several=True),
    TableFormat("jsonl", (".jsonl", ".ndjson"), "documents.json_lines"),
    TableFormat("markdown", (".md",), "documents.markdown"),
    TableFormat("html", (".html", ".htm"), "documents.web_page", by_level=True, several=True),
)
TEXTS = tuple(suffix for one in FORMATS if one.name in ("csv", "tsv") for suffix in one.suffixes)


def format_of(name: str, stated: str = "", formats: Sequence[TableFormat] = FORMATS) -> TableFormat:
    """The format of a table in a file of this name; that of a stream is the first.

    Raises OutputError where there is none such.

    >>> format_of("lines.tab").name, format_of("-").name, format_of("lines.txt", "tsv").name
    ('tsv', 'csv', 'tsv')
    """
    names = [one.name for one in formats]
    if stated and stated not in names:
        hint = proposal(stated, names) or f"; there are {', '.join(names)}"
        raise OutputError(f"no format `{stated}`{hint}")
    named = next((one for one in formats if suffix_of(name) in one.suffixes), None)
    if stated:
        if named is not None and stated != named.name and suffix_of(name) != ".txt":
            raise OutputError(
                f"{name}: the layout's format is {stated}, and such a name is for {named.name}; "
                "change one of them"
            )
        return formats[names.index(stated)]
    if named is None:
        check_suffix(name, [suffix for one in formats for suffix in one.suffixes], "a table")
    return named or formats[0]


def is_delimited(name: str, stated: str = "") -> bool:
    """Whether a table in a file of this name is delimited text.

    >>> is_delimited("lines.csv"), is_delimited("lines.xlsx")
    (True, False)
    """
    return format_of(name, stated).name in ("csv", "tsv")


def line_form_of(name: str, stated: str = "") -> Callable[[Plan], TextForm | None]:
    """What says how lines are made for a file of this name, where it is delimited text."""
    if not is_delimited(name, stated):
        return lambda plan: None
    return cast(Callable[[Plan], TextForm | None], format_of(name, stated).load().line_form)


def check_table(layout: LayoutParts, name: str, *, together: bool = False) -> None:
    """Raise OutputError where a layout's table can't go to a file of this name; one that several
    stand in ``together``."""
    format = format_of(name, layout.output.format)
    if layout.by_level and not format.by_level:
        raise OutputError(
            f"{name}: columns by level go to workbooks, pages and delimited text; {format.name} "
            "has the same columns on every row"
        )
    if together and layout.form is not None and layout.form.workbook:
        raise OutputError(f"{name}: a form takes one table; write {layout.name} to a file alone")
    format.load().check_table(layout, name)


def open_writer(
    layout: SettledLayout, target: Target, columns: Sequence[ColumnPlan], source: str = ""
) -> Writer:
    """The writer for a target; ``columns`` are those of the rows, which come from ``source``."""
    module = format_of(target.name, layout.output.format).load()
    return cast(Writer, module.open_writer(layout, target, columns, source))


def open_writer_of_several(
    layout: SettledLayout,
    target: Target,
    columns: Sequence[ColumnPlan],
    source: str = "",
    *,
    title: str,
) -> TablesWriter:
    """The writer for a target in which several tables stand under a ``title``; ``layout`` and
    ``columns`` are those of the first."""
    writer: Any = open_writer(layout, target, columns, source)
    writer.begin_several(title)
    return cast(TablesWriter, writer)
