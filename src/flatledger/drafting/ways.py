"""Ways to have what is many for one row, as lines of a draft."""

from __future__ import annotations

from collections.abc import Sequence

from ..layout.text import scalar
from ..structure.catalogue_names import called
from ..structure.survey import FieldSurvey
from ..values.code_lists import LANGUAGES
from .headings import singular
from .wording import humanised, last_name, names_of

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
        if name := called(field.path):
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
