"""Packages that are installed only where they are asked for, as extras."""

from __future__ import annotations

from importlib import import_module
from typing import Any

from .errors import MissingExtraError


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
