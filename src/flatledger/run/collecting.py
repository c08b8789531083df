"""Batches go by with Python's collector of circles at rest.

What a batch makes (records, rows) holds no circles, and the collector would look through all of it
again and again.
"""

from __future__ import annotations

import gc
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TypeVar

Thing = TypeVar("Thing")


@contextmanager
def at_rest() -> Iterator[None]:
    """The collector rests meanwhile, if it is at work; what a caller has chosen stays so."""
    working = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if working:
            gc.enable()


def restfully(batches: Iterator[Thing]) -> Iterator[Thing]:
    """The items of an iterator, each made while the collector rests.

    >>> list(restfully(iter([1, 2])))
    [1, 2]
    """
    while True:
        with at_rest():
            try:
                item = next(batches)
            except StopIteration:
                return
        yield item
