"""Make the eight small photographs of the demo: drawn, with captions and positions as cameras and
archivists leave them.

    python examples/make_photographs.py FOLDER

The pictures and all that is said in them are invented. Two have no caption, one has metadata that
are broken off, and one says everything in all three standards.
"""

from __future__ import annotations

import random
import sys
from pathlib import Path
from typing import NamedTuple

from PIL import Image, ImageDraw
from PIL.PngImagePlugin import PngInfo
from PIL.TiffImagePlugin import IFDRational

SIZE = (240, 160)
KINDS = {".jpg": "JPEG", ".png": "PNG", ".tif": "TIFF", ".webp": "WEBP"}


class Photograph(NamedTuple):
    """What is in a picture: the tower's place, and what is said of it in each standard."""

    name: str
    sky: tuple[int, int, int]
    tower: int
    taken: str = ""
    position: tuple[float, float, float] | None = None  # latitude, longitude, metres
    exposure: tuple[int, int] | None = None
    exif: tuple[str, str, str] = ("", "", "")  # caption, creator, rights
    iptc: tuple[str, str, str] = ("", "", "")
    xmp: tuple[dict[str, str], str, str] = ({}, "", "")
    keywords: tuple[str, ...] = ()
    broken: bool = False


PHOTOGRAPHS = (
    Photograph(
        "hollow-isle-2.jpg",
        (196, 214, 226),
        120,
        "2026:03:02 06:10:00",
        (57.8125, -7.5, 31),
        (1, 250),
        ("Hollow Isle from the landing", "Ansa Lind", "Skerry Light Trust"),
        ("Hollow Isle light from the landing stage", "Ansa Lind", "© Skerry Light Trust"),
        (
            {"en": "Hollow Isle light, from the landing stage", "cy": "Golau Hollow Isle"},
            "Ansa Lind",
            "© Skerry Light Trust, 2026",
        ),
        ("tower", "landing"),
    ),
    Photograph(
        "hollow-isle-10.jpg",
        (120, 132, 150),
        60,
        "2026:03:02 18:40:30",
        (57.8125, -7.5, 28.5),
        (1, 8),
        exif=("The lantern lit, Hollow Isle", "", ""),
        keywords=("lantern",),
    ),
    Photograph(
        "brae-sound-1.jpg",
        (222, 206, 180),
        170,
        "2026:04:11 05:55:12",
        (57.25, -6.75, 12),
        (1, 125),
        iptc=("Brae Sound at first light; the beacon is out", "Tobias Fenn", ""),
        keywords=("dawn", "beacon"),
    ),
    Photograph(
        "gannet-rock-1.tif",
        (150, 170, 176),
        100,
        "2026:04:19 11:20:00",
        (-0.5, 8.125, -2),
        (1, 500),
        exif=("Gannet Rock: the outer stack", "Una Gow", "Una Gow"),
    ),
    Photograph(
        "corran-point-1.png",
        (205, 225, 235),
        140,
        xmp=({"en": "Corran Point, chart room"}, "Ilse Marrow", ""),
        keywords=("chart room",),
    ),
    Photograph(
        "tarn-ness-1.webp",
        (90, 104, 120),
        90,
        "2026:05:30 22:05:00",
        exposure=(2, 1),
        xmp=({"x-default": "Storm over Tarn Ness"}, "", "© Rua Óban"),
    ),
    Photograph("unnamed-1.jpg", (180, 190, 200), 110),
    Photograph(
        "unnamed-2.jpg",
        (160, 176, 168),
        130,
        "2026:06:01 12:00:00",
        (57.5, -7.0, 5),
        broken=True,
    ),
)


def drawn(photograph: Photograph) -> Image.Image:
    """A tower over the sea."""
    chance = random.Random(photograph.name)
    picture = Image.new("RGB", SIZE, photograph.sky)
    pen = ImageDraw.Draw(picture)
    width, height = SIZE
    for y in range(height):
        fade = y // 6
        pen.line([(0, y), (width, y)], tuple(max(one - fade, 0) for one in photograph.sky))
    pen.rectangle([0, 112, width, height], fill=(58, 84, 100))
    for _ in range(26):
        x, y = chance.randint(0, width), chance.randint(116, height - 4)
        pen.line([(x, y), (x + chance.randint(8, 30), y)], fill=(92, 122, 138))
    x = photograph.tower
    pen.polygon([(x - 60, 124), (x - 22, 100), (x + 30, 102), (x + 66, 124)], fill=(74, 70, 66))
    pen.polygon([(x - 10, 102), (x - 6, 46), (x + 6, 46), (x + 10, 102)], fill=(238, 236, 230))
    pen.polygon([(x - 9, 82), (x - 8, 66), (x + 8, 66), (x + 9, 82)], fill=(168, 52, 44))
    pen.rectangle([x - 5, 36, x + 5, 46], fill=(250, 226, 140))
    pen.polygon([(x - 8, 36), (x, 26), (x + 8, 36)], fill=(60, 60, 64))
    return picture


def exif(photograph: Photograph) -> Image.Exif:
    """The tags that a camera writes, and what was typed into them."""
    tags = Image.Exif()
    for tag, text in zip((0x010E, 0x013B, 0x8298), photograph.exif, strict=True):
        if text:
            tags[tag] = text
    if photograph.taken:
        tags[0x010F], tags[0x0110] = "Lamplight", "Keeper 20"
        taken = tags.get_ifd(0x8769)
        taken[0x9003], taken[0x9011] = photograph.taken, "+00:00"
    if photograph.exposure:
        taken = tags.get_ifd(0x8769)
        taken[0x829A], taken[0x829D] = IFDRational(*photograph.exposure), IFDRational(56, 10)
        taken[0x8827] = 200
    if photograph.position:
        latitude, longitude, metres = photograph.position
        gps = tags.get_ifd(0x8825)
        gps[1], gps[2] = "S" if latitude < 0 else "N", degrees(latitude)
        gps[3], gps[4] = "W" if longitude < 0 else "E", degrees(longitude)
        gps[5], gps[6] = b"\1" if metres < 0 else b"\0", abs(float(metres))
    return tags


def degrees(value: float) -> tuple[float, float, float]:
    """Degrees, minutes and seconds."""
    value = abs(value)
    minutes = (value - int(value)) * 60
    return float(int(value)), float(int(minutes)), round((minutes - int(minutes)) * 60, 3)


def iptc(photograph: Photograph) -> bytes:
    """The block of IIM for a JPEG file; empty if nothing is said."""
    said = [(number, text) for number, text in zip((120, 80, 116), photograph.iptc, strict=True)]
    said += [(25, one) for one in photograph.keywords]
    sets = b"".join(
        b"\x1c\x02" + bytes([number]) + len(text.encode()).to_bytes(2, "big") + text.encode()
        for number, text in said
        if text
    )
    if not sets or not photograph.name.endswith(".jpg"):
        return b""
    sets = b"\x1c\x01\x5a\x00\x03\x1b%G" + sets  # the characters are UTF-8
    block = b"8BIM\x04\x04\0\0" + len(sets).to_bytes(4, "big") + sets + b"\0" * (len(sets) % 2)
    segment = b"Photoshop 3.0\0" + block
    return b"\xff\xed" + (len(segment) + 2).to_bytes(2, "big") + segment


def xmp(photograph: Photograph) -> bytes:
    """The packet of XMP; empty if nothing is said."""
    if photograph.broken:
        return b'<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF'
    captions, creator, rights = photograph.xmp
    parts = [_each("description", "Alt", captions)] if captions else []
    parts += [_each("creator", "Seq", {"": creator})] if creator else []
    parts += [_each("rights", "Alt", {"x-default": rights})] if rights else []
    words = {str(at): one for at, one in enumerate(photograph.keywords)}
    parts += [_each("subject", "Bag", words)] if words and captions else []
    if not parts:
        return b""
    return (
        '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF '
        'xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><rdf:Description rdf:about="" '
        f'xmlns:dc="http://purl.org/dc/elements/1.1/">{"".join(parts)}</rdf:Description>'
        "</rdf:RDF></x:xmpmeta>"
    ).encode()


def _each(name: str, kind: str, texts: dict[str, str]) -> str:
    entries = "".join(
        f'<rdf:li xml:lang="{key}">{text}</rdf:li>' if kind == "Alt" else f"<rdf:li>{text}</rdf:li>"
        for key, text in texts.items()
    )
    return f"<dc:{name}><rdf:{kind}>{entries}</rdf:{kind}></dc:{name}>"


def write(photograph: Photograph, folder: Path) -> None:
    """Write one picture with all that is said of it."""
    path, packet = folder / photograph.name, xmp(photograph)
    kind, more = KINDS[path.suffix], {}
    if kind == "PNG":
        info = PngInfo()
        info.add_itxt("XML:com.adobe.xmp", packet.decode())
        more = {"pnginfo": info}
    elif packet:
        more = {"xmp": packet}
    if kind in ("JPEG", "WEBP"):
        more |= {"quality": 60}
    picture = drawn(photograph)
    if kind == "TIFF":  # a packed one would lose what the camera tells
        picture = picture.resize((120, 80)).quantize(64)
    picture.save(path, kind, exif=exif(photograph).tobytes(), **more)
    if block := iptc(photograph):
        data = path.read_bytes()
        path.write_bytes(data[:2] + block + data[2:])


if __name__ == "__main__":
    target = Path(sys.argv[1])
    target.mkdir(parents=True, exist_ok=True)
    for one in PHOTOGRAPHS:
        write(one, target)
    (target / "who-took-them.txt").write_text("The keepers, between March and June 2026.\n")
