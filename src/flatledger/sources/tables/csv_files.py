"""Small tables in CSV files, with a comma, semicolon or tab."""

from __future__ import annotations

import csv
from collections.abc import Iterator
from pathlib import Path

_DELIMITERS = ",;\t"


def delimiter_of(path: Path) -> str:
    """A comma, semicolon or tab: what the first line that has one has most of.

    Raises OSError.
    """
    with path.open(encoding="utf-8-sig", errors="replace", newline="") as file:
        line = next((line for line in file if set(line) & set(_DELIMITERS)), "")
    return max(_DELIMITERS, key=line.count)


def csv_rows(path: Path) -> Iterator[tuple[int, list[str]]]:
    """The rows of a file, each with the line it ends on; the first is the header.

    Raises OSError, UnicodeDecodeError and csv.Error.
    """
    delimiter = delimiter_of(path)
    with path.open(encoding="utf-8-sig", newline="") as file:
        rows = csv.reader(file, delimiter=delimiter)
        yield from ((rows.line_num, row) for row in rows)
