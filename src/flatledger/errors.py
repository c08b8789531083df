"""The errors that a user can cause: one family, each with the exit code that it leads to.

A message says what is wrong, where, and what to do. ``cli`` is the one place that shows them.
"""

from __future__ import annotations

from dataclasses import dataclass


class FlatLedgerError(Exception):
    """The base of all errors that a user can cause; nothing was written, but for what ``written``
    tells in words.

    >>> raise FlatLedgerError("the source is a folder; name a file")
    Traceback (most recent call last):
    flatledger.errors.FlatLedgerError: the source is a folder; name a file
    """

    exit_code = 1
    written = ""

    def lines(self) -> list[str]:
        """The message, a line for each thing that is wrong."""
        return [str(self)]


class TableNotReadError(FlatLedgerError):
    """The balance was asked for before the rows of the table had been taken to their end."""


class TableReadError(FlatLedgerError):
    """The rows of a table were asked for once more; they can be taken once."""


class TableClosedError(FlatLedgerError):
    """The rows of a table were asked for after it had been closed."""


class LevelsError(FlatLedgerError):
    """A later record shows a level that the first ones did not, and the run can't begin again."""


class ExpressionError(FlatLedgerError):
    """An expression or a path that cannot be understood, with the place in its text.

    >>> error = ExpressionError("no function `summ`; did you mean `sum`?", "summ(qty)", 0)
    >>> print(error.pointer())
    summ(qty)
    ^
    """

    def __init__(self, message: str, text: str, position: int) -> None:
        super().__init__(message)
        self.text = text
        self.position = position

    def pointer(self) -> str:
        """The line of the text that holds the fault, and below it a caret under the place."""
        start = self.text.rfind("\n", 0, self.position) + 1
        line = self.text[start:].split("\n", 1)[0]
        return f"{line}\n{' ' * (self.position - start)}^"


@dataclass(frozen=True, slots=True)
class Problem:
    """One fault of a layout: what is wrong, and where (counted from 1; 0 is unknown).

    ``file`` is set where a layout is put together from several.
    """

    message: str
    line: int = 0
    column: int = 0
    file: str = ""

    def __str__(self) -> str:
        return (
            f"line {self.line}, column {self.column}: {self.message}" if self.line else self.message
        )


class LayoutError(FlatLedgerError):
    """A layout with faults: all of them at once, in the order of the text.

    >>> print(LayoutError("parts.yaml", [Problem("`columns` is missing", 3, 1)]))
    parts.yaml: line 3, column 1: `columns` is missing
    """

    def __init__(self, name: str, problems: list[Problem]) -> None:
        self.name = name
        self.problems = sorted(problems, key=lambda p: (p.file, p.line, p.column))
        super().__init__("\n".join(self.lines()))

    def lines(self) -> list[str]:
        return [f"{problem.file or self.name}: {problem}" for problem in self.problems]


class SourceError(FlatLedgerError):
    """A source that cannot be opened or read at all."""


class SlowPatternError(FlatLedgerError):
    """A pattern that takes so long on the texts of a source that the run would not end."""


class OutputError(FlatLedgerError):
    """A table that cannot be written as the layout asks; the former file is left as it was."""


class SamePlaceError(OutputError):
    """A ``place`` to write to that takes part in the run already."""

    def __init__(self, message: str, place: object) -> None:
        super().__init__(message)
        self.place = place


class MissingExtraError(FlatLedgerError):
    """A format or a way out that needs packages which are installed as an extra."""


class ShelfError(FlatLedgerError):
    """Something that is not on the shelf, or that is there already, or that can't be put there."""


class AnswerError(FlatLedgerError):
    """A value that a layout asks for and that was not given, or can't be taken."""

    exit_code = 2
