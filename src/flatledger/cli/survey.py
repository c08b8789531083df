"""``flatledger survey``: what the records of a source look like."""

from __future__ import annotations

import csv
import sys
from collections.abc import Mapping

import msgspec
from rich.text import Text

from ..engine.survey import SurveyResult
from ..errors import ExpressionError
from ..reports.survey_page import survey_page
from ..reports.survey_text import print_survey
from ..reports.words import how_much, told_lines
from ..surveying import SAMPLE, distinct_values, survey, survey_kinds
from .progress import showing_progress
from .terminal import errors, results, write_page


def run_survey(
    source: str,
    under: str | None,
    values: str | None,
    kinds: str | None,
    records: str | None,
    everything: bool,
    as_json: bool,
    page: str | None,
) -> int:
    """Show a survey; what was read is said on standard error."""
    sample = None if everything else SAMPLE
    if values:
        return _show_values(values, source, records)
    with showing_progress() as progress:
        if kinds:
            found = survey_kinds(kinds, source, records=records, sample=sample, progress=progress)
        else:
            result = survey(source, records=records, sample=sample, progress=progress)
            found = {"": result}
    if under:
        found = {kind: result.under(under) for kind, result in found.items()}
        if not any(result.fields for result in found.values()):
            raise ExpressionError(f"no field `{under}` in what was read", under, 0)
    if as_json:
        sys.stdout.write(_json(found) + "\n")
        return 0
    if page:
        write_page(page, survey_page(found, kinds))
        return 0
    for kind, result in found.items():
        if kinds:
            results().print(f"{kinds} = {kind}", style="bold", highlight=False)
        print_survey(result, results())
        errors().print(how_much(result), highlight=False)
    for line in told_lines(next(iter(found.values()))) if found else ():
        errors().print(Text(line), soft_wrap=True)
    return 0


def _json(found: Mapping[str, SurveyResult]) -> str:
    data = found[""] if list(found) == [""] else found
    return msgspec.json.format(msgspec.json.encode(data), indent=2).decode()


def _show_values(path: str, source: str, records: str | None) -> int:
    """The distinct values as a table that can be saved: values with counts, tab-separated."""
    counts = distinct_values(path, source, records=records)
    writer = csv.writer(sys.stdout, delimiter="\t", lineterminator="\n")
    writer.writerow(["value", "count"])
    for value, count in sorted(counts.items(), key=lambda item: (-item[1], str(item[0]))):
        shown = "" if value is None else str(value).lower() if isinstance(value, bool) else value
        writer.writerow([shown, count])
    total = sum(counts.values())
    errors().print(f"{len(counts):,} different among {total:,} values", highlight=False)
    return 0
