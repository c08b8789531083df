"""Writing a layout for a survey."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from ..errors import SourceError
from ..layout.model.names import proposal
from ..layout.model.source_options import CATALOGUE, PHOTOS
from ..layout.model.text import from_data, scalar, write_yaml
from ..reports.words import counted
from ..structure.data_keys import MOST_KEYS
from ..structure.profiles import DEEPEST
from ..structure.recognising import DEEPER
from ..structure.survey import FURTHER, FieldSurvey, SurveyResult
from ..values.code_lists import LANGUAGES
from ..values.field_values import NUMBERS
from .field_types import field_lines, pattern, typed_fields
from .headings import headings_of, numbered, singular
from .row_level import RECORD, level_of, levels_of, row_level
from .wording import comment, humanised, is_members, last_name, names_of, path_above, rooted, within

LONGEST_JOINED = 5_000  # characters of a list that is joined into one cell
RARE = 0.02  # a field that is filled less often than this is only a comment
_ADDS_UP = re.compile(
    r"(?:^|_)(?:qty|quantity|amount|total|sum|cost|costs|fee|fees|carriage|weight|hours|minutes|paid|"
    r"net|gross|tax|value)(?:$|_)",
    re.IGNORECASE,
)
_EACH = re.compile(r"(?:^|_)(?:unit|each|rate|ratio|percent|per)(?:$|_)", re.IGNORECASE)


class LayoutDraft:
    """Writes the layout for a survey."""

    def __init__(
        self, result: SurveyResult, row_per: str | None, source: Mapping[str, Any]
    ) -> None:
        self.result = result
        self.source = source
        self.declared: Mapping[str, Any] = {}  # the fields that are declared already
        self.catalogue = result.states.get("format") == CATALOGUE
        self.outer = {path_above(f.path) for f in result.fields}
        self.levels = levels_of(result)
        if row_per not in (None, RECORD, *self.levels):
            known = ", ".join([RECORD, *self.levels])
            hint = proposal(str(row_per), self.levels) or f"; there are {known}"
            raise SourceError(f"{result.source}: no level `{row_per}`{hint}")
        self.proposed = row_per is None
        self.row = row_per or row_level(result, self.levels)
        self.chain = [path for path in self.levels if within(self.row, path)]
        self.headings = self._headings()
        self.taken = {*self.headings.values()}
        active = self._active()
        self.typed = typed_fields(active, {one.path for one in active if self._adds_up(one)})

    # ---- which fields

    def columns(self) -> list[FieldSurvey]:
        """The fields at or above the row's level that hold values; those that are the same
        everywhere come last."""
        found = [field for field in self.result.fields if self._is_column(field)]
        return sorted(found, key=self._is_constant) if not self.catalogue else found

    def _is_constant(self, field: FieldSurvey) -> bool:
        """Whether a field has the same value on every row."""
        level = level_of(field, self.levels)
        around = self.result.records if level == RECORD else self.levels[level].entries
        alike = field.distinct == 1 and not field.distinct_is_bound and not field.is_level
        return alike and around > 1 and sum(field.kinds.values()) == around

    def _active(self) -> list[FieldSurvey]:
        """The fields that are columns, and those beside them that can be added up."""
        columns = self.columns()
        all_rare = all(map(_is_rare, columns)) and not self.languages()
        beside = [one for one in self.result.fields if self._side(one) and self._adds_up(one)]
        return [one for one in columns if all_rare or not _is_rare(one)] + beside

    def _is_column(self, field: FieldSurvey) -> bool:
        holds = set() if field.marks else set(field.kinds) - {"object", "list"}
        outside = is_members(field.path) and field.path != self.row
        if self.catalogue and (".ind" in field.path or field.path in self.outer):
            return False
        above = self.levels.get(path_above(field.path))
        node = above is not None and above.nested and last_name(field.path) == last_name(above.path)
        return bool(holds) and self._side(field) is None and not outside and not node

    def _side(self, field: FieldSurvey) -> str | None:
        """The level beside or below the row that a field belongs to."""
        around = [path for path in self.levels if within(field.path, path)]
        return next((path for path in around if path not in self.chain), None)

    def languages(self) -> list[str]:
        marked = (f for f in self.result.fields if any("language tags" in r for r in f.remarks))
        return [field.path for field in marked if self._side(field) is None]

    # ---- headings

    def _headings(self) -> dict[str, str]:
        """A heading for each column: its last name, or more of its path where that is unclear."""
        paths = [field.path for field in self.columns()] + self.languages()
        if self.catalogue:
            names = {field.path: field.name for field in self.result.fields}
            return numbered({path: names[path] or "".join(names_of(path)) for path in paths})
        return headings_of(paths, self.levels)

    # ---- the text

    def text(self) -> str:
        """The whole layout."""
        lines = [*self.head(), "", "columns:", *self.column_lines(), *self._side_lines()]
        if not self.headings:
            raise SourceError(f"{self.result.source}: no field with a value was found")
        return "\n".join([*lines, *self._tail()]) + "\n"

    def head(self) -> list[str]:
        read = "all" if self.result.complete else "the first"
        much = counted(self.result.records, "record")
        lines = [f"# Drafted from {read} {much} of {self.result.source}."]
        if not self.result.complete:
            lines.append("# A field that only later records have is missing here.")
        if any(FURTHER in field.remarks for field in self.result.fields):
            lines.append(f"# There are more than {MOST_KEYS:,} fields; the others are not listed.")
        if any(DEEPER in field.remarks for field in self.result.fields):
            lines.append(f"# What is nested more than {DEEPEST} deep is not listed.")
        for notice in self.result.notices:
            lines.append(comment(f"# {notice[:1].upper()}{notice[1:]}."))
        if self.source:
            lines += ["", *write_yaml(from_data({"source": self.source})).splitlines()]
        shown = {*self.headings, *self.typed}
        fields = [field for field in self.result.fields if field.path in shown]
        lines += field_lines(fields, self.typed, self.declared)
        repeating = [scalar(rooted(f.path)) for f in self.result.fields if f.is_level]
        lines += ["", f"levels: [{', '.join(repeating)}]"]
        if repeating:
            lines.append("# Where records repeat; a list of several elsewhere is a fault.")
        lines += self._trees()
        lines += ["", f"row-per: {scalar(rooted(self.row))}"]
        if self.proposed and self.row != "record":
            lines.append("# It is the first level that repeats on the main branch.")
        others = [path for path in ("record", *self.levels) if path != self.row]
        if others:
            lines.append(f"# A row could also stand for one of: {', '.join(others)}.")
        keys = ("row-per", "levels", "nests", "primary-key", "fields", "  ")
        lines += self._primary_key()
        return [line if line.startswith(keys) else comment(line) for line in lines]

    def _trees(self) -> list[str]:
        """The levels that nest in themselves."""
        trees = [field for field in self.result.fields if field.nested]
        if not trees:
            return []
        pairs = (f"{scalar(rooted(one.path))}: {scalar(one.inner)}" for one in trees)
        return [
            "",
            f"nests: {{{', '.join(pairs)}}}",
            "# Each node is an entry, however deep. Sums add up the leaves, so that nothing is",
            "# added together with what is below it.",
        ]

    def _place_lines(self) -> list[str]:
        """Columns that tell where a node stands, if the row is of a tree."""
        if not any(self.levels[path].nested for path in self.chain):
            return []
        told = {"Number": "numbering()", "Depth": "depth()"}
        taken = {heading.casefold() for heading in self.headings.values()}
        free = {heading: told[heading] for heading in told if heading.casefold() not in taken}
        return [f"  - {heading}: {value}" for heading, value in free.items()]

    def _primary_key(self) -> list[str]:
        """The columns that identify a row, as far as the survey can tell: filled on every row."""
        found = [
            (level_of(field, self.levels), self.headings[field.path])
            for field in self.columns()
            if any("an identifier" in remark for remark in field.remarks) and not _is_rare(field)
        ]
        own = [heading for level, heading in found if level == self.row]
        if own:
            return [f"primary-key: [{scalar(own[0])}]"]
        above = [heading for _, heading in found]
        if not above:
            return []
        says = "the columns that identify a row; what tells its entries apart is missing here"
        return [f"# primary-key: [{scalar(above[0])}, …]   # {says}"]

    def column_lines(self) -> list[str]:
        lines, places = self._key_lines(), self._place_lines()
        columns = self.columns()
        all_rare = all(map(_is_rare, columns)) and not self.languages()
        for field in columns:
            around = [path for path in self.chain if within(field.path, path)]
            if places and any(self.levels[path].nested for path in around):
                lines += places
                places = []
            entry = f"- {scalar(self.headings[field.path])}: {self.value(field)}"
            if field.is_level and field.most * max(field.longest, 1) > LONGEST_JOINED:
                many = f"up to {field.most:,} values in one cell"
                lines.append(f"  # {comment(entry)}   # {many}; or a row for each of them")
            elif _is_rare(field) and not all_rare:
                of = f"{field.filled:,} of {field.parents:,}"
                lines.append(f"  # {comment(entry)}   # filled in {of} only")
            else:
                lines.append(f"  {entry}" + self.remark(field))
        for path in self.languages():
            lines.append(f"  {self.language_entry(path)}")
        return [*lines, *places, *self._lines_of_format()]

    def _lines_of_format(self) -> list[str]:
        """What is often asked of the records of a trade, as comments."""
        if self.result.states.get("format") == PHOTOS:
            return fact_lines(self.result.fields, self.languages())
        if self.catalogue and any(field.path == "008" for field in self.result.fields):
            return list(OF_CODED_FACTS)
        return []

    def _key_lines(self) -> list[str]:
        """Columns for the keys of the mappings that lead to the row."""
        lines, taken = [], set(self.headings.values())
        for path in (path for path in self.chain if is_members(path)):
            of = f" of {humanised([last_name(path)]).lower()}" if last_name(path) else ""
            heading, number = f"Key{of}", 1
            while heading in taken:
                number += 1
                heading = f"Key {number}{of}"
            taken.add(heading)
            lines.append(f"  - {scalar(heading)}: {scalar(f'key({rooted(path)})')}")
        return lines

    def language_entry(self, path: str) -> str:
        """A column for a text in several languages."""
        value = f"in_language({rooted(path)}, 'en')"
        return f"- {scalar(self.headings[path])}: {scalar(value)}"

    def value(self, field: FieldSurvey) -> str:
        """What stands after its heading: the value as it is, whatever could be made of it."""
        path = scalar(rooted(field.path))
        if field.is_level:
            return f'{{value: {path}, separator: "; "}}'
        keys = []
        if field.path in self.typed and field.typing is not None and field.typing.format:
            keys.append(f"format: {pattern(field.typing.format)}")
        if self._adds_up(field):
            keys.append("total: sum")
        return f"{{{', '.join([f'value: {path}', *keys])}}}" if keys else path

    def _adds_up(self, field: FieldSurvey) -> bool:
        """Whether a field looks like an amount that is added up."""
        name = names_of(field.path)[-1].removeprefix("@")
        numbers = field.kinds.get("integer", 0) + field.kinds.get("decimal", 0)
        whole = sum(field.kinds.values())
        typed = field.typing is not None and field.typing.datatype in NUMBERS
        are_numbers = numbers == whole or typed
        return are_numbers and bool(_ADDS_UP.search(name)) and not _EACH.search(name)

    def remark(self, field: FieldSurvey) -> str:
        said = field.typing or field.proposal  # which stand under `fields`
        notes = [one for one in field.remarks if "identifier" not in one]
        notes = [one for one in notes if not (said and "datatype: " in one)]
        if self._adds_up(field) and len(self.chain) > 0 and not within(field.path, self.row):
            home = next((p for p in reversed(self.chain) if within(field.path, p)), "record")
            each = home if home == "record" else f"entry of {home}"
            notes.append(f"added once for each {each}")
        return comment(f"   # {'; '.join(notes)}") if notes else ""

    def _side_lines(self) -> list[str]:
        """What lies beside or below the row, with ways to have it."""
        lines = []
        for path in self.levels:
            if path in self.chain:
                continue
            inside = [
                field
                for field in self.result.fields
                if level_of(field, self.levels) == path and set(field.kinds) - {"object", "list"}
            ]
            lines += ["", f"  # {path}: many for one row. To have it: `row-per: {path}`, or"]
            lines += self._ways(path, inside)
        lines += [
            line for f in self.result.fields if self._is_mapping(f) for line in mapping_ways(f)
        ]
        return [comment(line) for line in lines]

    def _ways(self, path: str, inside: list[FieldSurvey]) -> list[str]:
        ways = [(field, self._way(field)) for field in inside]
        if self.catalogue:
            return catalogue_ways(path, ways, self.taken)
        return level_ways(path, ways, self.taken)

    def _is_mapping(self, field: FieldSurvey) -> bool:
        """Whether a field is the members of a mapping whose keys are data."""
        whole = field.path.removesuffix(".*")
        if field.path in self.levels:
            return False
        plain = set(field.kinds) - {"object", "list"}
        mapping = whole not in ("$", field.path) and whole not in self.languages()
        return mapping and bool(plain) and self._side(field) is None

    def _way(self, field: FieldSurvey) -> str:
        path = rooted(field.path)
        if any(remark.startswith("texts with their language") for remark in field.remarks):
            return f"in_language({path}, 'en')"
        return f"sum({path})" if self._adds_up(field) else f"listagg({path}, '; ')"

    @property
    def first_heading(self) -> str:
        """A heading for the examples of sorting and grouping."""
        return next(iter(self.headings.values()), "")

    def _conditions(self) -> list[str]:
        """A condition that leaves total rows out, or an example."""
        marked = [(one.path, one.marks) for one in self.result.fields if one.marks]
        if marked:
            out = (f"  - {scalar(f'${path} is null')}   # no {what}" for path, what in marked)
            return ["only:", *out]
        return ["# only:", comment(f"#   - {rooted(next(iter(self.headings), 'no'))} is not null")]

    def _tail(self) -> list[str]:
        first = self.first_heading
        return [
            "",
            "# What takes part: entries pass a condition where it is true.",
            *self._conditions(),
            "",
            "# The order of the rows, groups with subtotals, and how the table is written.",
            f"# sort: [{scalar(first)}]",
            f"# group: [{scalar(first)}]",
            "# output: {file: table.csv, delimiter: semicolon}",
        ]


def _is_rare(field: FieldSurvey) -> bool:
    """Whether a field is filled so seldom that it is a comment rather than a column."""
    return field.filled < field.parents * RARE or field.filled == 0


# ---- ways to have what is many for one row, as lines of a draft


OF_CODED_FACTS = (  # what is asked of field 008 of a catalogue
    "  # - First year: 008/07-10",
    f"  # - Language: {{value: 008/35-37, translate: {LANGUAGES}}}",
)


def level_ways(path: str, ways: Sequence[tuple[FieldSurvey, str]], taken: set[str]) -> list[str]:
    """Columns for a level beside the row, as comments, with headings that are not ``taken``."""
    names = names_of(path)
    entry = singular(last_name(path)) or "entry"
    columns = {f"{humanised([entry])} count": f"count({path})"}
    for field, way in ways:
        below = [name for name in names_of(field.path)[len(names) :] if name != "*"]
        heading = humanised([entry, *below[-1:]])
        while heading in columns or heading in taken:
            heading += f" {entry}"
        columns[heading] = way
    return [f"  # - {scalar(heading)}: {scalar(way)}" for heading, way in columns.items()]


def catalogue_ways(
    path: str, ways: Sequence[tuple[FieldSurvey, str]], taken: set[str]
) -> list[str]:
    """Columns for the subfields of a field that repeats, with headings that are not ``taken``;
    those without a name of their own are left to whoever wants them."""
    lines = [f"  # - {scalar(f'How many {path}')}: {scalar(f'count({path})')}"]
    for field, way in ways:
        if name := field.name:
            heading = f"{name} {field.path}" if name in taken else name
            taken.add(heading)
            lines.append(f"  - {scalar(heading)}: {scalar(way)}")
    return lines


def mapping_ways(field: FieldSurvey) -> list[str]:
    """Ways to have the members of a mapping whose keys are data."""
    members, whole = field.path, field.path.removesuffix(".*")
    title = humanised(names_of(whole)[-1:])
    joined = scalar(f"listagg({members}, '; ')")
    return [
        "",
        f"  # {whole}: its keys are data. To have it: `row-per: {members}` with",
        f"  # key({members}) and {members}, or",
        f"  # - {scalar(f'{title} count')}: {scalar(f'count({members})')}",
        f"  # - {scalar(title)}: {joined}",
    ]


# ---- the facts of a photograph that several standards hold: one column for each, in their order


# Texts are taken from XMP, then IIM, then Exif (IPTC Photo Metadata Standard, mapping of XMP and
# IIM); the moment is first that of the camera.
FACTS = {
    "Caption": ("xmp['dc:description']", "iptc['Caption/Abstract']", "exif.ImageDescription"),
    "Creator": ("xmp['dc:creator']", "iptc['By-line']", "exif.Artist"),
    "Rights": ("xmp['dc:rights']", "iptc['Copyright Notice']", "exif.Copyright"),
    "Keywords": ("xmp['dc:subject']", "iptc.Keywords"),
    "Taken": ("exif.DateTimeOriginal", "xmp['photoshop:DateCreated']", "iptc['Date Created']"),
}


def fact_lines(fields: Iterable[FieldSurvey], languages: Sequence[str]) -> list[str]:
    """A column, as a comment, for each fact that more than one standard holds in what was met;
    ``languages`` are the paths of texts in several."""
    met = {field.path: field for field in fields}
    columns = {
        heading: [_text(met[path], languages) for path in paths if path in met]
        for heading, paths in FACTS.items()
    }
    lines = [
        f"  # - {heading}: {scalar('coalesce(' + ', '.join(texts) + ')')}"
        for heading, texts in columns.items()
        if len(texts) > 1
    ]
    says = "  # What several standards hold, in the order in which they are gone by:"
    return ["", says, *lines] if lines else []


def _text(field: FieldSurvey, languages: Sequence[str]) -> str:
    if field.path in languages:
        return f"in_language({field.path}, 'en')"
    return f"listagg({field.path}, '; ')" if field.is_level else field.path
