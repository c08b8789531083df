"""From the text of a layout to its model: every key read, every fault told."""

from __future__ import annotations

import codecs
from pathlib import Path as FilePath
from pathlib import PurePath
from typing import Any

from ..errors import LayoutError
from ..language.nodes import Path
from ..visible import STEERING
from .check_columns import ColumnForms
from .column import Column, Expression
from .model import Condition, Grouping, LayoutModel, Output
from .names import LINE_TERMINATORS, proposal
from .text import Item, Mapping, Scalar

LAYOUT_KEYS = (
    *("layout", "about", "locale", "source", "levels", "may-lack", "row-per", "row-per-group"),
    *("without-entries", "primary-key", "fit-to", "columns", "only", "ask", "expects-order"),
    *("take", "sort", "group", "totals", "calendar", "split", "attach", "output"),
)
CONDITION_KEYS = ("keep", "when", "name", "because")
OUTPUT_KEYS = (
    *("file", "delimiter", "quote-char", "quote", "header", "second-header", "line-terminator"),
    *("encoding", "if-there", "formula-guard"),
)
MOST_MEGABYTES = 1_000_000
IF_THERE = ("keep", "replace", "refuse", "number")
_NO_ENCODINGS = ("idna", "punycode", "undefined", "unicode_escape", "raw_unicode_escape")
_PIECE = 'a,"b"\r\n'


def check_layout(item: Item, name: str, folder: FilePath | None = None) -> LayoutModel:
    """Turn the items of a layout into its model; its code lists stand in ``folder``.

    Raises LayoutError with all faults at once.
    """
    return _Checker(name, item.file, folder).layout(item)


class _Checker(ColumnForms):
    def __init__(self, name: str, file: str, folder: FilePath | None) -> None:
        super().__init__(folder)
        self.name = name
        self.own_file = file

    def layout(self, item: Item) -> LayoutModel:
        keys = self.mapping(item, "a layout", LAYOUT_KEYS)
        columns = self.columns(keys.get("columns"), item)
        model = LayoutModel(
            name=self.text(keys["layout"], "`layout`") if "layout" in keys else self.name,
            about=self.text(keys["about"], "`about`") if "about" in keys else "",
            locale=self.locale(keys["locale"]) if "locale" in keys else "",
            **self.source(keys.get("source")),
            levels=self.paths(keys["levels"], "levels") if "levels" in keys else None,
            may_lack=self.paths(keys.get("may-lack"), "may-lack"),
            spread_levels=tuple(self.spread_levels),
            primary_key=self.primary_key(keys.get("primary-key"), columns),
            row_per=self.row_per(keys.get("row-per")),
            row_per_group=self.row_per_group(keys, columns),
            without_entries=self.without_entries(keys.get("without-entries")),
            columns=columns,
            conditions=self.conditions(keys.get("only")),
            sort=self.sorting(keys.get("sort"), columns),
            splits=self.splits(keys.get("split")),
            attachments=self.attachments(keys.get("attach")),
            expects=self.expectations(keys.get("expects-order")),
            fit_to=self.fit_to(keys.get("fit-to")),
            take=self.take(keys.get("take")),
            group=self.grouping(self.group_keys(keys.get("group")), columns),
            group_order=self.group_order(keys.get("group")),
            totals=self.totals(keys.get("totals")),
            calendar=self.calendar(keys.get("calendar")),
            output=self.output(keys.get("output")),
            questions=self.questions(keys.get("ask")),
        )
        self.check_asked(model, keys)
        if model.fit_to is not None and model.output.second_header != "none":
            self.fault(keys["output"], "a form has the rows of its header; leave out second-header")
        if model.group_order.as_met and model.totals.subtotals == "before":
            self.fault(keys["totals"], "subtotals before their groups need them sorted, not as-met")
        if self.problems:
            raise LayoutError(self.name, self.problems)
        return model

    def source(self, item: Item | None) -> dict[str, Any]:
        if item is None:
            return {}
        keys = self.mapping(item, "`source`", ("records", "largest-record"))
        found: dict[str, Any] = {"records": self.records(keys)}
        if "largest-record" in keys:
            most = self.whole_number(keys["largest-record"], "`largest-record`", MOST_MEGABYTES)
            found["largest_record"] = max(most, 1)
        return found

    def records(self, keys: dict[str, Item]) -> tuple[str, ...]:
        if "records" not in keys:
            return ()
        path = self.expression(keys["records"], "`records`")
        names = getattr(path.node, "names", lambda: None)() if path else ()
        if path and names is None:
            self.problems.append(
                path.problem("`records` takes a path of names, such as data.items")
            )
        return names or ()

    def paths(self, item: Item | None, where: str) -> tuple[Expression, ...]:
        """Paths of names; of `levels` an empty list says that nothing repeats."""
        if item is None:
            return ()
        paths = [self.expression(entry, f"`{where}`") for entry in self.items(item)]
        for path in paths:
            if path and not isinstance(path.node, Path):
                self.problems.append(path.problem(f"`{where}` takes paths of names, such as lines"))
        return tuple(path for path in paths if path and isinstance(path.node, Path))

    def primary_key(self, item: Item | None, columns: tuple[Column, ...]) -> tuple[str, ...]:
        """The headings of the columns that identify a row."""
        found = []
        for entry in self.items(item) if item is not None else ():
            heading = self.text(entry, "`primary-key`").strip()
            if heading and not self.heading(heading, columns):
                near = proposal(heading, [column.heading for column in columns])
                self.fault(entry, f"`primary-key` takes headings; no column `{heading}`{near}")
            found.append(heading)
        return tuple(found)

    def row_per(self, item: Item | None) -> Expression | None:
        return None if item is None else self.expression(item, "`row-per`")

    def row_per_group(
        self, keys: dict[str, Item], columns: tuple[Column, ...]
    ) -> tuple[Grouping, ...]:
        for other in ("row-per", "group"):
            if "row-per-group" in keys and other in keys:
                self.fault(keys[other], f"`row-per-group` takes the place of `{other}`; keep one")
        return self.grouping(keys.get("row-per-group"), columns)

    def without_entries(self, item: Item | None) -> Any:
        return None if item is None else self.choice(item, "`without-entries`", ("keep", "drop"))

    # ---- conditions

    def conditions(self, item: Item | None) -> tuple[Condition, ...]:
        if item is None:
            return ()
        found = [self.condition(entry) for entry in self.items(item)]
        return tuple(condition for condition in found if condition is not None)

    def condition(self, item: Item) -> Condition | None:
        """A condition; in braces it can have a name, a reason, and a level off the row's way."""
        origin = self.origin(item)
        if not isinstance(item, Mapping):
            value = self.expression(item, "a condition")
            return Condition(value, origin=origin) if value else None
        keys = self.mapping(item, "a condition", CONDITION_KEYS)
        if "when" not in keys:
            self.fault(item, "a condition has at least `when`: {keep: payments, when: ...}")
            return None
        keep = self.expression(keys["keep"], "`keep`") if "keep" in keys else None
        value = self.expression(keys["when"], "`when`")
        texts = {
            key: self.text(keys[key], f"`{key}`") for key in ("name", "because") if key in keys
        }
        return Condition(value, keep, **texts, origin=origin) if value else None

    def origin(self, item: Item) -> str:
        """Where a condition came from, if not from the layout's own file."""
        if item.file == self.own_file:
            return ""
        return PurePath(item.file).stem if item.file else "command line"

    # ---- output

    def output(self, item: Item | None) -> Output:
        if item is None:
            return Output()
        keys = self.mapping(item, "`output`", OUTPUT_KEYS)
        found: dict[str, Any] = {}
        if "file" in keys:
            found["file"] = self.file(keys["file"])
        if "delimiter" in keys:
            found["delimiter"] = self.character(keys["delimiter"], "`delimiter`")
        if "quote-char" in keys:
            found["quote_char"] = self.quote_char(keys["quote-char"])
        if "quote" in keys:
            found["quote_all"] = self.choice(keys["quote"], "`quote`", ("needed", "all")) == "all"
        if "header" in keys:
            found["header"] = self.switch(keys["header"], "`header`")
        if "second-header" in keys:
            kinds = ("none", "paths", "units")
            found["second_header"] = self.choice(keys["second-header"], "`second-header`", kinds)
        if "line-terminator" in keys:
            choice = self.choice(keys["line-terminator"], "`line-terminator`", LINE_TERMINATORS)
            found["line_terminator"] = LINE_TERMINATORS[choice]
        if "encoding" in keys:
            found["encoding"] = self.encoding(keys["encoding"])
        if "if-there" in keys:
            found["if_there"] = self.choice(keys["if-there"], "`if-there`", IF_THERE)
        if "formula-guard" in keys:
            found["formula_guard"] = self.switch(keys["formula-guard"], "`formula-guard`")
        output = Output(**found)
        if output.quote_char == (output.delimiter or ","):
            self.fault(item, "the delimiter and the quote character are the same; change one")
        for key in ("delimiter", "quote-char"):
            if getattr(output, key.replace("-", "_")) in ("\r", "\n"):
                self.fault(keys[key], f"`{key}` can't be a line break, which ends a row")
        return output

    def file(self, item: Item) -> str:
        text = self.text(item, "`file`")
        path = PurePath(text)
        if STEERING.search(text):
            self.fault(item, f"`{text}` holds a character that no file's name should have")
        if path.is_absolute() or ".." in path.parts:
            self.fault(item, f"`{text}` leaves the folder; name such a file on the command line")
        return text

    def quote_char(self, item: Item) -> str | None:
        if isinstance(item, Scalar) and item.text == "none":
            return None
        return self.character(item, "`quote-char`")

    def encoding(self, item: Item) -> str:
        text = self.text(item, "`encoding`")
        name = "utf-8-sig" if text.lower() in ("utf-8-bom", "utf8-bom") else text
        try:
            info = codecs.lookup(name)
        except (LookupError, ValueError):
            known = ("utf-8", "utf-8-bom", "utf-16", "iso-8859-1", "iso-8859-15", "windows-1252")
            hint = proposal(text, known) or f"; for example {', '.join(known)}"
            self.fault(item, f"no encoding `{text}`{hint}")
            return "utf-8"
        if not getattr(info, "_is_text_encoding", True):
            self.fault(item, f"`{text}` does not encode text; for example utf-8 does")
            return "utf-8"
        if not _encodes_in_pieces(info):
            self.fault(item, f"`{text}` is no encoding for tables; for example utf-8 is")
            return "utf-8"
        return name


def _encodes_in_pieces(info: codecs.CodecInfo) -> bool:
    """Whether pieces of a table, each encoded on its own, make up the whole when put together."""
    if info.name.replace("-", "_") in _NO_ENCODINGS or info.incrementalencoder is None:
        return False
    try:
        encoder = info.incrementalencoder()
        data = b"".join(encoder.encode(_PIECE) for _ in range(2))
        return bool(info.decode(data)[0] == 2 * _PIECE)
    except (UnicodeError, LookupError, ValueError):
        return False
