"""The parts of an OpenDocument workbook that every table has, and its pieces of XML."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from xml.sax.saxutils import escape, quoteattr

from ...values.visible import visible
from .opendocument_styles import OpenDocumentStyles
from .workbook_files import column_letters

MIME_TYPE = "application/vnd.oasis.opendocument.spreadsheet"
_VERSION = 'office:version="1.3"'
_NAMES = {
    "office": "office", "table": "table", "text": "text", "style": "style",
    "number": "datastyle", "fo": "xsl-fo-compatible", "meta": "meta", "config": "config",
}  # fmt: skip
_XMLNS = " ".join(
    f'xmlns:{prefix}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"'
    for prefix, name in _NAMES.items()
)
_DC = 'xmlns:dc="http://purl.org/dc/elements/1.1/"'
_HEAD = '<?xml version="1.0" encoding="UTF-8"?>\n'
TABLE_END = "</table:table>\n"
HEADER_START, HEADER_END = "<table:table-header-rows>\n", "</table:table-header-rows>\n"
GROUP_START, GROUP_END = "<table:table-row-group>\n", "</table:table-row-group>\n"
MANIFEST = (
    f"{_HEAD}<manifest:manifest xmlns:manifest="
    '"urn:oasis:names:tc:opendocument:xmlns:manifest:1.0" manifest:version="1.3">'
    f'<manifest:file-entry manifest:full-path="/" manifest:media-type="{MIME_TYPE}"/>'
    + "".join(
        f'<manifest:file-entry manifest:full-path="{name}.xml" manifest:media-type="text/xml"/>'
        for name in ("content", "styles", "meta", "settings")
    )
    + "</manifest:manifest>"
)


def table_start(name: str) -> str:
    """The start of a sheet."""
    return f"<table:table table:name={quoteattr(name)}>\n"


def columns(widths: Sequence[int], styles: OpenDocumentStyles) -> str:
    """The columns of a sheet by their widths in characters."""
    return "".join(
        f'<table:table-column table:style-name="{styles.column(width)}"/>' for width in widths
    )


def row(cells: Iterable[str], style: str = "") -> str:
    """A row, on a line of its own, with a style if it has one."""
    styled = f' table:style-name="{style}"' if style else ""
    return f"<table:table-row{styled}>{''.join(cells)}</table:table-row>\n"


def filtered(sheet: str, first: int, last: int, width: int) -> str:
    """The part of a sheet that can be filtered, its headings in the first row (from 1)."""
    quoted = "'" + sheet.replace("'", "''") + "'"
    cells = f"{quoted}.A{first}:{quoted}.{column_letters(width)}{last}"
    return (
        f"<table:database-range table:name={quoteattr('__Anonymous_Sheet_DB__' + sheet)} "
        f'table:target-range-address={quoteattr(cells)} table:display-filter-buttons="true"/>'
    )


def content_start(styles: str) -> str:
    """What stands before the first sheet."""
    return (
        f"{_HEAD}<office:document-content {_XMLNS} {_VERSION}>"
        f"<office:automatic-styles>{styles}</office:automatic-styles>"
        "<office:body><office:spreadsheet>\n"
    )


def content_end(ranges: Sequence[str]) -> str:
    """What stands after the last sheet."""
    filters = f"<table:database-ranges>{''.join(ranges)}</table:database-ranges>" if ranges else ""
    return f"{filters}</office:spreadsheet></office:body></office:document-content>"


def styles(*, landscape: bool, named: bool) -> str:
    """The usual style of cells, and the page, with the sheet's name above where it is ``named``."""
    name = "<style:header><text:p><text:sheet-name>???</text:sheet-name></text:p></style:header>"
    master = f">{name}</style:master-page>" if named else "/>"
    height = '<style:header-style><style:header-footer-properties fo:min-height="8mm"/>'
    header = f"{height}</style:header-style>" if named else ""
    side = 'fo:page-width="297mm" fo:page-height="210mm" style:print-orientation="landscape"'
    upright = 'fo:page-width="210mm" fo:page-height="297mm" style:print-orientation="portrait"'
    return (
        f"{_HEAD}<office:document-styles {_XMLNS} {_VERSION}><office:styles>"
        '<style:style style:name="Default" style:family="table-cell"/></office:styles>'
        '<office:automatic-styles><style:page-layout style:name="page">'
        f"<style:page-layout-properties {side if landscape else upright} "
        f'style:scale-to-X="1" fo:margin="15mm"/>{header}</style:page-layout>'
        "</office:automatic-styles>"
        '<office:master-styles><style:master-page style:name="Default" '
        f'style:page-layout-name="page"{master}</office:master-styles></office:document-styles>'
    )


def meta(name: str, about: str, source: str) -> str:
    """What the workbook is: its layout, and the source that it was made from."""
    return (
        f"{_HEAD}<office:document-meta {_XMLNS} {_DC} {_VERSION}><office:meta>"
        f"<dc:title>{_plain(name)}</dc:title><dc:subject>{_plain(about)}</dc:subject>"
        f"<dc:description>Source: {_plain(source)}</dc:description>"
        "</office:meta></office:document-meta>"
    )


def _plain(text: str) -> str:
    return escape(visible(text))


def columns_here(table: int) -> str:
    """What stands on a line of its own where the columns of a table are put in later."""
    return f"<!--columns {table}-->\n"


def settings(frozen: Mapping[str, int]) -> str:
    """How the sheets are first shown: the rows above the table stay where they are."""
    views = "".join(
        f"<config:config-item-map-entry config:name={quoteattr(sheet)}>"
        + _item("VerticalSplitMode", "short", 2)
        + _item("VerticalSplitPosition", "int", above)
        + _item("PositionBottom", "int", above)
        + "</config:config-item-map-entry>"
        for sheet, above in frozen.items()
    )
    return (
        f"{_HEAD}<office:document-settings {_XMLNS} {_VERSION}><office:settings>"
        '<config:config-item-set config:name="ooo:view-settings">'
        '<config:config-item-map-indexed config:name="Views"><config:config-item-map-entry>'
        f'<config:config-item-map-named config:name="Tables">{views}'
        "</config:config-item-map-named></config:config-item-map-entry>"
        "</config:config-item-map-indexed></config:config-item-set>"
        "</office:settings></office:document-settings>"
    )


def _item(name: str, kind: str, value: int) -> str:
    about = f'config:name="{name}" config:type="{kind}"'
    return f"<config:config-item {about}>{value}</config:config-item>"
