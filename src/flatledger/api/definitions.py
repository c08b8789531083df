"""What became of the definitions by which nodes of a tree were opened."""

from __future__ import annotations

from ..compile.definitions import Definitions
from ..run.balance import OpenedBy

SHOWN = 5


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
