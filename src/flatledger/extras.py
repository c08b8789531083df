"""Packages of others: those that are installed only where they are asked for, as extras, and the
warnings of those that are used."""

from __future__ import annotations

import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from importlib import import_module
from threading import RLock
from typing import Any

from .errors import MissingExtraError

_QUIET = RLock()


@contextmanager
def without_warnings() -> Iterator[None]:
    """Let a package warn of what is told here in another way, or does not matter; the filters of
    the process are then as they were, since no two threads do so at a time.

    >>> with without_warnings():
    ...     warnings.warn("the style of a cell is lost", stacklevel=1)
    """
    with _QUIET, warnings.catch_warnings():
        warnings.simplefilter("ignore")
        yield


def loaded(module: str, extra: str, purpose: str) -> Any:
    """A module that needs the packages of an extra. ``purpose`` is what it is for.

    Raises MissingExtraError, which says what to install, where one of them is not there.

    >>> loaded("no_such_package", "charts", "drawing")
    Traceback (most recent call last):
    flatledger.errors.MissingExtraError: drawing needs a package that is not installed \
(no_such_package): pip install 'flatledger[charts]'
    """
    try:
        return import_module(module)
    except ModuleNotFoundError as error:
        if not extra or str(error.name).startswith("flatledger"):
            raise
        raise MissingExtraError(
            f"{purpose} needs a package that is not installed ({error.name}): "
            f"pip install 'flatledger[{extra}]'"
        ) from None
