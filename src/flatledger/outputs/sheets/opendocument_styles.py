"""The styles of cells in OpenDocument: how a kind of row looks, and how values are shown."""

from __future__ import annotations

from xml.sax.saxutils import escape

from ...layout.model.column import Column
from .workbook_cells import date_fields

_THIN, _DOUBLE = "0.5pt solid #000000", "1.5pt double #000000"
_TOP = 'fo:wrap-option="wrap" style:vertical-align="top"'
_CELLS = {  # how the cells of a kind of row look; all but the wrapped ones are bold
    "title": "",
    "heading": f'fo:background-color="#e9edf0" fo:border-bottom="{_THIN}" {_TOP}',
    "subtotal": f'fo:border-top="{_THIN}"',
    "whole": f'fo:border-top="{_THIN}" fo:border-bottom="{_DOUBLE}"',
    "wrap": _TOP,
}
_RIGHT = 'fo:text-align="end" fo:margin-right="1.5mm"'
_LEFT = 'fo:text-align="start" fo:margin-left="1.5mm"'
_FIELDS = {
    "yyyy": '<number:year number:style="long"/>', "y": '<number:year number:style="long"/>',
    "yy": "<number:year/>", "M": "<number:month/>", "MM": '<number:month number:style="long"/>',
    "MMM": '<number:month number:textual="true"/>',
    "MMMM": '<number:month number:textual="true" number:style="long"/>',
    "d": "<number:day/>", "dd": '<number:day number:style="long"/>',
    "E": "<number:day-of-week/>", "EEE": "<number:day-of-week/>",
    "EEEE": '<number:day-of-week number:style="long"/>', "a": "<number:am-pm/>",
    "H": "<number:hours/>", "HH": '<number:hours number:style="long"/>',
    "h": "<number:hours/>", "hh": '<number:hours number:style="long"/>',
    "m": "<number:minutes/>", "mm": '<number:minutes number:style="long"/>',
    "s": "<number:seconds/>", "ss": '<number:seconds number:style="long"/>',
}  # fmt: skip
NEW_PAGE = "ro-page"
_ISO = {"date": "yyyy-MM-dd", "dateTime": "yyyy-MM-dd HH:mm:ss", "time": "HH:mm:ss"}


class OpenDocumentStyles:
    """The styles that the cells of a workbook use, made as they are wanted."""

    def __init__(self) -> None:
        self._made: dict[tuple[str, str], str] = {}
        self._known: dict[tuple[str, str, str], str] = {}
        self._data: dict[str, str] = {}
        self._xml: list[str] = []
        self._widths: dict[int, str] = {}
        self._breaks = False  # whether there is a style of rows that begin a page

    def of(self, kind: str, column: Column | None, style: str) -> str:
        """The name of the style of a value of a kind in a column; blank for the usual one."""
        key = kind, column.heading if column is not None else "", style
        if key not in self._known:
            shown = _shown(kind, column) if column is not None else ""
            side = ""
            if kind == "float" or style == "number-heading":
                side = _RIGHT
            elif kind in ("date", "time", "boolean") and not style:
                side = _LEFT
            self._known[key] = self._style(shown, style.removeprefix("number-"), side)
        return self._known[key]

    def _style(self, shown: str, style: str, side: str) -> str:
        if not shown and not style and not side:
            return ""
        look = _look(style, side)
        if (shown, look) not in self._made:
            name = self._made[shown, look] = f"ce{len(self._made) + 1}"
            data = f' style:data-style-name="{self._data_style(shown)}"' if shown else ""
            self._xml.append(
                f'<style:style style:name="{name}" style:family="table-cell" '
                f'style:parent-style-name="Default"{data}>{look}</style:style>'
            )
        return self._made[shown, look]

    def _data_style(self, shown: str) -> str:
        if shown not in self._data:
            name = self._data[shown] = f"N{len(self._data) + 1}"
            self._xml.append(shown.replace("{name}", name))
        return self._data[shown]

    def column(self, width: int) -> str:
        """The name of the style of a column of so many characters."""
        if width not in self._widths:
            self._widths[width] = f"co{width}"
            self._xml.append(
                f'<style:style style:name="co{width}" style:family="table-column">'
                f'<style:table-column-properties style:column-width="{width * 2.1 + 2:.1f}mm"/>'
                "</style:style>"
            )
        return self._widths[width]

    def new_page(self) -> str:
        """The name of the style of rows that begin a page."""
        if not self._breaks:
            self._breaks = True
            self._xml.append(
                f'<style:style style:name="{NEW_PAGE}" style:family="table-row">'
                '<style:table-row-properties style:use-optimal-row-height="true" '
                'fo:break-before="page"/></style:style>'
            )
        return NEW_PAGE

    def xml(self) -> str:
        """All that were made."""
        return "".join(self._xml)


def _look(style: str, side: str) -> str:
    """The properties of cells, in the standard's order: of the cell, its paragraphs, their text."""
    cell = _CELLS.get(style, "")
    bold = style in _CELLS and style != "wrap"
    return (
        (f"<style:table-cell-properties {cell}/>" if cell else "")
        + (f"<style:paragraph-properties {side}/>" if side else "")
        + ('<style:text-properties fo:font-weight="bold"/>' if bold else "")
    )


def _shown(kind: str, column: Column) -> str:
    """The style of the values of a kind in a column, as XML; blank for the usual one."""
    if kind == "float":
        return _number(column)
    if kind == "boolean":
        return '<number:boolean-style style:name="{name}"><number:boolean/></number:boolean-style>'
    if kind == "date":
        timed = column.datatype == "dateTime"
        own = column.format if column.datatype in ("date", "dateTime") else None
        return _moment("date", own, "dateTime" if timed else "date")
    if kind == "time" and column.datatype == "time":
        return _moment("time", column.format, "time")
    if kind == "time":
        fields = "<number:text>:</number:text>".join(_FIELDS[one] for one in ("HH", "mm", "ss"))
        return (
            '<number:time-style style:name="{name}" number:truncate-on-overflow="false">'
            f"{fields}</number:time-style>"
        )
    return ""


def _number(column: Column) -> str:
    pattern = column.format or ""
    decimals = column.decimals
    if pattern and set(pattern) <= set("#0,."):
        decimals = len(pattern.partition(".")[2])
    elif column.decimals is None:
        return ""
    grouping = ' number:grouping="true"' if "," in pattern else ""
    return (
        f'<number:number-style style:name="{{name}}"><number:number number:decimal-places='
        f'"{decimals}" number:min-decimal-places="{decimals}" number:min-integer-digits="1"'
        f"{grouping}/></number:number-style>"
    )


def _moment(kind: str, own: str | None, usual: str) -> str:
    fields = date_fields(own or "") or date_fields(_ISO[usual])
    xml = "".join(
        _FIELDS[text] if is_field else f"<number:text>{escape(text)}</number:text>"
        for text, is_field in fields
    )
    return f'<number:{kind}-style style:name="{{name}}">{xml}</number:{kind}-style>'
