"""Every pattern in the code meets material made from its own letters, in linear time; what users
write as patterns runs by the bounded engine."""

from __future__ import annotations

import ast
import importlib
import itertools
import json
import re
import resource
import subprocess
import sys
import time
from collections.abc import Iterator
from functools import cache
from pathlib import Path
from typing import Any

HOUSE = Path(__file__).parents[1] / "src" / "flatledger"
LONG, SHORT = 10_000, 30
TRIES = 3
MOST_SECONDS = 0.25  # where it is quadratic, it takes seconds
OWN_TEXT = {"cli/commands.py _BOUNDS"}  # which meets the help of this program alone
BOUNDED = {"values/patterns.py": "the bounded engine, which ends a match after 0.25 s"}
# patterns that are put together as the program runs, by the functions that do so: of what
MADE = {
    "structure/missing_fields.py:_near": "a field's name, as it is, and one letter",
    "values/matching.py:_words": "words as they are; those with signs at their ends are bounded",
    "values/amounts.py:__init__": "digits and one mark of a locale",
    "values/reading_texts.py:__init__": "fields of a UTS #35 pattern, each of a bounded width",
    "outputs/cells/formula_guard.py:__init__": "two letters, then digits that are not given back",
    "outputs/text/line_texts.py:__init__": "marks as they are",
    "drafting/wording.py:humanised": "one class of letters, between places",
    "outputs/text/line_texts.py:_cells": "marks as they are",
    "sources/catalogues/positions.py:has_positions": "the name of a field of a catalogue",
}


@cache
def calls() -> list[tuple[str, str, str, ast.Call]]:
    """The calls of `re` in the code: the file, the function around, what is called, the call."""
    return [*_calls()]


def _calls() -> Iterator[tuple[str, str, str, ast.Call]]:
    for file in sorted(HOUSE.rglob("*.py")):
        tree = ast.parse(file.read_text(encoding="utf-8"))
        around: dict[ast.AST, str] = {}
        for node in ast.walk(tree):
            name = node.name if isinstance(node, ast.FunctionDef) else around.get(node, "")
            for child in ast.iter_child_nodes(node):
                around[child] = name
            if (
                isinstance(node, ast.Call)
                and isinstance(node.func, ast.Attribute)
                and isinstance(node.func.value, ast.Name)
                and node.func.value.id in ("re", "regex")
                and node.func.attr not in ("escape", "error")
            ):
                yield file.relative_to(HOUSE).as_posix(), around[node], node.func.attr, node


def patterns() -> dict[str, re.Pattern[Any]]:
    """All that are known before the program runs: of modules, and those that stand in a call."""
    found: dict[str, re.Pattern[Any]] = {}
    for file in sorted(HOUSE.rglob("*.py")):
        name = ".".join(("flatledger", *file.relative_to(HOUSE).with_suffix("").parts))
        if not name.endswith("__main__"):
            module = importlib.import_module(name.removesuffix(".__init__"))
            for path, one in _held(vars(module)):
                found[f"{file.relative_to(HOUSE).as_posix()} {path}"] = one
    for place, _, called, call in calls():
        if called != "compile" and call.args and isinstance(call.args[0], ast.Constant):
            found[f"{place}:{call.lineno} {called}"] = re.compile(call.args[0].value)
    return found


def _held(values: dict[str, Any]) -> Iterator[tuple[str, re.Pattern[Any]]]:
    for name, value in values.items():
        inner = value.values() if isinstance(value, dict) else value
        several = (
            [*inner] if isinstance(inner, tuple | list) or isinstance(value, dict) else [value]
        )
        for one in several:
            for part in one if isinstance(one, tuple) else (one,):
                part = getattr(part, "__self__", part)  # of a bound `search`
                if isinstance(part, re.Pattern):
                    yield name, part


def ways_of(name: str) -> set[str]:
    """The ways in which a pattern of a module is used."""
    place, variable = name.split()
    files = [HOUSE / place] if variable.startswith("_") else HOUSE.rglob("*.py")
    text = "\n".join(file.read_text(encoding="utf-8") for file in files)
    found = re.findall(rf"\b{re.escape(variable)}\.(\w+)\b", text)
    used = {one for one in found if one in ("match", "fullmatch")}
    return used | ({"findall"} if {*found} - used - {"match", "fullmatch"} else set()) or {"match"}


def alphabet(pattern: re.Pattern[Any]) -> list[str]:
    """Letters by which a pattern goes on: its own, and one of each of its classes."""
    texts = (
        pattern.pattern if isinstance(pattern.pattern, str) else pattern.pattern.decode("latin-1")
    )
    candidates = dict.fromkeys([*texts, *"a1_ \n-.,", "A", "é"])
    classes = {re.escape(one) for one in candidates}
    return [one for one in candidates if re.escape(one) in classes][:9]


def attacks(pattern: re.Pattern[Any], size: int) -> Iterator[Any]:
    letters = alphabet(pattern)
    parts = [(one,) for one in letters] + list(itertools.permutations(letters, 2))
    for some in parts:
        for text in ("".join(some) * (size // len(some)), some[0] * size + some[-1] * size):
            for end in ("", "\x00"):
                whole = text + end
                yield (
                    whole
                    if isinstance(pattern.pattern, str)
                    else whole.encode("latin-1", "replace")
                )


def meet(pattern: re.Pattern[Any], ways: set[str]) -> float:
    """The longest time that a pattern takes over something hostile: the least of some tries, since
    a machine that does other things may hold up one of them."""
    slowest = 0.0
    for size in (SHORT, LONG):
        for text in attacks(pattern, size):
            for way in ways:
                slowest = max(slowest, seconds_of(pattern, way, text))
            if slowest > MOST_SECONDS:
                return slowest
    return slowest


def seconds_of(pattern: re.Pattern[Any], way: str, text: Any) -> float:
    least = float("inf")
    for _ in range(TRIES):
        start = time.process_time()
        getattr(pattern, way)(text)
        least = min(least, time.process_time() - start)
        if least <= MOST_SECONDS:
            break
    return least


def main() -> None:
    resource.setrlimit(resource.RLIMIT_CPU, (400, 400))
    known = {name: one for name, one in patterns().items() if name not in OWN_TEXT}
    for name, pattern in known.items():
        place, used = name.split()  # in a call of `re` itself, or by its own name
        ways = (
            {used if used in ("match", "fullmatch") else "findall"}
            if ":" in place
            else ways_of(name)
        )
        print(json.dumps([name, None]), flush=True)
        print(json.dumps([name, meet(pattern, ways)]), flush=True)


def test_every_pattern_takes_linear_time() -> None:
    done = subprocess.run(
        [sys.executable, "-W", "ignore", "-m", "tests.test_patterns"],
        cwd=HOUSE.parents[1],
        capture_output=True,
        text=True,
        timeout=500,
    )
    told = [json.loads(line) for line in done.stdout.splitlines()]
    assert done.returncode == 0, (told[-1:], done.stderr[-500:])
    seconds = {name: time for name, time in told if time is not None}
    assert len(seconds) > 90
    assert {name: time for name, time in seconds.items() if time > MOST_SECONDS} == {}


def test_all_patterns_are_known() -> None:
    """Those that are put together as the program runs are listed, and why they are linear."""
    made = {
        f"{place}:{around}"
        for place, around, _, call in calls()
        if around and place not in BOUNDED and not isinstance(call.args[0], ast.Constant)
    }
    assert made == set(MADE)
    used = {place for place, _, _, call in calls() if call.func.value.id == "regex"}
    assert used <= set(BOUNDED)


if __name__ == "__main__":
    main()
