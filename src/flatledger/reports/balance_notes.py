"""What a balance has to note, in words."""

from __future__ import annotations

import re
from collections import Counter

from ..layout.model.model import Fit
from ..layout.settling.fitting import ALIKE, EXACTLY, TITLE, misfits
from ..run.balance import Balance
from .words import amount, counted, times

REOPENED_SHOWN = 5
_OTHER_PATTERN = re.compile(r"\blike\s+('[^'%_]*[*?][^'%_]*')", re.IGNORECASE)


def notes_of(balance: Balance) -> list[str]:
    """What there is to note apart from the figures, the fit to a form first."""
    notes = (
        *(*_emptied_note(balance), *_reopened_notes(balance)),
        *(*_list_notes(balance), *_lookup_notes(balance), *_group_notes(balance)),
        *(
            *_tree_notes(balance),
            *_key_notes(balance),
            *_source_notes(balance),
            *balance.notes,
            *_learnt_note(balance),
        ),
    )
    return [*fit_lines(balance.fit), *(f"Note: {note}" for note in notes)]


def _opening_notes(balance: Balance) -> list[str]:
    """What became of the definitions that nodes were opened by."""
    one = balance.opened_by
    if one is None:
        return []
    where = one.file or "the source's own records"
    parts = [f"{counted(one.definitions, 'definition')} in {where}, {one.used:,} of them used"]
    if one.unused:
        parts.append(_of_them(one.unused, "used by no record", one.first_unused))
    if one.double:
        what = "defined more than once, of which the first was taken"
        parts.append(_of_them(one.double, what, one.first_double))
    if one.nameless and one.file:
        parts.append(f"{one.nameless:,} without a name")
    return [f"opened by {'; '.join(parts)}"]


def _tree_notes(balance: Balance) -> list[str]:
    """Sums over trees, which never add a node and what is below it; what was kept beside."""
    return [
        *_opening_notes(balance),
        *(
            f"sums and means take the leaves of {level} only, never a node with what is below it: "
            f"in {', '.join(one.where for one in balance.nodes_taken if one.level == level)} "
            "(all_nodes(…) takes all)"
            for level in dict.fromkeys(one.level for one in balance.nodes_taken)
        ),
        *(
            f"{headings}: of what is below a node, what the conditions left"
            for headings in [", ".join(balance.below_left)]
            if headings
        ),
        *(
            f"`{one.name or one.text}` kept {one.more:,} more, "
            f"{'below' if one.kept_with == 'branch' else 'above'} those that it passed"
            for one in balance.conditions
            if one.kept_with
        ),
    ]


def _reopened_notes(balance: Balance) -> list[str]:
    """Groups that came in pieces."""
    if not balance.first_reopened:
        return []
    shown = "; ".join(
        f"{', '.join(map(str, one.group))} from row {one.row:,} and again from row {one.again:,}"
        for one in balance.first_reopened[:REOPENED_SHOWN]
    )
    count = counted(balance.reopened, "group")
    ways = "" if balance.reopening_allowed else "; `reopened: allowed` lets them"
    return [f"{count} came back after another: {shown}{ways}"]


def _lookup_notes(balance: Balance) -> list[str]:
    """What became of each side list."""
    notes = []
    for one in balance.lookups:
        parts = [f"{one.matched:,} matched, {one.unmatched:,} not"]
        if one.missing:
            parts.append(f"not on the list: {', '.join(one.missing)}")
        if one.unused:
            parts.append(_of_them(one.unused, "asked for by no record", one.first_unused))
        if one.keyless:
            parts.append(f"{one.keyless:,} on the list without a key")
        if one.double:
            what = "on the list more than once, of which the first was taken"
            parts.append(_of_them(one.double, what, one.first_double))
        notes.append(f"looked up {one.name}: {'; '.join(parts)}")
    return notes


def _of_them(count: int, what: str, first: list[str]) -> str:
    more = ", …" if count > len(first) else ""
    return f"{count:,} {what}: {', '.join(first)}{more}"


def _list_notes(balance: Balance) -> list[str]:
    """What is on a list and was met nowhere."""
    notes = []
    for found in balance.lists:
        if found.unmet:
            more = ", …" if found.unmet > len(found.first_unmet) else ""
            notes.append(
                f"list {found.name}: {found.unmet:,} of {counted(found.values, 'value')} not met: "
                f"{', '.join(found.first_unmet)}{more}"
            )
    return notes


def _emptied_note(balance: Balance) -> list[str]:
    """Which condition left nothing, and what it met instead."""
    emptied = balance.emptied_by
    if emptied is None:
        return []
    note = f"nothing remained after `{emptied.name or emptied.text}`"
    met = ", ".join(f"{text} ({times(count)})" for text, count in emptied.values.items())
    met = f"; {emptied.field} was: {met}" if met else ""
    pattern = _OTHER_PATTERN.search(emptied.text)
    hint = pattern[1].replace("*", "%").replace("?", "_") if pattern else ""
    signs = f"; in like, % stands for any text and _ for one letter: {hint}" if hint else ""
    return [f"{note}{met}{signs}"]


def column_notes(balance: Balance) -> list[str]:
    """What there is to note of the figures of totals."""
    notes = []
    for column in balance.columns:
        if column.nodes:
            where = "above" if column.nodes == "leaves" else "below"
            left = f"; {counted(column.passed_over, 'node')} {where} them in no total"
            what = f"{column.heading}: added up over the {column.nodes} of {column.home}"
            notes.append(f"{what}{left * bool(column.passed_over)}")
        if column.overlap is not None:
            notes.append(
                f"{column.heading}: the groups overlap by {amount(column.overlap)}, which "
                f"the whole counts once for each {column.home}"
            )
        if column.cut is not None:
            notes.append(f"{column.heading}: the rows not taken hold {amount(column.cut)}")
        if column.rounding is not None:
            notes.append(
                f"{column.heading}: its rounded cells differ from the exact total by "
                f"{amount(column.rounding)}"
            )
        if not column.balanced:
            notes.append(
                f"{column.heading}: source {amount(column.source)}, table "
                f"{amount(column.written)}, grand total {amount(column.total)}; "
                "please report this layout and its source"
            )
    return notes


def _group_notes(balance: Balance) -> list[str]:
    """Columns that differ within groups, and totals that their rounded cells do not add up to."""
    return [
        *(
            f"column {one.heading} differs within {one.groups:,} of {balance.groups:,} groups; "
            "the value met first was taken"
            for one in balance.differing
        ),
        *(
            f"{one.heading}: the rounded cells add up to {amount(one.cells)}, and the total row, "
            f"which is worked out over all, is {amount(one.total)} "
            f"({amount(one.total - one.cells)} more)"
            for one in balance.totals_apart
        ),
    ]


def _key_notes(balance: Balance) -> list[str]:
    """Entries that no column made for keys holds."""
    notes = []
    for one in balance.keyless:
        sums = " and ".join(map(amount, one.sums))
        adding = f"; their values add up to {sums}" if sums else ""
        many = "1 entry has" if one.entries == 1 else f"{one.entries:,} entries have"
        notes.append(f"columns from {one.level}: {many} no key and no column{adding}")
    return notes


def _source_notes(balance: Balance) -> list[str]:
    """A source without records, and levels that its first records did not show."""
    return [
        *([] if balance.read else ["the source holds no records"]),
        *(
            f"record {one.record:,} has {one.met}, where the first records have none; all "
            "records were looked at, and the run began again"
            for one in balance.begun_again
        ),
    ]


def _learnt_note(balance: Balance) -> list[str]:
    learnt = balance.learnt
    if learnt is None:
        return []
    named = f", and {learnt.keys:,} keys for columns" if learnt.keys else ""
    what = f"new fields learnt: {learnt.fields:,}; {learnt.file} knows {learnt.known:,}{named}"
    return [what]


# ---- how a table fits a published form, in words


def fit_lines(fit: Fit | None) -> list[str]:
    """A line of counts, then one for each heading that is not the same or has no match."""
    if fit is None:
        return []
    counts = Counter(placed.by for placed in fit.placed)
    found = ", ".join(f"{counts[by]:,} {by}" for by in (EXACTLY, ALIKE, TITLE) if counts[by])
    whole = len(fit.placed) + len(fit.blank)
    placed = f"{len(fit.placed):,} of {whole:,} have a column"
    head = f"Form {fit.form}, headings in row {fit.row}: {placed}"
    return [
        f"{head} ({found})" if found else head,
        *(f"  `{one.heading}` takes `{one.column}`" for one in fit.placed if one.by != EXACTLY),
        *(f"  {misfit}" for misfit in misfits(fit)),
    ]
