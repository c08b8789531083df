"""The files that one run writes."""

from __future__ import annotations

from ...layout.model.output_options import IfThere
from .apart import Apart
from .files import Target, leave
from .names import Destination


class FileSet:
    """A context in which files are written, which all take their places together at its end.

    Left by an error, a signal or a kill, each former file stays as it was. ``apart`` are the files
    that the run reads: none of them is written over, whatever happens to their names meanwhile.

    >>> import io
    >>> written = io.BytesIO()
    >>> with FileSet() as files:
    ...     files.add(written).write(b"No")
    >>> written.getvalue()
    b'No'
    """

    def __init__(self, apart: Apart | None = None) -> None:
        self._apart = apart
        self._targets: list[Target] = []

    def add(self, to: Destination, if_there: IfThere = "keep", *, was_read: bool = False) -> Target:
        """A further file, open to be written; one that ``was_read`` by the run is written anew.

        Raises OutputError.
        """
        target = Target(to, if_there, apart=None if was_read else self._apart)
        self._targets.append(target)
        return target

    def placed(self) -> list[str]:
        """The names of those that have taken their places."""
        return [one.name for one in self._targets if one.placed]

    def __enter__(self) -> FileSet:
        return self

    def __exit__(self, kind: type[BaseException] | None, *_: object) -> None:
        leave(self._targets, kind)
