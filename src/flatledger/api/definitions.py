"""Reading the definitions by which nodes of a tree are opened."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from ..compile.opening import Definitions
from ..errors import SourceError
from ..layout.tree_options import OpensBy
from ..run.balance import OpenedBy
from ..run.protocols import Source
from ..sources.list_files import OpenedList

SHOWN = 5


def definitions_of(by: OpensBy | None, source: Source) -> Definitions | None:
    """The definitions that a layout names, or those among the records themselves.

    Raises SourceError where none has the name that it is named by.
    """
    if by is None:
        return None
    found = Definitions(by.file)
    if by.file:
        with OpenedList(by.file, by.reading) as listed:
            _take_in(found, by, listed.entries)
    else:
        with source.open() as reader:
            _take_in(found, by, (one for batch in reader.batches() for one in batch.records))
    return found


def _take_in(found: Definitions, by: OpensBy, records: Iterator[Any]) -> None:
    for record in records:
        found.add(record, by.named_by, by.level)
    if not found.nodes and found.nameless:
        where = by.file or "the source"
        raise SourceError(f"`opens-by`: no record of {where} has a `{by.named_by}`")


def opened_by(definitions: Definitions | None) -> OpenedBy | None:
    """What became of the definitions, once a run has ended."""
    if definitions is None:
        return None
    unused = [name for name in definitions.nodes if name not in definitions.used]
    return OpenedBy(
        file=definitions.file,
        definitions=len(definitions.nodes),
        used=len(definitions.used),
        unused=len(unused) if definitions.file else 0,
        first_unused=unused[:SHOWN] if definitions.file else [],
        double=len(definitions.double),
        first_double=list(definitions.double)[:SHOWN],
        nameless=definitions.nameless,
    )
