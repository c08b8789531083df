"""The metadata in a picture, by the names of their standards: Exif, IPTC IIM, XMP."""

from __future__ import annotations

import codecs
import re
import struct
from collections.abc import Callable
from decimal import Decimal
from fractions import Fraction
from functools import wraps
from typing import Any

from lxml import etree
from PIL import ExifTags, Image, IptcImagePlugin
from PIL.TiffImagePlugin import IFDRational

from ...values.numbers import QUOTIENT

MOST_XMP = 10 << 20  # bytes
_RDF = "{http://www.w3.org/1999/02/22-rdf-syntax-ns#}"
_LANGUAGE = "{http://www.w3.org/XML/1998/namespace}lang"
_PREFIXES = {  # those of the standard, whatever the picture has
    "http://purl.org/dc/elements/1.1/": "dc",
    "http://ns.adobe.com/xap/1.0/": "xmp",
    "http://ns.adobe.com/xap/1.0/rights/": "xmpRights",
    "http://ns.adobe.com/photoshop/1.0/": "photoshop",
    "http://iptc.org/std/Iptc4xmpCore/1.0/xmlns/": "Iptc4xmpCore",
    "http://iptc.org/std/Iptc4xmpExt/2008-02-29/": "Iptc4xmpExt",
    "http://ns.adobe.com/exif/1.0/": "exif",
    "http://ns.adobe.com/tiff/1.0/": "tiff",
}
_IPTC = {  # IIM 4.2, record 2
    5: "Object Name",
    15: "Category",
    25: "Keywords",
    40: "Special Instructions",
    55: "Date Created",
    60: "Time Created",
    80: "By-line",
    85: "By-line Title",
    90: "City",
    92: "Sub-location",
    95: "Province/State",
    100: "Country/Primary Location Code",
    101: "Country/Primary Location Name",
    103: "Original Transmission Reference",
    105: "Headline",
    110: "Credit",
    115: "Source",
    116: "Copyright Notice",
    118: "Contact",
    120: "Caption/Abstract",
    122: "Writer/Editor",
}
_OFFSETS = {
    "DateTime": "OffsetTime",
    "DateTimeOriginal": "OffsetTimeOriginal",
    "DateTimeDigitized": "OffsetTimeDigitized",
}
_STRUCTURE = {  # where things are in the file, of which no table tells
    *("ExifOffset", "GPSInfo", "InteropOffset", "MakerNote"),
    *("StripOffsets", "StripByteCounts", "RowsPerStrip", "TileOffsets"),
    *("TileByteCounts", "TileWidth", "TileLength", "SubIFDs"),
    *("JPEGInterchangeFormat", "JPEGInterchangeFormatLength", "XMLPacket", "IPTCNAA"),
    *("ImageResources", "InterColorProfile", "PlanarConfiguration"),
}
_PNG = b"\x89PNG\r\n\x1a\n"
_AS_FRACTION = "ExposureTime"
_DECLARATION = re.compile(r"^\s*<\?xml [^>]*\?>")


class MetadataError(Exception):
    """Metadata of a picture can't be read."""


def _told(read: Callable[[Any], Any]) -> Callable[[Any], Any]:
    """What goes wrong in foreign code over hostile bytes, as a MetadataError."""

    @wraps(read)
    def call(picture: Any) -> Any:
        try:
            return read(picture)
        except MetadataError:
            raise
        except (
            *(ArithmeticError, AttributeError, EOFError, LookupError, OSError, RecursionError),
            *(SyntaxError, TypeError, ValueError, struct.error, etree.LxmlError),
        ) as error:
            said = error.msg if isinstance(error, etree.LxmlSyntaxError) else error
            raise MetadataError(f"can't be read ({said or type(error).__name__})") from None

    return call


def take_in_what_follows(picture: Any) -> None:
    """Take in the metadata that stands after the pixels of a PNG (ISO 15948, 5.6), which are passed
    over and not decoded. A file that breaks off has none there."""
    stream, file = picture.png, picture.fp
    file.seek(len(_PNG))
    pixels = False
    while len(head := file.read(8)) == 8:
        length, kind = struct.unpack(">I4s", head)
        after = file.tell() + length + 4
        pixels = pixels or kind == b"IDAT"
        if pixels and kind in (b"eXIf", b"iTXt"):
            stream.call(kind, file.tell(), length)
        file.seek(after)


# ---- Exif ------------------------------------------------------------------------------------


def _exif(picture: Any) -> Image.Exif:
    """The tags of Exif. A PNG's own way to them decodes all its pixels first."""
    return Image.Image.getexif(picture)


@_told
def exif_of(picture: Any) -> dict[str, Any]:
    """The tags of Exif by their names; those without one are left out."""
    found = _exif(picture)
    tags = {**dict(found), **found.get_ifd(ExifTags.IFD.Exif)}
    named = {
        name: value
        for tag, raw in tags.items()
        if (name := ExifTags.TAGS.get(tag))
        and name not in _STRUCTURE
        and (value := _exif_value(name, raw)) is not None
    }
    for name, offset in _OFFSETS.items():
        if name in named:
            named[name] = _moment(str(named[name]), str(named.get(offset) or ""))
    return named


def _exif_value(name: str, raw: Any) -> Any:
    if isinstance(raw, IFDRational):
        return _number(raw, as_fraction=name == _AS_FRACTION)
    if isinstance(raw, bytes):
        return _text(raw)
    if isinstance(raw, tuple | list):
        return [value for one in raw if (value := _exif_value(name, one)) is not None]
    if isinstance(raw, str):
        return raw.split("\0", 1)[0].strip() or None
    if isinstance(raw, float):
        return Decimal(repr(raw))
    return raw if isinstance(raw, int) else None


def _number(value: IFDRational, as_fraction: bool = False) -> Any:
    """A fraction as an exact number, where it is one; an exposure as `1/250`."""
    top, bottom = int(value.numerator), int(value.denominator)
    if not bottom:
        return None
    if as_fraction and top < bottom:
        return str(Fraction(top, bottom))
    return QUOTIENT.divide(Decimal(top), Decimal(bottom))


def _text(raw: bytes) -> str | None:
    """A text that begins with the name of its characters (Exif 2.32, 4.6.5), if it is one."""
    for mark, encoding in ((b"ASCII\0\0\0", "ascii"), (b"UNICODE\0", "utf-16")):
        if raw.startswith(mark):
            rest = raw[len(mark) :]
            if encoding == "utf-16" and not rest.startswith((b"\xff\xfe", b"\xfe\xff")):
                encoding = "utf-16-le" if rest[1:2] == b"\0" else "utf-16-be"
            return rest.decode(encoding, "replace").strip("\0 ") or None
    return None


def _moment(text: str, offset: str) -> str:
    """A moment by ISO 8601, of one by Exif (2026:03:02 06:10:00)."""
    day, _, time = text.partition(" ")
    if len(day) == 10 and day[4] == day[7] == ":" and time:
        return f"{day.replace(':', '-')}T{time}{offset}"
    return text


@_told
def position_of(picture: Any) -> dict[str, Any]:
    """Where it was taken: latitude and longitude in degrees, south and west below zero; altitude in
    metres."""
    gps = _exif(picture).get_ifd(ExifTags.IFD.GPSInfo)
    found: dict[str, Any] = {}
    for name, tag, (above, below) in (("latitude", 2, "NS"), ("longitude", 4, "EW")):
        if tag in gps:
            degrees = [_number(IFDRational(one)) for one in gps[tag]]
            if len(degrees) != 3 or None in degrees:
                raise MetadataError(f"the {name} is not degrees, minutes and seconds")
            value = degrees[0] + QUOTIENT.divide(degrees[1] * 60 + degrees[2], Decimal(3600))
            side = gps.get(tag - 1)
            if side not in (above, below):
                raise MetadataError(f"the {name} does not say whether it is {above} or {below}")
            found[name] = -value if side == below else value
    if 6 in gps:
        height = _number(IFDRational(gps[6]))
        below_sea = gps.get(5) in (1, b"\x01")
        found["altitude"] = -height if below_sea and height is not None else height
    return found


# ---- IPTC ------------------------------------------------------------------------------------


@_told
def iptc_of(picture: Any) -> dict[str, Any]:
    """The datasets of IIM by their names; what comes several times is a list."""
    found = IptcImagePlugin.getiptcinfo(picture) or {}
    unicode = found.get((1, 90)) == b"\x1b%G"
    return {
        name: [_decoded(one, unicode) for one in raw]
        if isinstance(raw, list)
        else _decoded(raw, unicode)
        for (record, number), raw in sorted(found.items())
        if record == 2 and (name := _IPTC.get(number))
    }


def _decoded(raw: bytes, unicode: bool) -> str:
    if unicode:
        return raw.decode("utf-8", "replace")
    try:
        return raw.decode("utf-8")
    except UnicodeDecodeError:
        return raw.decode("iso8859-1")


# ---- XMP -------------------------------------------------------------------------------------


@_told
def xmp_of(picture: Any) -> dict[str, Any]:
    """The properties of XMP by their names with the standard's prefixes: texts, lists, objects; a
    text in several languages by their tags."""
    data = picture.info.get("xmp") or picture.info.get("XML:com.adobe.xmp")
    if not data and getattr(picture, "tag_v2", None):
        data = picture.tag_v2.get(700)
    if not data:
        return {}
    raw = data.encode() if isinstance(data, str) else bytes(data)
    if len(raw) > MOST_XMP:
        raise MetadataError(f"has more than {MOST_XMP >> 20} MB")
    if b"<!DOCTYPE" in raw or b"<!ENTITY" in raw:
        raise MetadataError("declares entities, which are not read")
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False)
    root = etree.fromstring(_as_utf8(raw).strip(b"\0 \r\n\t"), parser)
    found: dict[str, Any] = {}
    for one in root.iter(f"{_RDF}RDF"):
        for described in one.findall(f"{_RDF}Description"):
            found |= _properties(described)
    return found


def _as_utf8(raw: bytes) -> bytes:
    """A packet of XMP in UTF-8; it may be in UTF-16 (ISO 16684-1, 7.3.1)."""
    for mark, start, encoding in (
        (codecs.BOM_UTF16_LE, b"<\0", "utf-16-le"),
        (codecs.BOM_UTF16_BE, b"\0<", "utf-16-be"),
    ):
        if raw.startswith((mark, start)):
            text = raw.decode(encoding).lstrip("\ufeff")
            return _DECLARATION.sub("", text).encode()
    return raw


def _properties(element: Any) -> dict[str, Any]:
    found = {name: value for key, value in element.items() if (name := _called(key, element))}
    for one in element:
        if isinstance(one.tag, str) and (name := _called(one.tag, one)):
            found[name] = _property(one)
    return found


def _property(element: Any) -> Any:
    """The value of a property: a list, texts by their languages, an object or a text."""
    for kind in ("Alt", "Bag", "Seq"):
        holder = element.find(f"{_RDF}{kind}")
        if holder is None:
            continue
        entries = holder.findall(f"{_RDF}li")
        if kind == "Alt" and all(one.get(_LANGUAGE) for one in entries):
            return {one.get(_LANGUAGE): "".join(one.itertext()) for one in entries}
        return [_property(one) for one in entries]
    inner = element.find(f"{_RDF}Description")
    holder = element if inner is None else inner
    whole = _properties(holder)
    return whole or "".join(element.itertext()).strip() or element.get(f"{_RDF}resource")


def _called(tag: str, element: Any) -> str:
    """A name with its prefix; blank for those of RDF itself."""
    namespace, _, local = tag.rpartition("}")
    namespace = namespace[1:]
    if not namespace or tag.startswith((_RDF, "{http://www.w3.org/XML/")):
        return ""
    prefixes = {uri: prefix for prefix, uri in element.nsmap.items() if prefix}
    return f"{_PREFIXES.get(namespace) or prefixes.get(namespace, namespace)}:{local}"
