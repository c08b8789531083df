"""From the text of a layout to what it says: every key read, every fault told."""

from __future__ import annotations

from pathlib import PurePath
from typing import Any

from msgspec.structs import replace

from ...errors import LayoutError
from ...language.notations import Notation, notation_of
from ..model.column import Column, Expression
from ..model.model import Condition, LayoutRequest, Totals
from ..model.names import proposal
from ..model.text import Item, ItemMap, Scalar
from ..model.tree_options import WITH
from .files import Files
from .forms import EXPRESSION, PATHS, SWITCH, TEXT, choice, read_text
from .read_additions import FIT_TO, LOOKUP, SPLIT
from .read_columns import COLUMNS_SCHEMA, read_columns
from .read_fields import FIELDS
from .read_output import OUTPUT
from .read_questions import ASK, check_asked
from .read_rows import CALENDAR, EXPECTS_ORDER, GROUP, GROUPING, ROW_PER, SORT, TAKE, TOTALS
from .read_source import SOURCE
from .read_trees import NEST, NESTS, OPEN, OPENS_BY
from .read_values import LOCALE
from .reading import (
    Form,
    Key,
    Reading,
    Section,
    either,
    items_of,
    object_schema,
    one_or_more,
    pairs_of,
    read_keys,
)

# ---- conditions ------------------------------------------------------------------------------

_CONDITION_KEYS: Section = {
    "keep": Key(EXPRESSION, "The level that is judged, where it is not on the way to the row."),
    "when": Key(EXPRESSION, "The condition.", "value"),
    "with": Key(choice(WITH), "What else it keeps in a tree.", "kept_with"),
    "name": Key(TEXT, "What it is called in the balance."),
    "because": Key(TEXT, "Why it is there."),
}


def _conditions(item: Item, _: str, reading: Reading) -> tuple[Condition, ...]:
    found = [_condition(entry, reading) for entry in items_of(item)]
    return tuple(condition for condition in found if condition is not None)


def _condition(item: Item, reading: Reading) -> Condition | None:
    """A condition; in braces it can have a name, a reason, and a level off the row's way."""
    origin = _origin(item, reading)
    if not isinstance(item, ItemMap):
        value = EXPRESSION.read(item, "a condition", reading)
        return Condition(value, origin=origin) if value else None
    keys = reading.mapping(item, "a condition", _CONDITION_KEYS)
    if "when" not in keys:
        says = "a condition has at least `when`: {keep: payments, when: ...}"
        reading.fault(item, says)
        return None
    found = read_keys(keys, _CONDITION_KEYS, reading)
    return Condition(**found, origin=origin) if found["value"] else None


def _origin(item: Item, reading: Reading) -> str:
    """Where a condition came from, if not from the layout's own file."""
    if item.file == reading.own_file:
        return ""
    return PurePath(item.file).stem if item.file else "command line"


# ---- the primary key -------------------------------------------------------------------------


def _primary_key(item: Item, where: str, reading: Reading) -> tuple[str, ...]:
    """The headings of the columns that identify a row."""
    found = []
    for entry in items_of(item):
        heading = read_text(entry, where, reading).strip()
        if heading and heading not in reading.headings:
            near = proposal(heading, reading.headings)
            reading.fault(entry, f"{where} takes headings; no column `{heading}`{near}")
        found.append(heading)
    return tuple(found)


# ---- the whole -------------------------------------------------------------------------------


def _columns(item: Item, _: str, reading: Reading) -> tuple[Column, ...]:
    return read_columns(item, item, reading)


_CONDITION = either(TEXT.schema, object_schema(_CONDITION_KEYS))
LAYOUT_KEYS: Section = {
    "layout": Key(TEXT, "The layout's name.", "name"),
    "about": Key(TEXT, "What it is for."),
    "locale": Key(LOCALE, "Whose way of writing numbers and dates it is (BCP 47)."),
    "source": Key(SOURCE, "How the source is read."),
    "fields": Key(FIELDS, "What the values of fields are, wherever these are used."),
    "levels": Key(PATHS, "The places that repeat, all of them."),
    "may-lack": Key(PATHS, "Paths that no record need have."),
    "row-per": Key(ROW_PER, "The level that a row stands for; of several, rows are stacked."),
    "row-per-group": Key(GROUPING, "A row stands for a group: what these are by."),
    "repeat-parents": Key(SWITCH, "In stacked rows, a parent's values stand on the rows below it."),
    "without-entries": Key(choice(("keep", "drop")), "What becomes of records without entries."),
    "primary-key": Key(
        Form(_primary_key, one_or_more(TEXT.schema)), "The headings that identify a row."
    ),
    "fit-to": Key(FIT_TO, "A published form whose headings the table is to have."),
    "columns": Key(Form(_columns, COLUMNS_SCHEMA), "The columns, in their order."),
    "only": Key(Form(_conditions, one_or_more(_CONDITION)), "What must be true.", "conditions"),
    "ask": Key(ASK, "What is asked for at each run.", "questions"),
    "expects-order": Key(EXPECTS_ORDER, "An order that the data is to have.", "expects"),
    "take": Key(TAKE, "Only so many."),
    "sort": Key(SORT, "What rows are sorted by: headings or expressions."),
    "group": Key(GROUP, "What rows are grouped by."),
    "totals": Key(TOTALS, "Where totals stand."),
    "calendar": Key(CALENDAR, "The working calendar."),
    "nests": Key(NESTS, "Levels that nest in themselves, with the member by which they do."),
    "nest": Key(NEST, "Flat rows that become a tree."),
    "open": Key(OPEN, "How far the nodes of a tree are opened.", "openings"),
    "opens-by": Key(OPENS_BY, "Where it is defined what the nodes of a tree hold."),
    "split": Key(SPLIT, "Levels made from cells that hold lists.", "splits"),
    "lookup": Key(LOOKUP, "Side lists, by the fields that they become.", "lookups"),
    "output": Key(OUTPUT, "How the table is written."),
}


def read_layout(item: Item, name: str, files: Files) -> LayoutRequest:
    """What a layout says, by its items; ``files`` opens the code lists that it names.

    Raises LayoutError with all faults at once.
    """
    reading = Reading(files, item.file)
    reading.notation = _notation(item)
    keys = reading.mapping(item, "a layout", LAYOUT_KEYS)
    if "fields" in keys:
        reading.fields = FIELDS.read(keys.pop("fields"), "`fields`", reading)
    columns = read_columns(keys.pop("columns", None), item, reading, keys.get("row-per"))
    reading.headings = frozenset(column.heading for column in columns)
    found: dict[str, Any] = {"name": name, **read_keys(keys, LAYOUT_KEYS, reading)}
    found |= dict(zip(("group", "group_order"), found.pop("group", ()), strict=False))
    levels = tuple(reading.spread_levels)
    found |= {"fields": reading.fields, "spread_levels": levels}
    if reading.column_levels:
        _check_column_levels(found.get("row_per", ()), reading)
    if any(not key.detail for key in found.get("group", ())):
        found["totals"] = replace(found.get("totals", Totals()), detail=False)
    request = LayoutRequest(columns=columns, **found)
    _check_together(request, keys, reading)
    if reading.problems:
        raise LayoutError(name, reading.problems)
    return request


def _check_column_levels(row_per: tuple[Expression, ...], reading: Reading) -> None:
    """Columns by level are of the levels of the stack, and each of these has some."""
    levels = [one.text.strip() for one in row_per]
    names = [one.text.strip() for one in reading.column_levels]
    if len(levels) < 2:
        says = f"columns by level go with stacked rows: `row-per: [{', '.join(names)}]`"
        reading.fault(reading.column_levels[0], says)
        return
    for level, name in zip(reading.column_levels, names, strict=True):
        if name not in levels:
            near = proposal(name, levels) or f"; it has {', '.join(levels)}"
            reading.fault(level, f"`columns` has some for {name}, and `row-per` has it not{near}")
    for one in row_per:
        if one.text.strip() not in names:
            said = f"`columns` has none for {one.text.strip()}, which `row-per` has"
            reading.problems.append(one.problem(said))


def _check_total_rows(request: LayoutRequest, keys: dict[str, Item], reading: Reading) -> None:
    """A total row after the first holds totals of one kind, since it has one label."""
    kinds = request.total_rows
    for at, kind in enumerate(kinds[1:], 1):
        if not kind:
            columns = [one for one in request.columns if one.total_row == at]
            kinds_of = ((one.further_of, one.total.name) for one in columns if one.total)
            names = "; ".join(f"{heading} has {name}" for heading, name in kinds_of)
            what = f"total row {at + 1} holds totals of one kind, since it has one label"
            reading.problems.append(columns[-1].problem(f"`total`: {what}: {names}"))
    if len(kinds) > 1 and request.row_per_group:
        further = next(one for one in request.columns if one.total_row)
        what = "`total` of several kinds goes with rows, and not where a row stands for a group"
        reading.problems.append(further.problem(what))
    unused = [kind for kind, _ in request.totals.labels if kind not in kinds]
    if unused:
        what = f"`labels` has {', '.join(unused)}, of which no total row is"
        reading.fault(
            keys["totals"], f"{what}; there are {', '.join(filter(None, kinds)) or 'none'}"
        )


def _check_by_level(request: LayoutRequest, keys: dict[str, Item], reading: Reading) -> None:
    """What a table can't have whose levels have columns of their own."""
    taken = {
        "repeat-parents": request.repeat_parents,
        "fit-to": request.fit_to is not None,
    }
    if not request.totals.detail:
        says = "without detail a row stands for a group: write one list of `columns`"
        said = next(key for key in ("totals", "group", "row-per-group", "columns") if key in keys)
        reading.fault(keys[said], says)
    for key in (one for one, there in taken.items() if there):
        reading.fault(keys[key], f"`{key}` goes with one list of columns, not with some by level")
    for key, there in (
        ("second-header", bool(request.output.second_header)),
        ("csvw", request.output.csvw),
    ):
        if there:
            says = f"`{key}` goes with one list of columns, not with some by level"
            reading.fault(keys["output"], says)


def _notation(item: Item) -> Notation | None:
    """The notation of the format that a layout says its source has: it decides how paths are
    read."""
    source = next((one for key, one in pairs_of(item) if key.text == "source"), None)
    stated = next((one for key, one in pairs_of(source) if key.text == "format"), None)
    return notation_of(stated.text) if isinstance(stated, Scalar) else None


def _check_together(request: LayoutRequest, keys: dict[str, Item], reading: Reading) -> None:
    """What can only be told of the layout as a whole."""
    for other in ("row-per", "group"):
        if "row-per-group" in keys and other in keys:
            says = f"`row-per-group` takes the place of `{other}`; keep one"
            reading.fault(keys[other], says)
    if request.fit_to is not None and request.output.second_header:
        says = "a form has the rows of its header; leave out second-header"
        reading.fault(keys["output"], says)
    written = request.columns and not (request.group or request.row_per_group)
    if not request.totals.detail and written and not any(one.total for one in request.columns):
        says = "no detail and no group: only the heading would be written; add `group`"
        reading.fault(keys["totals"], says)
    if request.by_level:
        _check_by_level(request, keys, reading)
    elif request.output.headings == "each-family":
        says = "`headings: each-family` goes with columns by level: {record: […], lines: […]}"
        reading.fault(keys["output"], says)
    for depth, key in enumerate(request.group, 1):
        totalled = depth in request.subtotals.depths and any(one.total for one in request.columns)
        if key.page_break and not totalled and key.shown != "row":
            what = "nothing would tell in print where its groups begin"
            says = f"`page-break` of {key.text}: {what}; add `heading: row`, or a total"
            reading.problems.append(key.problem(says))
    _check_total_rows(request, keys, reading)
    stated = {key.subtotals for key in request.group}
    if any(key.text == "subtotals" for key, _ in pairs_of(keys.get("totals"))):
        stated.add(request.totals.subtotals)
    if {"after", "before"} <= stated:
        what = "the totals of all keys stand before their groups, or all after them"
        reading.fault(keys["group"], f"`subtotals`: {what}; a key may have none")
    if request.group_order.as_met and request.subtotals.where == "before":
        says = "subtotals before their groups need them sorted, not as-met"
        reading.fault(keys.get("totals", keys["group"]), says)
    check_asked(request, keys, reading)
