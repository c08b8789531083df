"""The errors that a user can cause: one family, each with the exit code that it leads to.

A message says what is wrong, where, and what to do. ``cli`` is the one place that shows them.
"""

from __future__ import annotations

import errno
import pickle
from dataclasses import dataclass
from typing import Any, Self


class FlatLedgerError(Exception):
    """The base of all errors that a user can cause; nothing was written, but for what ``written``
    tells in words.

    >>> raise FlatLedgerError("the source is a folder; name a file")
    Traceback (most recent call last):
    flatledger.errors.FlatLedgerError: the source is a folder; name a file
    """

    exit_code = 1
    written = ""
    typed = ""  # what helps at the command line, which adds it

    def typing(self, options: str) -> Self:
        """The same error, with the options that help at the command line."""
        self.typed = options
        return self

    def __str__(self) -> str:
        return str(self.args[0]) if self.args else ""

    def __reduce__(self) -> tuple[Any, ...]:
        """It goes from one process to another with all that it says, and with its cause."""
        of_file = (
            {"errno": self.errno, "filename": self.filename} if isinstance(self, OSError) else {}
        )
        state = {**self.__dict__, **of_file}
        return _again, (type(self), self.args, state, _to_travel(self.__cause__))

    def lines(self) -> list[str]:
        """The message, a line for each thing that is wrong."""
        return [str(self)]


def _again(
    kind: type[FlatLedgerError],
    args: tuple[Any, ...],
    state: dict[str, Any],
    cause: BaseException | None,
) -> FlatLedgerError:
    """The error that another process had."""
    error = kind.__new__(kind)
    error.args = args
    for name, value in state.items():
        setattr(error, name, value)
    error.__cause__ = cause
    return error


def _to_travel(cause: BaseException | None) -> BaseException | None:
    """A cause, if it can go to another process; else what it says."""
    if cause is None:
        return None
    try:
        pickle.loads(pickle.dumps(cause))
    except Exception:  # of whatever class it is
        return RuntimeError(f"{type(cause).__name__}: {cause}")
    return cause


class _MissingError(FileNotFoundError):
    """What any FileNotFoundError has: its number and the file's name."""

    def of(self, filename: object) -> Self:
        """The same error, about a file."""
        self.errno, self.filename = errno.ENOENT, filename
        return self


class TableNotReadError(FlatLedgerError):
    """The balance was asked for before the rows of the table had been taken to their end.

    >>> import flatledger
    >>> flatledger.table({"columns": [{"No": "no"}]}, [{"no": 1}]).balance
    Traceback (most recent call last):
    flatledger.errors.TableNotReadError: the balance comes after the last row: take all rows \
first, as list(table) does
    """


class TableReadError(FlatLedgerError):
    """The rows of a table were asked for once more; they can be taken once.

    >>> import flatledger
    >>> table = flatledger.table({"columns": [{"No": "no"}]}, [{"no": 1}])
    >>> list(table), list(table)
    Traceback (most recent call last):
    flatledger.errors.TableReadError: the rows of this table have been taken; ask for the table \
again to have them again
    """


class TableClosedError(FlatLedgerError):
    """The rows of a table were asked for after it had been closed.

    >>> import flatledger
    >>> with flatledger.table({"columns": [{"No": "no"}]}, [{"no": 1}]) as table:
    ...     pass
    >>> next(table)
    Traceback (most recent call last):
    flatledger.errors.TableClosedError: the table has been closed; ask for it again
    """


class ArgumentError(FlatLedgerError, ValueError):
    """An argument of a call that can't be meant; it is a ValueError as well.

    >>> import flatledger
    >>> flatledger.export({"columns": [{"No": "no"}]}, [], "t.csv", if_there="overwrite")
    Traceback (most recent call last):
    flatledger.errors.ArgumentError: if_there='overwrite': it is keep, replace, refuse or number
    """


class FaultsFoundError(FlatLedgerError):
    """A strict run that came to its end, and has something to tell: faults, or notices. What was
    written is there; ``balance`` is that of the run.

    >>> import flatledger, io
    >>> layout = {"columns": [{"Fee": {"value": "fee", "total": "sum"}}]}
    >>> flatledger.export(layout, [{"fee": "many"}], io.BytesIO(), strict=True)
    Traceback (most recent call last):
    flatledger.errors.FaultsFoundError: 1 fault and 1 notice; the first: record 1, fee: is not a \
number: many
    """

    exit_code = 3

    def __init__(self, message: str, balance: Any) -> None:
        super().__init__(message)
        self.balance = balance


class LevelsError(FlatLedgerError):
    """A later record shows a level that the first ones did not, and the run can't begin again.

    That is so where rows were given already, or where the source can be read once only; the message
    has the `levels` to state (docs/rules.md, 1).

    >>> import flatledger
    >>> later = iter([{"no": 1, "tags": "a"}] * 400 + [{"no": 2, "tags": ["a", "b"]}])
    >>> layout = {"columns": [{"No": "no"}, {"Tags": "count(tags)"}]}
    >>> list(flatledger.table(layout, later))
    Traceback (most recent call last):
    flatledger.errors.LevelsError: record 401 has a list of several at tags, where the first \
records have none, and the source can be read once only. State all levels in the layout: \
`levels: [tags, …]` if it repeats; without tags a list of several there is a fault
    """


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

    >>> str(Problem("`columns` is missing", 3, 1))
    'line 3, column 1: `columns` is missing'
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


class MissingLayoutError(LayoutError, _MissingError):
    """A layout whose file, or one that it names, is not there; it is a FileNotFoundError as well.

    >>> import flatledger
    >>> flatledger.Layout.from_file("no-such-file.yaml")
    Traceback (most recent call last):
    flatledger.errors.MissingLayoutError: no-such-file.yaml: the file can't be read: No such \
file or directory
    """


class SourceError(FlatLedgerError):
    """A source that cannot be opened or read at all; what can't be read of it is a fault.

    >>> import flatledger
    >>> flatledger.survey("no-such-file.json")
    Traceback (most recent call last):
    flatledger.errors.MissingSourceError: no-such-file.json can't be read: No such file or \
directory
    """


class MissingSourceError(SourceError, _MissingError):
    """A source whose file is not there; it is a FileNotFoundError as well.

    >>> import flatledger
    >>> try:
    ...     flatledger.survey("no-such-file.json")
    ... except FileNotFoundError as error:
    ...     print(error.filename)
    no-such-file.json
    """


class SlowPatternError(FlatLedgerError):
    """A pattern that takes so long on the texts of a source that the run would not end.

    >>> raise SlowPatternError("the pattern `(a+)+b` takes too long; write it otherwise")
    Traceback (most recent call last):
    flatledger.errors.SlowPatternError: the pattern `(a+)+b` takes too long; write it otherwise
    """


class OutputError(FlatLedgerError):
    """A table that cannot be written as the layout asks; the former file is left as it was.

    >>> import flatledger
    >>> flatledger.export({"columns": [{"No": "no"}]}, [], "table.docx")
    Traceback (most recent call last):
    flatledger.errors.OutputError: table.docx: a table is not written as `.docx`; name a file \
that ends in .csv, .txt, .tsv, .tab, .xlsx, .ods, .json, .jsonl, .ndjson, .md, .html or .htm
    """


class SamePlaceError(OutputError):
    """A ``place`` to write to that takes part in the run already.

    >>> raise SamePlaceError("lines.csv takes part in this run; name another file", "lines.csv")
    Traceback (most recent call last):
    flatledger.errors.SamePlaceError: lines.csv takes part in this run; name another file
    """

    def __init__(self, message: str, place: object) -> None:
        super().__init__(message)
        self.place = place


class MissingExtraError(FlatLedgerError):
    """A format or a way out that needs packages which are installed as an extra.

    >>> raise MissingExtraError("a data frame needs pandas: pip install 'flatledger[pandas]'")
    Traceback (most recent call last):
    flatledger.errors.MissingExtraError: a data frame needs pandas: pip install 'flatledger[pandas]'
    """


class ShelfError(FlatLedgerError):
    """Something that is not on the shelf, or that is there already, or that can't be put there.

    >>> import flatledger
    >>> flatledger.Shelf(["/nowhere"]).get("lines")
    Traceback (most recent call last):
    flatledger.errors.ShelfError: no layout `lines` on the shelf; `flatledger shelf` lists what \
there is
    """


class AnswerError(FlatLedgerError):
    """A value that a layout asks for and that was not given, or can't be taken.

    >>> import flatledger
    >>> layout = {"columns": [{"No": "no"}], "only": ["no > :least"], "ask": {"least": "integer"}}
    >>> flatledger.table(layout, [], ask={"least": "many"})
    Traceback (most recent call last):
    flatledger.errors.AnswerError: `least`: `many`: a whole number is wanted
    """

    exit_code = 2
