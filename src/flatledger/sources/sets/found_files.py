"""Which files a source is: several names, patterns, folders, and what is in a ZIP file."""

from __future__ import annotations

import fnmatch
import glob
import io
import os
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from os import PathLike, fspath
from pathlib import Path, PurePath, PurePosixPath
from typing import Any, NamedTuple

from ...errors import SourceError
from ..files.packing import ZIP_DAMAGES
from ..files.reading import Bytes, is_pipe, name_of, open_bytes
from ..files.zip_files import Member, is_zip, names_in

_PATTERN = "*?["
_BELOW = "**"
_SHOWN = 5


class SourceFile(NamedTuple):
    """A file that is read, or one that is packed in a ZIP file."""

    path: Path
    member: str = ""

    @property
    def name(self) -> str:
        """What it is called."""
        return f"{name_of(self.path)}/{self.member}" if self.member else name_of(self.path)

    @property
    def size(self) -> int | None:
        """How many bytes it has; None where it is packed, or is not there."""
        try:
            return None if self.member else self.path.stat().st_size
        except OSError:
            return None

    def open(self) -> Bytes:
        """Its bytes from the start. Raises SourceError."""
        if not self.member:
            return open_bytes(self.path)
        try:
            packed = io.BufferedReader(Member(self.path, self.member))
            return Bytes(self.name, packed, own=True)
        except OSError as error:
            raise SourceError(f"{self.path} can't be read: {error.strerror or error}") from error
        except ZIP_DAMAGES as error:
            raise SourceError(f"{self.name} can't be read: {error}") from error


def files_of(source: Any) -> list[SourceFile] | None:
    """The files that a source names, in the order in which it names them; None where it is one file
    or something else. Raises SourceError where it names none, or one twice."""
    if isinstance(source, str | PathLike):
        found = _files_at(fspath(source))
        return None if found is None else _each_once(found)
    if source.__class__ not in (list, tuple) or not source:
        return None
    if not all(isinstance(one, str | PathLike) for one in source):
        return None
    piped = next((fspath(one) for one in source if is_pipe(one)), None)
    if piped is not None:
        what = name_of(piped) if piped == "-" else f"the pipe {piped}"
        raise SourceError(f"{what} can't be read beside files; name it alone")
    found = []
    for one in map(fspath, source):
        named = _files_at(one)
        found += [SourceFile(Path(one))] if named is None else named
    return _each_once(found)


def folders_within(source: Any) -> list[str]:
    """What is to be pointed out of folders that a source names: those in them are not read."""
    told = []
    for one in [source] if isinstance(source, str | PathLike) else source:
        if os.path.isdir(one):
            inner = [sub.name for sub in os.scandir(one) if sub.is_dir()]
            shown = sorted(name for name in inner if not name.startswith("."))
            more = ", …" if len(shown) > _SHOWN else ""
            if shown:
                what = f"the folders in {fspath(one)} are not read: {', '.join(shown[:_SHOWN])}"
                told.append(f"{what}{more} (--below, or '{fspath(one)}/**/*', reads these too)")
    return told


def inputs_of(source: Any) -> list[Any]:
    """What a source reads: its files, or itself. Raises SourceError."""
    files = files_of(source)
    return [source] if files is None else list(dict.fromkeys(one.path for one in files))


def naming(source: Any, path: Path) -> str:
    """The folder or pattern of a source by which a file would be one of it; blank if none is."""
    names = [source] if isinstance(source, str | PathLike) else source
    for one in names if isinstance(names, Sequence) else ():
        if not isinstance(one, str | PathLike):
            continue
        name = os.path.realpath(one)
        inside = os.path.isdir(one) and os.path.realpath(path.parent) == name
        if inside and not path.name.startswith("."):
            return fspath(one)
        is_pattern = not os.path.exists(one) and any(letter in name for letter in _PATTERN)
        patterns = (name, name.replace(f"{_BELOW}/", "")) if is_pattern else ()
        if any(fnmatch.fnmatchcase(os.path.realpath(path), pattern) for pattern in patterns):
            return fspath(one)
    return ""


def called(files: Sequence[SourceFile]) -> dict[SourceFile, str]:
    """What a table calls each file: by its name alone or, where two have one, with its folders
    below the one that they have in common."""
    whole = [os.path.abspath(one.path) + (f"/{one.member}" if one.member else "") for one in files]
    names = [name_of(PurePath(one).name) for one in whole]
    if len({*names}) < len(names):
        common = os.path.commonpath(whole)
        names = [name_of(PurePath(one).relative_to(common).as_posix()) for one in whole]
    return dict(zip(files, names, strict=True))


def in_natural_order(files: Iterable[SourceFile]) -> list[SourceFile]:
    """Files in the order in which people read their names: A2 before A10.

    >>> [one.name for one in in_natural_order([SourceFile(Path("r-10")), SourceFile(Path("r-9"))])]
    ['r-9', 'r-10']
    """
    from natsort import natsorted, ns  # few runs have several files, and it takes its time

    return natsorted(files, key=lambda one: one.name, alg=ns.PATH | ns.IGNORECASE)


def _files_at(name: str) -> list[SourceFile] | None:
    if name == "-":
        return None
    if os.path.isdir(name):
        return _in_folder(Path(name))
    if os.path.exists(name):
        return _in_zip(Path(name), "*") if is_zip(name) else None
    if "\0" in name:
        return None
    holder = next((one for one in Path(name).parents if is_zip(str(one))), None)
    if holder is not None:
        return _in_zip(holder, PurePosixPath(Path(name).relative_to(holder)).as_posix())
    if not any(letter in name for letter in _PATTERN):
        return None
    paths = [Path(one) for one in sorted(_named_like(name)) if os.path.isfile(one)]
    if not paths:
        raise SourceError(f"no file is named like {name}")
    return [file for path in paths for file in _files_at(str(path)) or [SourceFile(path)]]


def below(folder: str) -> str:
    """The pattern of all files in a folder and in those below it. Raises SourceError.

    >>> below(".")
    './**/*'
    """
    if not os.path.isdir(folder):
        raise SourceError(f"{folder} is no folder, so that nothing is below it")
    return os.path.join(glob.escape(folder), "**", "*")


def _named_like(pattern: str) -> set[str]:
    """What there is by a pattern. Each folder is looked into once, by however many links."""
    parts = Path(pattern).parts
    if _BELOW not in parts:
        return set(glob.glob(pattern))
    at = parts.index(_BELOW)
    found: set[str] = set()
    met: set[str] = set()
    for start in sorted(glob.glob(str(Path(*parts[:at])))):
        for folder in _folders_below(start, met):
            found |= _named_like(str(Path(glob.escape(folder), *(parts[at + 1 :] or ("*",)))))
    return found


def _folders_below(start: str, met: set[str]) -> Iterator[str]:
    """A folder and those below it that are not hidden, and have not been met."""
    for folder, names, _ in os.walk(start, followlinks=True):
        place = os.path.realpath(folder)
        if place in met:
            names.clear()
            continue
        met.add(place)
        yield folder
        names[:] = sorted(one for one in names if not _is_hidden(one))


def _in_folder(folder: Path) -> list[SourceFile]:
    """The files in a folder; hidden ones and further folders are passed over."""
    try:
        names = sorted(one.name for one in os.scandir(folder) if one.is_file())
    except OSError as error:
        raise SourceError(f"{folder} can't be read: {error.strerror}") from error
    found = [folder / name for name in names if not name.startswith(".")]
    if not found:
        raise SourceError(
            f"{folder} has no files in it (--below, or '{folder}/**/*', reads those in its folders)"
        )
    return [file for path in found for file in _files_at(str(path)) or [SourceFile(path)]]


def _in_zip(path: Path, pattern: str) -> list[SourceFile]:
    """The files in a ZIP file whose names are like a pattern; folders and hidden ones are none."""
    try:
        names = names_in(path)
    except ZIP_DAMAGES as error:
        raise SourceError(f"{path}: the ZIP file is damaged or cut off: {error}") from None
    shown = [one for one in names if not any(map(_is_hidden, one.split("/")))]
    found = [one for one in shown if fnmatch.fnmatchcase(one, pattern)]
    twice = next((one for one, count in Counter(found).items() if count > 1), None)
    if twice is not None:
        raise SourceError(f"{path} has two files called {twice}; pack it anew, with each once")
    if not found:
        what = f"nothing named like {pattern}" if shown else "no files"
        raise SourceError(f"{path} has {what} in it")
    return [SourceFile(path, one) for one in found]


def _is_hidden(name: str) -> bool:
    return name.startswith(".") and name not in (".", "..")


def _each_once(files: list[SourceFile]) -> list[SourceFile]:
    met: set[tuple[str, str]] = set()
    for one in files:
        place = os.path.realpath(one.path), one.member
        if place in met:
            raise SourceError(f"{one.name} is named twice; its records would be counted twice")
        met.add(place)
    return files
