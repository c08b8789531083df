"""Putting things on the shelf, and taking them from it. What is replaced or removed is kept."""

from __future__ import annotations

import datetime as dt
import time
from collections.abc import Iterator
from contextlib import contextmanager
from os import PathLike
from pathlib import Path

import portalocker

from .errors import OutputError, ShelfError
from .layout import Layout
from .layout.assembling import check_conditions
from .layout.files import SUFFIXES, read_list
from .layout.shelf import FOLDERS, Shelf, kind_of_file
from .outputs import Target

FORMER = "former"
LONGEST_WAIT = 30  # seconds, for another run that writes to the shelf


def put(
    file: str | PathLike[str],
    name: str | None = None,
    *,
    replace: bool = False,
    shelf: Shelf | None = None,
) -> Path:
    """Put a layout, conditions or a list on the personal shelf; return where it stands.

    ``name`` is the file's own, unless told otherwise. What it holds is checked first. Raises
    LayoutError, and ShelfError where the name is taken and is not to be replaced.
    """
    shelf = shelf or Shelf()
    source = Path(file)
    kind = kind_of_file(source)
    name = name or source.stem
    place = shelf.place(kind, name, source.suffix if kind == "list" else SUFFIXES[kind][0])
    if kind == "list":
        read_list(source)
    content = _read(source)
    if kind == "layout":
        text = content.decode("utf-8-sig")
        Layout.from_text(text, source.name, shelf, folder=place.parent)
    elif kind == "conditions":
        check_conditions(source)
    return _place(content, kind, name, place, replace, shelf)


def save(layout: Layout, name: str, *, replace: bool = False, shelf: Shelf | None = None) -> Path:
    """Keep a layout on the personal shelf under a name; return where it stands.

    Raises ShelfError where the name is taken and is not to be replaced, and LayoutError where it
    names a file that is not beside it there.
    """
    shelf = shelf or Shelf()
    place = check_save(layout, name, replace=replace, shelf=shelf)
    text = layout.named(name).to_text()
    return _place(text.encode(), "layout", name, place, replace, shelf)


def check_save(
    layout: Layout, name: str, *, replace: bool = False, shelf: Shelf | None = None
) -> Path:
    """Where a layout would be kept. Raises as `save` does."""
    shelf = shelf or Shelf()
    place = shelf.place("layout", name, SUFFIXES["layout"][0])
    if not replace:
        check_free(name, "layout", shelf)
    Layout.from_text(layout.to_text(), name, shelf, folder=place.parent)
    return place


def take(name: str, kind: str | None = None, *, shelf: Shelf | None = None) -> str:
    """The text of something on the shelf. Raises ShelfError."""
    return _read(_found(name, kind, shelf or Shelf())[1]).decode("utf-8-sig")


def file_of(name: str, kind: str | None = None, *, shelf: Shelf | None = None) -> Path:
    """The file of something on the shelf. Raises ShelfError."""
    return _found(name, kind, shelf or Shelf())[1]


def remove(name: str, kind: str | None = None, *, shelf: Shelf | None = None) -> Path:
    """Take something off the personal shelf; return where it is kept.

    Raises ShelfError, also where it is on a shared shelf only.
    """
    shelf = shelf or Shelf()
    kind, file = _found(name, kind, shelf)
    if shelf.folders[0] not in file.parents:
        raise ShelfError(f"`{name}` is on a shared shelf, in {file.parent}; remove it there")
    with _alone(shelf):
        kept = _keep_former(file)
        file.unlink()
    return kept


def is_taken(name: str, kind: str, shelf: Shelf | None = None) -> bool:
    """Whether the personal shelf has something of this kind and name."""
    shelf = shelf or Shelf()
    return any(shelf.place(kind, name, suffix).exists() for suffix in SUFFIXES[kind])


def check_free(name: str, kind: str, shelf: Shelf | None = None) -> None:
    """Raise ShelfError where the personal shelf has something of this kind and name."""
    if is_taken(name, kind, shelf):
        raise ShelfError(
            f"`{name}` is on the shelf already; choose another name, or remove it first "
            "(flatledger shelf remove), or replace it with --replace"
        )


def _found(name: str, kind: str | None, shelf: Shelf) -> tuple[str, Path]:
    """Something's kind and file; without a kind, the name must be clear."""
    if kind is not None:
        return kind, shelf.find(kind, name)
    entries = [one for one in shelf.entries() if one.name == name and not one.hidden]
    if len(entries) > 1:
        kinds = " and ".join(entry.kind for entry in entries)
        raise ShelfError(f"`{name}` is the name of {kinds}; say which with --kind")
    if not entries:
        return "layout", shelf.find("layout", name)
    return entries[0].kind, entries[0].path


def _place(content: bytes, kind: str, name: str, place: Path, replace: bool, shelf: Shelf) -> Path:
    """Put something in its place; what stands there is among the former ones before it goes."""
    with _alone(shelf):
        if not replace:
            check_free(name, kind, shelf)
        files = [shelf.place(kind, name, suffix) for suffix in SUFFIXES[kind]]
        for file in files:
            if file.exists():
                _keep_former(file)
        with Target(place, "replace") as target:
            target.write(content)
        for file in files:
            if file != place:
                file.unlink(missing_ok=True)
    return place


@contextmanager
def _alone(shelf: Shelf) -> Iterator[None]:
    """The personal shelf while nobody else writes to it."""
    folder = shelf.folders[0]
    try:
        for name in FOLDERS.values():
            (folder / name / FORMER).mkdir(parents=True, exist_ok=True)
        lock = portalocker.Lock(folder / ".lock", timeout=LONGEST_WAIT)
        lock.acquire()
    except portalocker.LockException:
        raise ShelfError(f"another run is still writing to {folder}; try again later") from None
    except OSError as error:
        raise OutputError(f"{folder} can't be written: {error.strerror}") from None
    try:
        yield
    finally:
        lock.release()


def _keep_former(file: Path) -> Path:
    """Keep a file's content among the former ones, under its name and the time."""
    former = file.parent / FORMER
    while (kept := former / f"{file.stem} {_now()}{file.suffix}").exists():
        time.sleep(0.001)
    try:
        with Target(kept, "number") as target:
            target.write(file.read_bytes())
    except OSError as error:
        raise OutputError(f"{file} can't be read: {error.strerror}") from None
    return kept


def _now() -> str:
    return dt.datetime.now().strftime("%Y-%m-%dT%H%M%S.%f")


def _read(file: Path) -> bytes:
    try:
        return file.read_bytes()
    except OSError as error:
        raise ShelfError(f"{file} can't be read: {error.strerror}") from None
