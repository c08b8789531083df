"""Writing `unfold`, which turns kept records into rows, and `identify`."""

from __future__ import annotations

from collections.abc import Collection

from msgspec.structs import replace

from ...language import nodes as n
from ...layout.model.column import Column
from ...plan.kinds import is_aggregate
from ...plan.plan import Plan
from ...plan.row_type import ColumnPlan, KeyPlan, Mark
from ...structure.levels import Names
from ...structure.recognising import is_identifier
from ..expressions.blocks import function_head, indented, listed_codes
from ..expressions.constants import Constants
from ..expressions.emission import ordinal_name, places_name
from ..expressions.emitter import Emitter
from ..expressions.tree_walks import Walk
from .walking import load_entries, loop

Classes = dict[int, set[type]]  # of the values of some columns, by their slots


def _aggregates(plan: ColumnPlan) -> bool:
    """Whether a column's value is one over entries, which are there of kept records only."""
    parts = plan.value.walk() if plan.value else ()
    return any(isinstance(part, n.Heading) or is_aggregate(part) for part in parts)


def _is_identifier(plan: ColumnPlan) -> bool:
    """Whether a column is a field of the record itself that is called like an identifier."""
    names = plan.value.names() if isinstance(plan.value, n.FieldPath) else None
    return names is not None and len(names) == 1 and is_identifier(names[0])


def identify_source(plan: Plan, constants: Constants) -> str:
    """Write `identify`: for each record the cells of the primary key that are its own; without one,
    its column that is called like an identifier."""
    keys = [plan.column(heading) for heading in plan.layout.primary_key]
    own = [column for column in keys if column.at == 0 and not _aggregates(column)]
    if not keys:
        own = [one for one in plan.written if one.at == 0 and _is_identifier(one)][:1]
    if not own:
        return ""
    emitter = Emitter(plan, constants)
    cells = [emitter.columns.cell(column).code for column in own]
    lines = [
        function_head("identify", "records", "numbers"),
        "    found = []",
        "    for record, number in zip(records, numbers):",
        *indented(
            [*emitter.code.scope.blocks[0].lines, f"found.append(({listed_codes(cells)}))"], 2
        ),
        "    return found",
    ]
    return "\n".join(lines)


def unfold_source(plan: Plan, constants: Constants, raw: bool) -> tuple[str, set[Names]]:
    """Write `unfold`: one loop per level of the chain, one tuple per row.

    With it the places whose values it looks at for every entry that is kept.
    """
    unfolding = Unfolding(plan, constants, raw)
    return unfolding.text(), unfolding.emitter.code.tested


class Unfolding:
    """Writes a function that makes a row for each entry of the row's level, and for each entry
    above it that has none: here a tuple."""

    name = "unfold"
    starts: list[str]
    results = "rows, ({counts})"

    def __init__(
        self, plan: Plan, constants: Constants, raw: bool = False, unmet: Collection[int] = ()
    ) -> None:
        """``unmet`` are columns, by their slots, of whose values the `classes` are noted."""
        self.plan, self.constants = plan, constants
        self._unmet = [one.slot for one in plan.columns if one.slot in unmet]
        self.starts = ["rows = []", "append = rows.append"]
        roots = [column.value for column in plan.columns] + [node for node, _ in plan.extra_keys]
        self.emitter = emitter = Emitter(plan, constants, roots, notes_units=True, by_column=True)
        load_entries(emitter, plan, plan.chain.row)
        _load_nodes(plan, emitter)
        emit = emitter.columns.column if raw else emitter.columns.cell
        self.operands = [emit(column) for column in plan.columns]
        self.cells = [
            (operand.code, column.at, _is_fixed(column.column))
            for operand, column in zip(self.operands, plan.columns, strict=True)
        ]
        self._by_level = {  # the code of columns that name the level of a row
            (column.slot, level): emit(replace(column, value=value)).code
            for column in plan.columns
            for level, value in zip(plan.stack, column.by_level, strict=False)
        }
        for node, home in plan.extra_keys:
            with emitter.code.at(home):
                self.cells.append((emitter.columns.key(node).code, home, False))
        self._groups = [
            (told_apart_code(self.cells[key.slot][0], key), self.cells[key.slot][1])
            for key in plan.group
        ]

    def text(self) -> str:
        """The text of the function."""
        counts = [f"kept_{level}" for level in range(1, self.plan.chain.row + 1)]
        starts = [f"{count} = 0" for count in counts]
        lines = [
            function_head(self.name, "records", "numbers", "kept"),
            *indented([*self.emitter.code.column_lines(), *self.starts, *self._noting()], 1),
            *indented(starts, 1),
            *indented([*self._loop(0), *self.emitter.code.column_ends()], 1),
            *indented([f"return {self.results.format(counts=listed_codes(counts))}"], 1),
        ]
        return "\n".join(lines)

    def _noting(self) -> list[str]:
        """The lines with which the classes of values begin, where they are given."""
        if "classes" not in self.results:
            return []
        classes = ", ".join(f"{slot}: set()" for slot in self._unmet)
        noting = [f"met_{slot} = classes[{slot}].add" for slot in self._unmet]
        return [f"classes = {{{classes}}}", *noting]

    def row(self, level: int, marks: list[str]) -> str:
        """What is added for a row whose entries end at ``level``: what lies deeper is blank."""
        return f"({listed_codes([*self.codes(level), *marks, *self.address(level)])})"

    def known(self, level: int) -> list[str]:
        """The lines that stand once all that is of a level is known."""
        cells = [(slot, *self.cells[slot][:2]) for slot in self._unmet]
        return [
            f"if {code} is not None: met_{slot}({code}.__class__)"
            for slot, code, at in cells
            if at == level and code.isidentifier()
        ]

    def group(self, level: int) -> list[str]:
        """What the keys of such a row have in common with those of its group."""
        return [code if home <= level else "None" for code, home in self._groups]

    def marks(self, level: int) -> tuple[list[str], list[str]]:
        """The lines that find its marks, and the marks."""
        walks = self.emitter.code.scope.walks
        return _marks(self.plan, walks, level, self.group(level), self.codes(level))

    def row_lines(self, level: int) -> list[str]:
        """The lines that take in such a row."""
        lines, marks = self.marks(level)
        return [*lines, f"append({self.row(level, marks)})"]

    def codes(self, level: int) -> list[str]:
        """The cells and keys of such a row."""
        rows, width = self.plan.row_type, len(self.plan.columns)
        shown = [rows.shows(column, level) for column in self.plan.columns]
        shown += [home <= level for _, home, _ in self.cells[width:]]
        named = max(level, rows.first)
        return [
            self._by_level.get((slot, named), code) if there or fixed else "None"
            for slot, ((code, _, fixed), there) in enumerate(zip(self.cells, shown, strict=True))
        ]

    def address(self, level: int) -> list[str]:
        """The address of its entry, where that is asked for."""
        if not self.plan.addressed:
            return []
        rows = self.plan.row_type
        own = [ordinal_name(at) if at <= level else "0" for at in range(self.plan.chain.row + 1)]
        return [*own, str(max(level, rows.first))] if rows.stack else own

    def _loop(self, level: int) -> list[str]:
        """The loop over the entries of a level."""
        return loop(self.emitter, self.plan, level, self._level_lines(level))

    def _level_lines(self, level: int) -> list[str]:
        plan, walks = self.plan, self.emitter.code.scope.walks
        lines = [
            *_mark_starts(plan, level, walks[level]),
            *self.emitter.code.scope.blocks[level].lines,
        ]
        lines += self.known(level)
        row = [*self.row_lines(level), *_mark_ends(plan)]
        if level == plan.chain.row:
            return [*lines, *row]
        entries = f"entries_{level + 1}"
        blank, walk = row, walks[level + 1]
        if walk is None:
            deeper = [f"kept_{level + 1} += len({entries})", *self._loop(level + 1)]
        else:
            deeper = [*self._loop(level + 1), f"kept_{level + 1} += {walk.place}"]
        if level >= plan.row_type.first:
            return [*lines, *(row if level in plan.stack else []), *deeper]
        if walks[level] is None:
            return [*lines, f"if not {entries}:", *indented([*blank, "continue"], 1), *deeper]
        return [*lines, f"if not {entries}:", *indented(blank, 1), "else:", *indented(deeper, 1)]


def _is_fixed(column: Column) -> bool:
    """Whether a column is the same on every row, whatever the level."""
    return column.text is not None and column.level is None


def told_apart_code(code: str, key: KeyPlan) -> str:
    """The code for what equal values of a key have in common, and others have not."""
    if key.kind in ("number", "text", "null"):
        return code
    if key.kind == "any":
        return f"{code} if {code}.__class__ is not bool else told_apart({code})"
    return f"told_apart({code})"


def _mark_name(mark: Mark, stem: str) -> str:
    name = f"{stem}_{mark.home}" if mark.column is None else f"{stem}_of_{mark.column}"
    return f"{name}_{mark.nodes}" if mark.nodes else name


def _is_taken(mark: Mark, walk: Walk | None) -> str:
    """The test whether the node of a mark is one of those that count; blank where all do."""
    if walk is not None and mark.nodes:
        return walk.test(mark.nodes)
    return f"{mark.nodes}_{mark.home}[{ordinal_name(mark.home)}]" if mark.nodes else ""


def _load_nodes(plan: Plan, emitter: Emitter) -> None:
    """Emit what tells which nodes of a tree count, in the entry above it."""
    for home, nodes in dict.fromkeys((one.home, one.nodes) for one in plan.marked if one.nodes):
        if emitter.code.scope.walks[home] is not None:
            continue
        with emitter.code.at(home - 1, whole=True):
            emitter.code.add(f"{nodes}_{home} = {places_name(home)}.{nodes}")


def _mark_starts(plan: Plan, level: int, walk: Walk | None) -> list[str]:
    lines = []
    for mark in (one for one in plan.marked if one.home == level):
        if plan.row_type.splits(mark.home):
            lines.append(f"{_mark_name(mark, 'seen')} = set()")
        elif mark.column is None:
            taken = _is_taken(mark, walk)
            new = f"0 if {taken} else REPEAT" if taken else "0"
            lines.append(f"{_mark_name(mark, 'mark')} = {new}")
        else:
            lines.append(f"{_mark_name(mark, 'seen')} = False")
    return lines


def _marks(
    plan: Plan, walks: list[Walk | None], level: int, group: list[str], cells: list[str]
) -> tuple[list[str], list[str]]:
    """The lines that find a row's marks, and the marks; an entry that is not there is no entry.

    Of a column that not each row shows, a row counts that does.
    """
    lines, marks = [], []
    for mark in plan.marked:
        name, seen = _mark_name(mark, "mark"), _mark_name(mark, "seen")
        if mark.home > level:
            marks.append("REPEAT")
            continue
        marks.append(name)
        tests = [] if mark.column is None else [f"{cells[mark.column]} is not None"]
        if mark.column is not None or plan.row_type.splits(mark.home):
            tests += filter(None, [_is_taken(mark, walks[mark.home])])
        shows = " and ".join(tests)
        if plan.row_type.splits(mark.home):
            found = f"mark({seen}, ({listed_codes(group)}))"
            lines.append(f"{name} = {found}{f' if {shows} else REPEAT' if shows else ''}")
        elif mark.column is not None:
            lines.append(f"{name} = 0 if {shows} and not {seen} else REPEAT")
            lines.append(f"if {name} == 0: {seen} = True")
    return lines, marks


def _mark_ends(plan: Plan) -> list[str]:
    once = [
        mark for mark in plan.marked if mark.column is None and not plan.row_type.splits(mark.home)
    ]
    above = [mark for mark in once if mark.home < plan.chain.row]  # a node has no other row
    return [f"{_mark_name(mark, 'mark')} = REPEAT" for mark in above]
