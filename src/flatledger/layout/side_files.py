"""Files beside a layout: code lists (CSV), side lists, a published form."""

from __future__ import annotations

from itertools import islice
from pathlib import Path

import msgspec

from ..errors import LayoutError, Problem
from .files import beside, csv_rows
from .form import read_form
from .model import LayoutModel


def read_codes(path: Path) -> dict[str, str]:
    """A code list: the first two columns of a CSV file below its header.

    Raises LayoutError where it can't be read, or where a code comes twice.
    """
    codes: dict[str, str] = {}
    lines: dict[str, int] = {}
    for line, row in islice(csv_rows(path), 1, None):
        if len(row) < 2:
            continue
        code = row[0].strip()
        if code in codes:
            message = f"the code `{code}` comes twice, on lines {lines[code]} and {line}"
            raise LayoutError(str(path), [Problem(message)])
        codes[code], lines[code] = row[1].strip(), line
    return codes


def with_files(model: LayoutModel, folder: Path | None) -> LayoutModel:
    """The model with the places of its side lists, and the form that it is fitted to, if any.

    Raises LayoutError.
    """
    model = _with_side_lists(model, folder)
    reference = model.fit_to
    if reference is None:
        return model
    try:
        form = read_form(beside(reference.file, folder), reference)
    except LayoutError as error:
        raise LayoutError(model.name, [Problem(f"`fit-to`: {error}", *reference.place)]) from None
    return msgspec.structs.replace(model, form=form)


def _with_side_lists(model: LayoutModel, folder: Path | None) -> LayoutModel:
    found, problems = [], []
    for one in model.attachments:
        try:
            path = beside(one.file, folder)
            if not path.is_file():
                raise LayoutError(str(path), [Problem("there is no such file")])
            found.append(msgspec.structs.replace(one, file=str(path)))
        except LayoutError as error:
            problems.append(Problem(f"`attach` of `{one.name}`: {error}", *one.place))
    if problems:
        raise LayoutError(model.name, problems)
    return msgspec.structs.replace(model, attachments=tuple(found)) if found else model
