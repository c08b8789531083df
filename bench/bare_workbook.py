"""The records of a source as the rows of a new workbook, by the usual package.

python bench/bare_workbook.py SOURCE WORKBOOK
"""

from __future__ import annotations

import json
import sys

import openpyxl


def main(source: str, workbook: str) -> None:
    book = openpyxl.Workbook(write_only=True)
    sheet = book.create_sheet()
    with open(source, encoding="utf-8") as lines:
        for number, line in enumerate(lines):
            record = json.loads(line)
            if not number:
                sheet.append(list(record))
            sheet.append(list(record.values()))
    book.save(workbook)


if __name__ == "__main__":
    main(*sys.argv[1:])
