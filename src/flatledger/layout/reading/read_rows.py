"""Reading what a layout says of its rows: order, groups, totals, how many of them."""

from __future__ import annotations

import re
from collections.abc import Iterator
from itertools import pairwise
from typing import Any

import msgspec

from ...bounds import MOST_TAKEN
from ...errors import ExpressionError, Problem
from ...language import parse_sort_key
from ...language.nodes import Collate, Node
from ..model.column import Expression
from ..model.model import Calendar, Expectation, Grouping, GroupOrder, Sorting, Take, Totals
from ..model.text import Item, ItemMap, Scalar
from .forms import (
    EXPRESSION,
    NAMES,
    SWITCH,
    TEXT,
    amount,
    choice,
    choice_of,
    names_of,
    whole_number,
)
from .read_columns import total_kinds
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

_SORT_KEY = re.compile(
    r"(?P<heading>.*?)(?:\s+collate\s+(?P<collation>\"[^\"]+\"|\S+))?(?:\s+(?P<order>asc|desc))?"
    r"(?:\s+nulls\s+(?P<nulls>first|last))?",
    re.IGNORECASE,
)

# ---- what a row stands for --------------------------------------------------------------------


def _row_per(item: Item, where: str, reading: Reading) -> tuple[Expression, ...]:
    """The level that a row stands for, or several."""
    found = [EXPRESSION.read(one, where, reading) for one in items_of(item)]
    texts = [one.text for one in found if one]
    for one in found:
        if one and texts.count(one.text) > 1:
            texts.remove(one.text)
            reading.problems.append(one.problem(f"{where} has {one.text} twice"))
    return tuple(one for one in found if one)


ROW_PER = Form(_row_per, one_or_more(EXPRESSION.schema))

# ---- order -----------------------------------------------------------------------------------


def _sorting(item: Item, _: str, reading: Reading) -> tuple[Sorting, ...]:
    keys = [_sort_key(entry, reading, reading.headings) for entry in items_of(item)]
    return tuple(key for key in keys if key is not None)


def _check_doubled(item: Item, text: str, where: str, reading: Reading) -> None:
    """A heading that is meant is one of a single level."""
    if text in reading.doubled:
        what = f"{where}: several levels have a column `{text}`; write its expression"
        reading.fault(item, what)


def _sort_key(item: Item, reading: Reading, headings: frozenset[str]) -> Sorting | None:
    """A heading or an expression, each with what may follow it."""
    if not isinstance(item, Scalar):
        reading.fault(item, "`sort` takes headings or expressions, each with `desc` if need be")
        return None
    text = item.text.strip()
    if text in headings:
        return Sorting(None, text, place=item.place(0))
    _check_doubled(item, text, "`sort`", reading)
    found = _SORT_KEY.fullmatch(text)
    if found and found["heading"] in headings:
        return Sorting(
            None,
            found["heading"],
            descending=(found["order"] or "").lower() == "desc",
            nulls_first=(found["nulls"] or "").lower() == "first",
            collation=(found["collation"] or "").strip('"'),
            place=item.place(0),
        )
    try:
        key = parse_sort_key(item.text, reading.notation)
    except ExpressionError as error:
        reading.problems.append(Problem(f"`sort`: {error}", *item.place(error.position)))
        return None
    value: Node = key.value
    collation = ""
    if isinstance(value, Collate):
        collation, value = value.collation, value.operand
    ways = key.descending, bool(key.nulls_first), collation, item.place(0)
    return Sorting(Expression(item, value), None, *ways)


def _expectations(item: Item, _: str, reading: Reading) -> tuple[Expectation, ...]:
    found = [_expectation(entry, reading) for entry in items_of(item)]
    return tuple(one for one in found if one is not None)


def _expectation(item: Item, reading: Reading) -> Expectation | None:
    """A path whose values never go back, or ``{entry: …, after: …}``."""
    if isinstance(item, ItemMap):
        return _after(item, reading)
    key = _sort_key(item, reading, frozenset())
    if key is None or key.value is None:
        return None
    path = names_of(key.value.scalar, "`expects-order`", reading, key.value.node)
    return Expectation(path, key.descending, key.collation) if path else None


_AFTER_KEYS: Section = {
    "entry": Key(NAMES, "What names an entry."),
    "after": Key(NAMES, "What names the entries that come before it."),
}


def _after(item: ItemMap, reading: Reading) -> Expectation | None:
    keys = reading.mapping(item, "`expects-order`", _AFTER_KEYS)
    paths = read_keys(keys, _AFTER_KEYS, reading)
    entry, after = paths.get("entry"), paths.get("after")
    if len(keys) < len(_AFTER_KEYS):
        reading.fault(item, "`expects-order` takes {entry: tasks.no, after: tasks.needs}")
    elif entry and after and entry[:-1] != after[:-1]:
        reading.fault(item, "`entry` and `after` are fields of the same entry")
    return Expectation(entry, after=after) if entry and after else None


SORT = Form(_sorting, one_or_more(TEXT.schema))
EXPECTS_ORDER = Form(_expectations, one_or_more(either(TEXT.schema, object_schema(_AFTER_KEYS))))

# ---- groups ----------------------------------------------------------------------------------


def _grouping(item: Item, _: str, reading: Reading) -> tuple[Grouping, ...]:
    keys = []
    for entry in items_of(item):
        keys += [key] if (key := _group_key(entry, reading)) is not None else []
    return tuple(keys)


def _group_key(item: Item, reading: Reading) -> Grouping | None:
    """One key: a heading or an expression."""
    text = item.text.strip() if isinstance(item, Scalar) else ""
    _check_doubled(item, text, "`group`", reading)
    if isinstance(item, Scalar) and text in reading.headings:
        return Grouping(None, text, text, place=item.place(0))
    expression = EXPRESSION.read(item, "`group`", reading)
    return (
        Grouping(expression, None, text, place=expression.scalar.place(0)) if expression else None
    )


GROUPING = Form(_grouping, one_or_more(TEXT.schema))
WHERE = choice(("after", "before", "none"))
_KEY_KEYS: Section = {
    "by": Key(TEXT, "A heading or an expression."),
    "heading": Key(
        choice(("each", "first", "row")), "On which row of a group its value is.", "shown"
    ),
    "subtotals": Key(WHERE, "Where the total of its groups stands."),
    "detail": Key(SWITCH, "Whether what is in its groups is written."),
    "page-break": Key(SWITCH, "Whether each of its groups begins a page, in print."),
    "label": Key(
        TEXT, "What its total rows say; {group} is the value, {rows} and {entries} how many."
    ),
}


def _keys(item: Item, where: str, reading: Reading) -> tuple[Grouping, ...]:
    """Group keys, each by itself, or with what is said of it."""
    found: list[Grouping] = []
    for entry in items_of(item):
        if not isinstance(entry, ItemMap):
            found += [key] if (key := _group_key(entry, reading)) is not None else []
            continue
        keys = reading.mapping(entry, "a key of `group`", _KEY_KEYS)
        key = _group_key(keys["by"], reading) if "by" in keys else None
        if "by" not in keys:
            reading.fault(
                entry, "a key of `group` has at least `by`: {by: Station, heading: first}"
            )
        said = read_keys({k: one for k, one in keys.items() if k != "by"}, _KEY_KEYS, reading)
        found += [msgspec.structs.replace(key, **said)] if key is not None else []
    reading.problems += _not_together(found)
    return tuple(found)


def _not_together(keys: list[Grouping]) -> Iterator[Problem]:
    """What keys can't say together."""
    for key, inner in pairwise(keys):
        if not key.detail:
            what = f"of {key.text} no detail is written, so that {inner.text} would not be seen"
            yield inner.problem(f"`group`: {what}; leave out one of both")
    for key in keys:
        if key.shown == "first" and key.heading is None:
            what = f"{key.text} is no column, so that its value stands on no row"
            yield key.problem(f"`group`: {what}; `heading: first` goes with a heading")


KEYS = Form(_keys, one_or_more(either(TEXT.schema, object_schema(_KEY_KEYS))))
_GROUP_KEYS: Section = {
    "by": Key(KEYS, "Headings or expressions."),
    "order": Key(
        choice_of({"sorted": False, "as-met": True}), "Whether groups are sorted.", "as_met"
    ),
    "reopened": Key(
        choice_of({"refused": False, "allowed": True}),
        "Whether a group may come back that has ended.",
        "may_reopen",
    ),
}
Groups = tuple[tuple[Grouping, ...], GroupOrder]


def _groups(item: Item, where: str, reading: Reading) -> Groups:
    """What to group by: headings and expressions, or these with the order of groups."""
    if not isinstance(item, ItemMap):
        return _keys(item, where, reading), GroupOrder()
    keys = reading.mapping(item, where, _GROUP_KEYS)
    found = read_keys(keys, _GROUP_KEYS, reading)
    if "by" not in found:
        reading.fault(item, "`group` has at least `by`: {by: [Station], order: as-met}")
    if "may_reopen" in found and not found.get("as_met"):
        reading.fault(keys["reopened"], "`reopened` goes with `order: as-met`")
    return found.pop("by", ()), GroupOrder(**found)


GROUP = Form(_groups, either(KEYS.schema, object_schema(_GROUP_KEYS)))

# ---- how many, and totals --------------------------------------------------------------------

_TAKE_KEYS: Section = {
    "first": Key(whole_number(MOST_TAKEN), "So many from the start."),
    "every": Key(whole_number(MOST_TAKEN, 1), "Every n-th."),
    "of": Key(choice(("rows", "records")), "Of what."),
}


def _take(item: Item, where: str, reading: Reading) -> Take | None:
    keys = reading.mapping(item, where, _TAKE_KEYS)
    if "of" not in keys or not keys.keys() & {"first", "every"}:
        reading.fault(item, "`take` says how many of what: {first: 100, of: rows}")
        return None
    return Take(**read_keys(keys, _TAKE_KEYS, reading))


TAKE = Form(_take, object_schema(_TAKE_KEYS))


def _labels(item: Item, where: str, reading: Reading) -> tuple[tuple[str, str], ...]:
    """Labels by the kinds of totals."""
    kinds = choice(total_kinds())
    if not pairs_of(item):
        reading.fault(item, f"{where} takes kinds with labels: {{avg: 'Mean of {{group}}'}}")
    return tuple(
        (kinds.read(kind, where, reading), TEXT.read(one, where, reading))
        for kind, one in pairs_of(item)
    )


LABELS = Form(
    _labels,
    {
        "type": "object",
        "properties": dict.fromkeys(total_kinds(), TEXT.schema),
        "additionalProperties": False,
    },
)
_TOTALS_KEYS: Section = {
    "subtotals": Key(WHERE, "Where a group's total stands."),
    "detail": Key(SWITCH, "Whether the rows of groups are written."),
    "grand-total": Key(SWITCH, "Whether there is a total of all."),
    "label": Key(
        TEXT, "What stands in a group's total row; {group} is its value, {rows} how many it has."
    ),
    "grand-label": Key(TEXT, "What stands in the last total row."),
    "labels": Key(LABELS, "What stands in rows of one kind of total, by the kind."),
}
_CALENDAR_KEYS: Section = {
    "hours-per-day": Key(amount(8, 24), "How many hours a working day has."),
    "days-per-week": Key(amount(5, 7), "How many days a working week has."),
}


def _struct(section: Section, make: Any) -> Form[Any]:
    """A section that is a struct, key by key."""

    def read(item: Item, where: str, reading: Reading) -> Any:
        return make(**read_keys(reading.mapping(item, where, section), section, reading))

    return Form(read, object_schema(section))


TOTALS: Form[Totals] = _struct(_TOTALS_KEYS, Totals)
CALENDAR: Form[Calendar] = _struct(_CALENDAR_KEYS, Calendar)
