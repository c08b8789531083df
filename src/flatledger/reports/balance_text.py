"""The balance as text for a terminal: what was read, kept and written, and whether it adds up."""

from __future__ import annotations

from collections import Counter
from typing import Any

from ..run.balance import Balance, ColumnBalance, ConditionCount
from ..run.protocols import FileRead, RowsLeftOut
from .balance_notes import column_notes, notes_of
from .fault_text import fault_lines
from .screen import Grid, Screen, Verdict
from .words import amount, counted

FILES_SHOWN = 12
_ALWAYS = ("not passed", "dropped")
DRIFT_SHOWN = 12
PLACES_SHOWN = 3
_TOTALS_SHOWN = 4


def print_balance(balance: Balance, screen: Screen) -> None:
    """Print a balance; of several tables that of each, and then what they have in common."""
    if balance.tables:
        _print_head(balance, screen, f"{counted(len(balance.tables), 'table')} from one reading")
        for part in balance.tables:
            screen.line()
            screen.line(f"{part.layout}: a row for each {_singular(part)}{_levels(part)}", "bold")
            _print_figures(part, screen)
    else:
        _print_head(balance, screen, f"a row for each {_singular(balance)}{_levels(balance)}")
        screen.line()
        _print_figures(balance, screen)
    if len(balance.files_read) > 1:
        screen.line()
        screen.grid(_files(balance.files_read))
    screen.line()
    screen.lines([f"Wrong: {one}" for one in balance.wrong])
    screen.lines([f"Note: {one}" for one in balance.sums_apart])
    _print_told(balance, screen)
    screen.lines(fault_lines(balance))
    screen.line(f"{sum(f.bytes for f in balance.files):,} bytes in {balance.seconds:.2f} s")
    screen.lines(notice_lines(balance))
    screen.verdict(last_line(balance), verdict_of(balance))


def _print_head(balance: Balance, screen: Screen, what: str) -> None:
    screen.line(f"Balance of {balance.layout}", "bold")
    screen.line(f"{balance.source}; {what}")
    screen.lines([f"Read as {balance.manner}"] if balance.manner else [])
    screen.lines(asked_lines(balance))


def _print_figures(balance: Balance, screen: Screen) -> None:
    """What was read, kept and written of a table, and both sides of its totals."""
    screen.grid(_counts(balance))
    if balance.conditions:
        screen.line()
        screen.grid(_conditions(balance))
    if balance.columns:
        screen.line()
        screen.grid(_columns(balance))


def _print_told(balance: Balance, screen: Screen) -> None:
    """What there is to say of a table, or of each, once where it is the same."""
    parts = balance.tables or [balance]
    told = [
        [
            *checked_lines(one),
            *(f"Note: {note}" for note in column_notes(one)),
            *notes_of(one),
            *drift_lines(one),
        ]
        for one in parts
    ]
    if not balance.tables:
        screen.lines(told[0])
        return
    often = Counter(line for lines in told for line in lines)
    common = [line for line in told[0] if often[line] == len(parts)]
    screen.lines(list(dict.fromkeys([*common, *notes_of(balance)])))
    for one, lines in zip(parts, told, strict=True):
        own = [line for line in lines if often[line] < len(parts)]
        screen.lines([f"{one.layout}: {line[:1].lower()}{line[1:]}" for line in own])


def checked_lines(balance: Balance) -> list[str]:
    """What was read a second time, by definition."""
    checked = balance.checked
    if checked is None or not balance.read:
        return []
    cells = f"{checked.cells:,} cells"
    if checked.everything:
        return [f"Checked again by definition: all {checked.records:,} records, {cells}"]
    of = f"{checked.records:,} of {balance.read:,} records"
    return [f"Checked again by definition: {of}, {cells}"]


def print_counts(balance: Balance, screen: Screen) -> None:
    """Print what was read, kept and left out, with the faults."""
    screen.lines([f"Read as {balance.manner}"] if balance.manner else [])
    screen.lines(asked_lines(balance))
    screen.grid(_counts(balance, "rows"))
    if balance.conditions:
        screen.line()
        screen.grid(_conditions(balance))
    screen.line()
    screen.lines([*notes_of(balance), *drift_lines(balance), *fault_lines(balance)])
    screen.lines(notice_lines(balance))


def notice_lines(balance: Balance) -> list[str]:
    """What somebody should look at."""
    return [f"Look at this: {notice}" for notice in balance.notices]


def asked_lines(balance: Balance) -> list[str]:
    """What was asked for, and each period in full."""
    asked = "; ".join(
        f"{one.name} = {one.text}" + (f" ({one.given})" if one.given not in ("", one.text) else "")
        for one in balance.asked
    )
    days = [f"{one.text}: {one.first} to {one.last}, both days included" for one in balance.periods]
    return [*([f"Asked: {asked}"] if asked else []), *(f"Period {line}" for line in days)]


def _levels(balance: Balance) -> str:
    """The places that repeat, and who says so."""
    if not balance.repeating:
        return ""
    by = "as the layout states" if balance.levels_stated else "as the records show"
    return f"; levels, {by}: {', '.join(balance.repeating)}"


def _singular(balance: Balance) -> str:
    first, *below = [one.level for one in balance.stacked] or [balance.row_per]
    itself = first in ("record", "group")
    under = f", and below it for each entry of {', '.join(below)}" if below else ""
    return f"{first if itself else f'entry of {first}'}{under}"


def _grid(*headings: str) -> Grid:
    """A grid whose columns stand to the left, or to the right as given by `>`."""
    right = {place for place, heading in enumerate(headings) if heading.startswith(">")}
    return Grid([heading.lstrip(">") for heading in headings], right)


def _counts(balance: Balance, rows: str = "rows written") -> Grid:
    """What was read, less what left it on the way, is what remains."""
    less = taken_off(balance)
    grid = _grid("", ">read", *(f">{name}" for name in less), ">remaining", "")
    numbers = (balance.read, *less.values(), balance.remaining)
    nothing = f"no {balance.row_per} remained" if balance.row_per != "record" else "nothing below"
    dropped = f"dropped: {nothing}" if balance.dropped else ""
    grid.add("records", *_numbers(*numbers), dropped)
    if (left := balance.totals_left_out) is not None:
        grid.add("total rows", f"{left.many:,}", *[""] * (len(less) + 1), left_out(left))
    blank = [""] * (len(less) - len(_ALWAYS))
    for level in balance.levels:
        note = "dropped with their record" if level.dropped else ""
        counts = _numbers(level.not_passed, level.dropped, level.remaining)
        grid.add(level.level, *_numbers(level.met), *blank, *counts, note)
    cut = f"{balance.rows_not_taken:,} not taken" if balance.rows_not_taken else ""
    said = ", ".join(part for part in (cut, _totals(balance)) if part)
    grid.add(rows, "", *[""] * len(less), f"{balance.rows:,}", said)
    return grid


def left_out(left: RowsLeftOut) -> str:
    """Which rows of the source were totals already."""
    where = ", ".join(left.where[:_TOTALS_SHOWN]) + ", …" * (left.many > _TOTALS_SHOWN)
    blank = f"; blank in {', '.join(left.blank)}" if left.blank else ""
    return f"of the source, left out: {where}{blank}" if left.many else "none was met to leave out"


def taken_off(balance: Balance) -> dict[str, int]:
    """What of the records that were read does not remain, by its reason; in the order in which it
    goes. What could not be read and what was not taken is told where there is any."""
    counts = {
        "unreadable": balance.unreadable,
        "not taken": balance.not_taken,
        "not passed": balance.not_passed,
        "dropped": balance.dropped,
    }
    return {name: count for name, count in counts.items() if count or name in _ALWAYS}


def _files(files: list[FileRead]) -> Grid:
    """How many records each file has; those that were passed over are all listed."""
    grid = _grid("file", ">records", ">unreadable", "")
    read = [one for one in files if not one.passed_over]
    for one in read[:FILES_SHOWN]:
        grid.add(one.name, f"{one.records:,}", f"{one.unreadable:,}", "")
    more = read[FILES_SHOWN:]
    if more:
        unreadable = sum(one.unreadable for one in more)
        records = sum(one.records for one in more)
        grid.add(f"and {counted(len(more), 'more file')}", f"{records:,}", f"{unreadable:,}", "")
    for one in files:
        if one.passed_over:
            grid.add(one.name, "", "", "passed over")
    return grid


def _totals(balance: Balance) -> str:
    rows = f"and {counted(balance.total_rows, 'total row')}" if balance.total_rows else ""
    headings = f"and {counted(balance.heading_rows, 'heading')}" if balance.heading_rows else ""
    groups = f"in {counted(balance.groups, 'group')}" if balance.groups else ""
    said = " ".join(filter(None, (rows, headings, groups)))
    return f"{said}{'; ' * bool(said)}{_of_levels(balance)}" if balance.stacked else said


def _of_levels(balance: Balance) -> str:
    """How many of stacked rows are of each level."""
    return ", ".join(f"{one.rows:,} of {one.level}" for one in balance.stacked)


def _numbers(*numbers: int) -> list[str]:
    return [f"{number:,}" for number in numbers]


def _conditions(balance: Balance) -> Grid:
    """How many entries passed each condition alone, and how many remain after it."""
    grid = _grid("condition", ">tested", ">passed", ">filtered out", ">unknown", ">remaining")
    for one in balance.conditions:
        counts = (one.tested, one.passed, one.filtered_out, one.unknown, one.remaining)
        about = (
            f"of {one.level}" if one.level != "record" else "",
            remark_on(one),
            f"from {one.origin}" if one.origin else "",
        )
        said = "; ".join(filter(None, about))
        grid.add(condition_words(one) + (f" ({said})" if said else ""), *_numbers(*counts))
    return grid


def remark_on(count: ConditionCount) -> str:
    """What is out of the ordinary with a condition: it passed all, none, or next to none."""
    if not count.tested:
        return ""
    if count.passed == count.tested:
        return "passed all"
    if not count.passed:
        return "passed none"
    return "passed fewer than one in a thousand" if count.passed * 1_000 < count.tested else ""


def condition_words(count: ConditionCount) -> str:
    """A condition with its name and its reason."""
    name = f"{count.name}: " if count.name else ""
    because = f" (because {count.because})" if count.because else ""
    return f"{name}{count.text}{because}"


def _columns(balance: Balance) -> Grid:
    grid = _grid("total", "of", "once for each", ">in the source", ">in the table", "")
    for column in balance.columns:
        rounded = column.rounding is not None and column.source != column.written
        agrees = "agrees but for rounding" if rounded else "agrees"
        verdict = agrees if column.balanced else "DIFFERS"
        source, written = _amount(column, column.source), _amount(column, column.written)
        grid.add(column.aggregate, column.heading, column.home, source, written, verdict)
    return grid


def _amount(column: ColumnBalance, value: Any) -> str:
    shown = amount(value)
    return f"{shown} / {column.count:,}" if column.aggregate == "avg" else shown


def drift_lines(balance: Balance) -> list[str]:
    """What the layout expects and the data lacks, and the other way round."""
    drift = balance.drift  # paths that no record had are pointed out by themselves
    lines = []
    some = drift.looked_at < balance.read
    looked = f" ({drift.looked_at:,} of the records were looked at)" if some else ""
    parts = {
        f"Fields that are new{looked}": drift.new_fields,
    }
    for what, names in parts.items():
        if names:
            more = f", and {len(names) - DRIFT_SHOWN:,} more" if len(names) > DRIFT_SHOWN else ""
            lines.append(f"{what}: {', '.join(names[:DRIFT_SHOWN])}{more}")
    return [*lines, *(["  --learn takes what is new as known"] if drift.new_fields else [])]


def verdict_of(balance: Balance) -> Verdict:
    """Whether all is well, or something is to be looked at, or it does not balance."""
    if not balance.balanced:
        return "wrong"
    return "look" if balance.fault_count or balance.notices or not balance.rows else "well"


def last_line(balance: Balance) -> str:
    """What a run ends with: how much was written and where, whether it agrees, and its faults."""
    if not balance.balanced:
        wrong = [one.heading for one in balance.columns if not one.balanced]
        wrong += [one.layout for one in balance.tables if not one.balanced]
        what = "not every record is accounted for"
        if wrong or balance.wrong:
            what = f"{', '.join(wrong) or balance.wrong[0]} (see above)"
        if balance.reopened and not balance.reopening_allowed:
            what = f"{counted(balance.reopened, 'group')} came back after another (see above)"
        return f"Does not balance: {what}. {_written(balance)}."
    totals = any(one.columns for one in (balance, *balance.tables))
    agree = "Totals agree" if totals else "Counts agree"
    return f"{_written(balance)}. {agree}. {_faults(balance)}."


def _written(balance: Balance) -> str:
    totals = f" and {counted(balance.total_rows, 'total row')}" if balance.total_rows else ""
    places = ", ".join(f"{f.name}{' (replaced)' if f.replaced else ''}" for f in balance.files)
    tables = f" in {counted(len(balance.tables), 'table')}" if balance.tables else ""
    return (
        f"Wrote {counted(balance.rows, 'row')}{totals}{tables}{f' to {places}' if places else ''}"
    )


def _faults(balance: Balance) -> str:
    """How many faults there were, and in which fields the most."""
    if not balance.fault_count:
        return "No faults"
    named = [path or "the source" for path in balance.fault_places]
    more = f" and {len(named) - PLACES_SHOWN:,} places more" if len(named) > PLACES_SHOWN else ""
    return f"{counted(balance.fault_count, 'fault')} in {', '.join(named[:PLACES_SHOWN])}{more}"
