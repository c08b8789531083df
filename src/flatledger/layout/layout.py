"""The public face of a layout: from a file, from text, from plain data."""

from __future__ import annotations

from os import PathLike, fspath
from pathlib import Path
from typing import Any

from ..errors import LayoutError, Problem
from .check import check_layout
from .model import LayoutModel
from .text import Item, from_data, read_yaml


class Layout:
    """What a table shall be: what a row stands for, its columns, conditions, order and totals.

    Raises LayoutError, with every fault and its place, where the layout cannot be used.

    >>> layout = Layout.from_text('''
    ... row-per: lines
    ... columns:
    ...   - Requisition: no
    ...   - Part: lines.part.code
    ... ''')
    >>> layout.headings
    ('Requisition', 'Part')
    """

    def __init__(self, model: LayoutModel) -> None:
        self.model = model

    @classmethod
    def from_file(cls, path: str | PathLike[str]) -> Layout:
        """Read a layout file (YAML 1.2, UTF-8)."""
        name = fspath(path)
        try:
            text = Path(path).read_text(encoding="utf-8-sig")
        except UnicodeDecodeError as error:
            problem = Problem(f"byte {error.start} is not UTF-8; save the layout as UTF-8")
            raise LayoutError(name, [problem]) from None
        except OSError as error:
            problem = Problem(f"the layout can't be read: {error.strerror}")
            raise LayoutError(name, [problem]) from None
        return cls.from_text(text, name)

    @classmethod
    def from_text(cls, text: str, name: str = "layout") -> Layout:
        """Read the text of a layout; ``name`` stands in messages."""
        return cls._checked(read_yaml(text, name), name)

    @classmethod
    def from_data(cls, data: dict[str, Any], name: str = "layout") -> Layout:
        """Take a layout as plain Python data: mappings, lists and texts.

        >>> Layout.from_data({"columns": [{"Requisition": "no"}]}).headings
        ('Requisition',)
        """
        return cls._checked(from_data(data), name)

    @classmethod
    def _checked(cls, item: Item, name: str) -> Layout:
        return cls(check_layout(item, name))

    @property
    def name(self) -> str:
        """The layout's own name, or else the name of its file."""
        return self.model.name

    @property
    def headings(self) -> tuple[str, ...]:
        """The headings of the columns that are written, in order."""
        return tuple(column.heading for column in self.model.columns if not column.suppressed)

    def __repr__(self) -> str:
        return f"<Layout {self.name}: {', '.join(self.headings)}>"
