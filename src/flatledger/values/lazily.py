"""What is worked out when it is first asked for, and kept."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Generic, Self, TypeVar, overload

Owner = TypeVar("Owner")
Value = TypeVar("Value")


class lazily(Generic[Owner, Value]):  # noqa: N801 (it stands where `property` would)
    """A property that is worked out once. Unlike the library's own of Python 3.11 it takes no lock,
    which costs more than most of what is worked out for small trees.

    >>> class Circle:
    ...     @lazily
    ...     def points(self):
    ...         return []
    >>> circle = Circle()
    >>> circle.points is circle.points
    True
    """

    def __init__(self, work_out: Callable[[Owner], Value]) -> None:
        self._work_out = work_out
        self.__doc__ = work_out.__doc__

    def __set_name__(self, owner: type, name: str) -> None:
        self._name = name

    @overload
    def __get__(self, one: None, owner: Any = None) -> Self: ...

    @overload
    def __get__(self, one: Owner, owner: Any = None) -> Value: ...

    def __get__(self, one: Owner | None, owner: Any = None) -> Self | Value:
        if one is None:
            return self
        found = one.__dict__[self._name] = self._work_out(one)
        return found
