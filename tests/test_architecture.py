"""The arrows of the house run one way, as docs/architecture.md says."""

from __future__ import annotations

import ast
import re
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.mutants import MUTANTS, place_of

HOUSE = Path(__file__).parents[1] / "src" / "flatledger"
# from the lowest: each room may import from those before it, beside the errors and the extras
CORE = ("values", "language", "layout", "structure", "plan", "compile", "run")
FACES = tuple(one for one in CORE if one != "compile")  # `run` is the face of what is generated
BY_DEFINITION = CORE[:5]  # what the reference goes by: nothing of what it is held against
UNDER = {"bounds", "errors", "extras"}
ARROWS: dict[str, set[str]] = {
    "bounds": set(),
    "errors": set(),
    "extras": {"errors"},
    **{room: {*UNDER, *CORE[:at]} for at, room in enumerate(CORE)},
    "reference": {*UNDER, *BY_DEFINITION},
    **{room: {*UNDER, *FACES} for room in ("sources", "outputs", "reports")},
    "drafting": {*UNDER, "values", "language", "layout", "structure", "reports"},
    "demo": set(),
    "api": {*UNDER, *FACES, "reference", "sources", "outputs", "reports", "drafting"},
    "cli": {*UNDER, *FACES, "sources", "outputs", "reports", "demo", "api"},
}
# rooms within rooms, from the lowest: each may import from those before it
WITHIN = {
    "layout": ("model", "reading", "settling"),
    "compile": ("runtime", "expressions", "trees", "functions"),
    "sources": (
        *("files", "json", "xml", "tables", "catalogues", "photographs", "objects"),
        *("further_formats", "formats", "sets", "shaping"),
    ),
    "outputs": ("places", "cells", "text", "sheets", "forms", "documents", "checking", "formats"),
}
ALONE = {"__init__", "__main__"}  # the public names, and the way to the tool


def imported_rooms(file: Path) -> set[str]:
    """The rooms of the package that a module imports from."""
    package = file.relative_to(HOUSE.parent).with_suffix("").parts[:-1]
    rooms = set()
    for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
        if isinstance(node, ast.ImportFrom):
            base = package[: len(package) - node.level + 1] if node.level else ()
            full = (*base, *(node.module or "").split("."))
            rooms.add(full[1] if len(full) > 1 and full[1] else full[0])
            if full[0] != "flatledger":
                rooms.discard(full[1] if len(full) > 1 else full[0])
        elif isinstance(node, ast.Import):
            rooms.update(
                n.name.split(".")[1] for n in node.names if n.name.startswith("flatledger.")
            )
    return rooms & set(ARROWS)


@pytest.mark.parametrize("room", ARROWS)
def test_a_room_imports_only_from_the_rooms_below_it(room: str) -> None:
    files = sorted((HOUSE / room).rglob("*.py")) or [HOUSE / f"{room}.py"]
    assert files
    for file in files:
        assert imported_rooms(file) <= ARROWS[room] | {room}, file


def test_the_arrows_that_there_are_have_been_found() -> None:
    assert "language" in imported_rooms(HOUSE / "plan" / "planner.py")
    assert "run" in imported_rooms(HOUSE / "sources" / "json" / "json_source.py")


def test_every_module_is_in_a_room() -> None:
    found = {path.stem for path in HOUSE.iterdir() if path.suffix == ".py" or path.is_dir()}
    assert found - ALONE - {"__pycache__", "py"} == set(ARROWS)


CALLS_OF_FILES = {
    "read_text",
    "read_bytes",
    "write_text",
    "write_bytes",
    "unlink",
    "mkdir",
    "touch",
}
MODULES_OF_FILES = {
    *("os", "shutil", "tempfile", "subprocess", "socket", "sqlite3", "urllib", "http"),
    *("logging", "glob", "zipfile", "gzip", "importlib"),
}


def reaches_outside(file: Path) -> Iterator[str]:
    """What a module calls or imports that opens files, prints, or has other programs do it."""
    for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
        match node:
            case ast.Call(func=ast.Name(id="open" | "print" | "input" as name)):
                yield name
            case ast.Call(func=ast.Attribute(attr=name)) if name in CALLS_OF_FILES:
                yield name
            case ast.Import(names=names):
                yield from {one.name.split(".")[0] for one in names} & MODULES_OF_FILES
            case ast.ImportFrom(level=0, module=str(module)):
                yield from {module.split(".")[0]} & MODULES_OF_FILES


@pytest.mark.parametrize("room", [*CORE, "reference"])
def test_the_core_opens_no_file_and_prints_nothing(room: str) -> None:
    for file in (HOUSE / room).rglob("*.py"):
        assert not [*reaches_outside(file)], file


def test_what_opens_files_is_found() -> None:
    assert {"os"} <= {*reaches_outside(HOUSE / "outputs" / "places" / "unfinished.py")}
    assert {"mkdir"} <= {*reaches_outside(HOUSE / "api" / "kept.py")}


FORMATS = ("marc", "catalogue", "xml", "jsonl", "xlsx", "ods", "csv", "photos", "photograph")
OF_FORMATS = re.compile(rf"(?:\b|_)(?:{'|'.join(FORMATS)})s?(?:\b|_)", re.IGNORECASE)


def named_formats(file: Path) -> Iterator[str]:
    """The names and texts of a module's code that name a format; what it says of itself apart."""
    tree = ast.parse(file.read_text(encoding="utf-8"))
    said = {
        id(node.body[0].value)
        for node in ast.walk(tree)
        if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef)
        and isinstance(node.body[0], ast.Expr)
    }
    for node in ast.walk(tree):
        names = [getattr(node, one, None) for one in ("id", "attr", "name", "arg", "module")]
        text = [node.value] if isinstance(node, ast.Constant) and id(node) not in said else []
        yield from (
            one for one in (*names, *text) if isinstance(one, str) and OF_FORMATS.search(one)
        )


@pytest.mark.parametrize("room", ["language", "structure", "plan", "compile", "run"])
def test_formats_know_their_own_rules(room: str) -> None:
    for file in (HOUSE / room).rglob("*.py"):
        assert [*named_formats(file)] == [], file


def test_a_format_that_is_named_is_found() -> None:
    assert "CATALOGUE" in {*named_formats(HOUSE / "drafting" / "row_level.py")}
    assert "xml.xml_source" in {*named_formats(HOUSE / "sources" / "formats.py")}


def test_text_reaches_a_terminal_in_one_way_only() -> None:
    for file in HOUSE.rglob("*.py"):
        text = file.read_text(encoding="utf-8")
        name = file.relative_to(HOUSE).as_posix()
        if name != "reports/screen.py":
            assert not re.search(r"\brich\b", text), name
        if name not in ("cli/ending.py", "cli/progress.py"):
            assert not re.search(r"\bstd(?:out|err)\.write\(", text), name
        if name != "cli/main.py":  # for the version
            assert "click.echo(" not in text, name


# ---- sizes and circles -----------------------------------------------------------------------

MODULES = {
    ".".join(file.relative_to(HOUSE.parent).with_suffix("").parts).removesuffix(".__init__"): file
    for file in HOUSE.rglob("*.py")
}


def imported_modules(name: str) -> set[str]:
    """The modules of the package that one imports, for its types too."""
    file, found = MODULES[name], set()
    package = name.split(".") if file.name == "__init__.py" else name.split(".")[:-1]
    for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
        if isinstance(node, ast.ImportFrom):
            base = package[: len(package) - node.level + 1] if node.level else []
            module = ".".join([*base, *(node.module.split(".") if node.module else [])])
            found |= {
                one if (one := f"{module}.{alias.name}") in MODULES else module
                for alias in node.names
            }
    return (found & set(MODULES)) - {name}


def test_no_modules_import_each_other_in_a_circle() -> None:
    left = {name: imported_modules(name) for name in MODULES}
    while free := [name for name, needs in left.items() if not needs & set(left)]:
        for name in free:
            del left[name]
    assert not left, "these stand in circles, or need what does"


@pytest.mark.parametrize("room", WITHIN)
def test_rooms_within_a_room_import_only_from_those_below_them(room: str) -> None:
    inside = f"flatledger.{room}."
    below = {one: {*WITHIN[room][: at + 1]} for at, one in enumerate(WITHIN[room])}
    names = [name for name in MODULES if name.startswith(inside)]
    assert {name.removeprefix(inside).split(".")[0] for name in names} == set(below)
    for name in names:
        own = name.removeprefix(inside).split(".")[0]
        others = (one for one in imported_modules(name) if one.startswith(inside))
        assert {one.removeprefix(inside).split(".")[0] for one in others} <= below[own], name


def test_every_room_says_what_it_is() -> None:
    for folder in {file.parent for file in MODULES.values()} - {HOUSE}:
        assert ast.get_docstring(ast.parse((folder / "__init__.py").read_text("utf-8"))), folder


def lengths_of_functions() -> list[int]:
    """How many lines each function has, its docstring apart."""
    found = []
    for file in MODULES.values():
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
            if isinstance(node, ast.FunctionDef):
                first, end = node.body[0], node.end_lineno or 0
                text = ast.get_docstring(node) is not None
                docstring = (first.end_lineno or 0) - first.lineno + 1 if text else 0
                found.append(end - node.lineno + 1 - docstring)
    return sorted(found)


def test_files_and_functions_are_short() -> None:
    for file in HOUSE.rglob("*.py"):
        assert len(file.read_text(encoding="utf-8").splitlines()) <= 600, file
    lengths = lengths_of_functions()
    assert lengths[len(lengths) // 2] <= 7
    assert lengths[len(lengths) * 95 // 100] <= 25


def test_one_name_is_one_thing() -> None:
    """No two classes are called the same; those of the reference are called as what they define."""
    found = Counter(
        node.name
        for file in MODULES.values()
        if "reference" not in file.parts and file.name != "by_definition.py"
        for node in ast.parse(file.read_text(encoding="utf-8")).body
        if isinstance(node, ast.ClassDef) and not node.name.startswith("_")
    )
    assert len(found) > 400
    assert [name for name, count in found.items() if count > 1] == []


def test_words_that_have_a_class_have_it() -> None:
    page = (HOUSE.parents[1] / "CONTRIBUTING.md").read_text("utf-8")
    rows = re.findall(r"^\| ([a-z ]+) \| (.+) \| (?:`(\w+)`)? *\|$", page, re.MULTILINE)
    assert len(rows) > 20
    words = Counter(word for word, _, _ in rows)
    assert max(words.values()) == 1
    classes = {
        node.name
        for file in MODULES.values()
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8")))
        if isinstance(node, ast.ClassDef)
    }
    assert {name for _, _, name in rows if name} <= classes


def test_every_mutant_finds_its_line() -> None:
    assert [place_of(mutant, HOUSE) for mutant in MUTANTS]
