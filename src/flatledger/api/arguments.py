"""Arguments of calls: what can't be meant is told before anything is read."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from os import PathLike
from pathlib import Path
from typing import Any

from ..errors import ArgumentError


def check_choice(name: str, value: object, options: Collection[object]) -> None:
    """Raise ArgumentError where a value is none of some.

    >>> check_choice("verify", "al", (False, True, "all"))
    Traceback (most recent call last):
    flatledger.errors.ArgumentError: verify='al': it is False, True or all
    """
    if not isinstance(value, str | bool | None) or value not in options:
        *first, last = map(str, options)
        raise ArgumentError(f"{name}={value!r:.60}: it is {', '.join(first)} or {last}")


def check_count(name: str, value: object, least: int = 1, *, or_all: bool = False) -> None:
    """Raise ArgumentError where a value is no whole number from ``least`` on, nor, where it may
    stand for all, None.

    >>> check_count("rows", -1)
    Traceback (most recent call last):
    flatledger.errors.ArgumentError: rows=-1: it is a whole number from 1 on
    """
    if or_all and value is None:
        return
    if not isinstance(value, int) or isinstance(value, bool) or value < least:
        none = ", or None for all" if or_all else ""
        raise ArgumentError(f"{name}={value!r:.60}: it is a whole number from {least} on{none}")


def check_mapping(name: str, value: object) -> None:
    """Raise ArgumentError where a value is neither a mapping nor None.

    >>> check_mapping("ask", [1])
    Traceback (most recent call last):
    flatledger.errors.ArgumentError: ask=[1]: it is a mapping, such as {'month': '2026-03'}
    """
    example = {"ask": {"month": "2026-03"}, "fields": {"raised": "date"}}
    if value is not None and not isinstance(value, Mapping):
        such = example.get(name, {"delimiter": "semicolon"})
        raise ArgumentError(f"{name}={value!r:.60}: it is a mapping, such as {such}")


def folder_of(value: str | PathLike[str] | None) -> Path | None:
    """A folder as a path. Raises ArgumentError."""
    if value is None or isinstance(value, str | PathLike):
        return None if value is None else Path(value)
    raise ArgumentError(f"folder={value!r:.60}: it is a path")


def check_given(**mappings: Any) -> None:
    """Raise ArgumentError where one of several is neither a mapping nor None."""
    for name, value in mappings.items():
        check_mapping(name, value)
