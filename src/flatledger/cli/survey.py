"""``flatledger survey``: what the records of a source look like."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, TypeVar

import msgspec

from ..api.opening import notation_for
from ..api.survey import SAMPLE, distinct_values, survey, survey_kinds, survey_positions
from ..errors import ExpressionError
from ..layout.model.names import proposal
from ..layout.model.output_options import Output
from ..outputs import Target
from ..outputs.text.delimited import DelimitedWriter
from ..reports.survey_page import survey_page
from ..reports.survey_text import print_survey
from ..reports.words import how_much, told_lines
from ..sources.catalogues.notation import NOTATION
from ..sources.catalogues.positions import has_positions
from ..sources.sets.found_files import inputs_of
from ..structure.survey import SurveyResult
from ..values.visible import steerless_json
from .progress import showing_progress
from .terminal import check_page, reports, results, write_page
from .typed import Source

_Result = TypeVar("_Result", bound=SurveyResult)


def run_survey(
    source: Source,
    under: str | None,
    values: str | None,
    kinds: str | None,
    everything: bool,
    as_json: bool,
    page: str | None,
    depth: int | None,
    **options: Any,
) -> int:
    """Show a survey; what was read is said on standard error."""
    check_page(page, [*inputs_of(source)])
    fields = options.pop("fields")
    sample = None if everything else SAMPLE
    if values:
        return _show_values(values, source, options | {"fields": fields})
    with showing_progress() as progress:
        if kinds:
            found = survey_kinds(kinds, source, sample=sample, progress=progress, **options)
        elif under and has_positions(under) and _is_catalogue(source, options["reading"]):
            del options["records"]
            result = survey_positions(under, source, sample=sample, progress=progress, **options)
            found = {"": result}
        else:
            result = survey(source, sample=sample, progress=progress, fields=fields, **options)
            found = {"": result}
    if under:
        found = _under(under, found)
    if as_json:
        with Target("-") as target:
            target.write(_json(found))
        return 0
    if page:
        write_page(page, survey_page(found, kinds))
        return 0
    for kind, result in found.items():
        if kinds:
            results().line(f"{kinds} = {kind}", "bold")
        hidden = print_survey(result, results(), depth)
        reports().line(how_much(result))
        if hidden:
            reports().line(folded_line(hidden), whole=True)
    for line in told_lines(next(iter(found.values()))) if found else ():
        reports().line(line, whole=True)
    return 0


def folded_line(hidden: int) -> str:
    """What to do where fields are not shown one by one."""
    ways = "--under PATH shows what is below one place, --depth N so many levels, --html PAGE all"
    return f"{hidden:,} fields are told of together: {ways}"


def _under(path: str, found: Mapping[str, _Result]) -> dict[str, _Result]:
    """Surveys of one place and what is below it. Raises ExpressionError where there is none."""
    below = {kind: result.under(path) for kind, result in found.items()}
    if not any(result.fields for result in below.values()):
        known = [field.path for result in found.values() for field in result.fields]
        hint = proposal(path, known)
        raise ExpressionError(f"no field `{path}` in what was read{hint}", path, 0)
    return below


def _json(found: Mapping[str, SurveyResult]) -> bytes:
    data = found[""] if list(found) == [""] else found
    text = msgspec.json.format(msgspec.json.encode(data), indent=2).decode()
    return f"{steerless_json(text)}\n".encode()


def _is_catalogue(source: Source, reading: dict[str, Any]) -> bool:
    """Whether paths of a source are in the notation of catalogues."""
    return notation_for(source, reading) is NOTATION


def _show_values(path: str, source: Source, options: dict[str, Any]) -> int:
    """The distinct values as a table that can be saved: values with counts, tab-separated."""
    counts = distinct_values(path, source, **options)
    if not counts:
        known = [field.path for field in survey(source, **options).fields]
        hint = proposal(path, known)
        raise ExpressionError(f"no value at `{path}` in what was read{hint}", path, 0)
    ordered = sorted(counts.items(), key=lambda item: (-item[1], str(item[0])))
    with Target("-") as target:
        writer = DelimitedWriter(Output(delimiter="\t", line_terminator="\n"), target)
        writer.header([("value", "count")])
        writer.write([(_as_cell(value), count) for value, count in ordered])
    total = sum(counts.values())
    reports().lines([f"{len(counts):,} different among {total:,} values", *writer.notes()])
    return 0


def _as_cell(value: Any) -> Any:
    return "" if value is None else str(value).lower() if isinstance(value, bool) else value
