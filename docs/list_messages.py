"""Make docs/messages.md: all that the tool says when something is wrong, read off the code.

    python docs/list_messages.py

Whoever changes a message reads the whole list once, aloud.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

HERE = Path(__file__).parent
HOUSE = HERE.parent / "src" / "flatledger"
TELLING = re.compile(
    r".*(?:Error|Problem)$|problem|fault|fail|_refuse|_tell|tell|Fault|say|line|lines|add_notice"
)
SHORTEST = 3  # words of what is a message
WRITES_CODE = HOUSE / "compile"
GRAMMAR = HOUSE / "language" / "grammar.py"  # whose texts nobody is told
BEFORE, AFTER = ("", "if x: x\n"), ("", " x")  # what a line of code may stand between


def messages(file: Path) -> Iterator[tuple[int, str]]:
    """The texts in a file that somebody is told, with their lines."""
    tree = ast.parse(file.read_text(encoding="utf-8"))
    for node in ast.walk(tree):
        if isinstance(node, ast.Call) and TELLING.fullmatch(_name(node.func)):
            found = [text for one in node.args for text in _texts(one)]
        elif isinstance(node, ast.Return | ast.Assign | ast.Yield) and node.value is not None:
            found = list(_texts(node.value))
        else:
            continue
        if file.is_relative_to(WRITES_CODE):
            found = [text for text in found if not _is_code(text)]
        for text in found:
            words = len(re.findall(r"[a-z]+", text))
            if words >= SHORTEST and " " in text.strip() and "(?" not in text:
                yield node.lineno, " ".join(text.split())


def _is_code(text: str) -> bool:
    """Whether a text is a line of generated code, or a part of one."""
    line = text.strip().replace("…", "x")
    return any(_parses(f"{before}{line}{after}") for before in BEFORE for after in AFTER)


def _parses(text: str) -> bool:
    try:
        ast.parse(text)
    except SyntaxError:
        return False
    return True


def _name(function: ast.expr) -> str:
    if isinstance(function, ast.Attribute):
        return function.attr
    return function.id if isinstance(function, ast.Name) else ""


def _texts(node: ast.expr) -> Iterator[str]:
    """The texts that an expression gives; what stands in them is …"""
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        yield node.value
    elif isinstance(node, ast.JoinedStr):
        parts = (one.value if isinstance(one, ast.Constant) else "…" for one in node.values)
        yield "".join(map(str, parts))
    elif isinstance(node, ast.IfExp):
        yield from _texts(node.body)
        yield from _texts(node.orelse)
    elif isinstance(node, ast.BinOp):
        yield from _texts(node.left)
        yield from _texts(node.right)
    elif isinstance(node, ast.List | ast.Tuple):
        for one in node.elts:
            yield from _texts(one)


def page() -> str:
    """The whole list, module by module."""
    parts = [
        "# What the tool says\n\nMade by `docs/list_messages.py`; … stands for what differs.\n"
    ]
    for file in sorted({*HOUSE.rglob("*.py")} - {GRAMMAR}):
        found = sorted(set(messages(file)))
        texts = list(dict.fromkeys(text for _, text in found))
        if texts:
            lines = "\n".join(f"- {text}" for text in texts)
            parts.append(f"## {file.relative_to(HOUSE).as_posix()}\n\n{lines}\n")
    return "\n".join(parts)


if __name__ == "__main__":
    (HERE / "messages.md").write_text(page(), encoding="utf-8")
