"""The files that are read for a layout: what it is made of takes part in its runs."""

from __future__ import annotations

import csv
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from pathlib import Path

from ..errors import LayoutError, MissingLayoutError, Problem, SourceError

_met: ContextVar[set[Path] | None] = ContextVar("met", default=None)


@contextmanager
def files_met() -> Iterator[set[Path]]:
    """The files that are read for a layout meanwhile."""
    outer, met = _met.get(), set[Path]()
    token = _met.set(met)
    try:
        yield met
    finally:
        _met.reset(token)
        if outer is not None:
            outer |= met


@contextmanager
def reading(path: Path) -> Iterator[None]:
    """Turn what can go wrong with a file into a LayoutError that names it; take note of it."""
    met = _met.get()
    if met is not None:
        met.add(path)
    try:
        yield
    except UnicodeDecodeError as error:
        problem = Problem(f"byte {error.start} is not UTF-8; save it as UTF-8")
    except FileNotFoundError as error:
        missing = [Problem(f"the file can't be read: {error.strerror}")]
        raise MissingLayoutError(str(path), missing).of(str(path)) from error
    except OSError as error:
        raise LayoutError(
            str(path), [Problem(f"the file can't be read: {error.strerror}")]
        ) from error
    except csv.Error as error:
        problem = Problem(f"this is not CSV: {error}")
    except SourceError as error:
        problem = Problem(str(error).removeprefix(str(path)).lstrip(": "))
    except ValueError as error:  # a NUL in its name
        problem = Problem(f"the file can't be read: {error}")
    else:
        return
    raise LayoutError(str(path), [problem])
