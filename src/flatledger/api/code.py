"""The code that a layout is made into for a source, to be read."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..layout.settling.settling import output_of
from ..outputs.formats import is_delimited, line_form_of
from ..sources import AnySource
from .arguments import check_given
from .layout import AnyLayout, Layout
from .preparing import Preparation, given_for


def generated_code(
    layout: AnyLayout,
    source: AnySource,
    *,
    ask: Mapping[str, Any] | None = None,
    fields: Mapping[str, Any] | None = None,
    reading: Mapping[str, Any] | None = None,
) -> str:
    """The functions by which an export of a source to delimited text would go.

    They are made by the first records, as in an export. Comments name the columns and conditions
    that the lines below them serve. The arguments are those that `export` takes.

    Raises ArgumentError, LayoutError, ShelfError, AnswerError and SourceError.

    >>> print(generated_code({"columns": [{"No": "no"}]}, [{"no": 1}]))  # doctest: +ELLIPSIS
    def unfold(records, numbers, kept, ...
            # column 'No'
            raw1 = record.f_no
    ...
    """
    check_given(ask=ask, fields=fields, reading=reading)
    stated = Layout.of(layout).declaring(fields, reading)
    given = given_for(stated, ask)
    format = output_of(stated.request, given).format
    prepared = Preparation(stated, source, given)
    run = prepared.run(lines=line_form_of("-", format if is_delimited("-", format) else "csv"))
    with run.reader:
        return run.code()
