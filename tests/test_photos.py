"""Photographs as records: every group of metadata, and pictures that are broken."""

from __future__ import annotations

import json
import struct
import zlib
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from PIL import Image, ImageFile
from PIL.TiffImagePlugin import IFDRational

import flatledger

DESCRIBED = (
    '<rdf:Description xmlns:d="http://purl.org/dc/elements/1.1/" '
    'xmlns:xmp="http://ns.adobe.com/xap/1.0/" xmp:Rating="4"><d:title><rdf:Alt>'
    '<rdf:li xml:lang="x-default">The light</rdf:li><rdf:li xml:lang="cy">Y golau</rdf:li>'
    "</rdf:Alt></d:title><d:subject><rdf:Bag><rdf:li>lamp</rdf:li><rdf:li>storm</rdf:li>"
    "</rdf:Bag></d:subject></rdf:Description>"
)
XMP = (
    '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF '
    f'xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">{DESCRIBED}</rdf:RDF></x:xmpmeta>'
)
IIM = b"".join(
    b"\x1c\x02" + bytes([number]) + len(text).to_bytes(2, "big") + text
    for number, text in ((120, "Gr\u00fc\u00dfe".encode()), (25, b"lamp"), (25, b"sea"))
)


def photo(path: Path, xmp: str = "", iptc: bytes = b"", north: str = "") -> Path:
    """A small picture with metadata."""
    tags = Image.Exif()
    tags[0x010E] = f"Caption of {path.stem}"
    taken = tags.get_ifd(0x8769)
    taken[0x9003], taken[0x9011] = "2026:03:02 06:10:00", "+00:00"
    taken[0x829A], taken[0x829D] = IFDRational(1, 250), IFDRational(28, 10)
    if north:
        gps = tags.get_ifd(0x8825)
        gps[1], gps[2], gps[3], gps[4] = north, (57.0, 30.0, 36.0), "W", (7.0, 15.0, 0.0)
        gps[5], gps[6] = b"\1", 12.5
    kind = {".jpg": "JPEG", ".png": "PNG", ".tif": "TIFF", ".webp": "WEBP"}[path.suffix]
    more: dict[str, Any] = {"xmp": xmp.encode()} if xmp and kind != "PNG" else {}
    Image.new("RGB", (40, 30)).save(path, kind, exif=tags, **more)
    if iptc:
        block = b"8BIM\x04\x04\0\0" + len(iptc).to_bytes(4, "big") + iptc + b"\0" * (len(iptc) % 2)
        segment = b"Photoshop 3.0\0" + block
        data = path.read_bytes()
        length = (len(segment) + 2).to_bytes(2, "big")
        path.write_bytes(data[:2] + b"\xff\xed" + length + segment + data[2:])
    return path


COLUMNS = {
    "file.name": "holm-2.jpg",
    "width": 40,
    "format": "JPEG",
    "exif.ImageDescription": "Caption of holm-2",
    "exif.DateTimeOriginal": "2026-03-02T06:10:00+00:00",
    "exif.ExposureTime": "1/250",
    "exif.FNumber": Decimal("2.8"),
    "position.latitude": Decimal("57.51"),
    "position.longitude": Decimal("-7.25"),
    "position.altitude": Decimal("-12.5"),
    "iptc['Caption/Abstract']": "Gr\u00fc\u00dfe",
    "iptc.Keywords": "lamp; sea",
    "xmp['xmp:Rating']": "4",
    "in_language(xmp['dc:title'], 'cy')": "Y golau",
    "xmp['dc:subject']": "lamp; storm",
    "exif.LensModel": None,
}


def test_each_picture_is_a_record(tmp_path: Path) -> None:
    for name in ("holm-10.jpg", "gull.png", "stack.webp", "tarn.tif"):
        photo(tmp_path / name)
    photo(tmp_path / "holm-2.jpg", XMP, IIM, north="N")
    (tmp_path / "notes.txt").write_text("no picture", encoding="utf-8")
    layout = {
        "source": {"format": "photos"},
        "columns": [{f"C{at}": path} for at, path in enumerate(COLUMNS)],
    }
    rows = flatledger.table(layout, tmp_path)
    found = [tuple(row) for row in rows]
    names = ["gull.png", "holm-2.jpg", "holm-10.jpg", "stack.webp", "tarn.tif"]
    assert [row[0] for row in found] == names
    assert found[1] == tuple(COLUMNS.values())
    assert [row[3] for row in found] == [f"Caption of {Path(name).stem}" for name in names]
    assert "no pictures: 1" in " ".join(rows.balance.notices)
    assert "no pictures: 1 (" in flatledger.survey(tmp_path).notices[0]
    assert flatledger.survey(tmp_path).field("xmp['dc:subject']").most == 2


@pytest.mark.parametrize(
    ("xmp", "north", "why"),
    [
        ("<x:xmpmeta xmlns:x='a'><rdf:", "", "xmp: can't be read"),
        ("<!DOCTYPE x [<!ENTITY e SYSTEM 'file:///a'>]><x>&e;</x>", "", "declares entities"),
        ("", "Up", "position: the latitude does not say whether it is N or S"),
    ],
)
def test_broken_metadata_are_a_fault_of_that_picture(
    tmp_path: Path, xmp: str, north: str, why: str
) -> None:
    photo(tmp_path / "a.jpg", xmp, north=north)
    photo(tmp_path / "b.jpg", XMP)
    layout = {"columns": [{"N": "file.name"}, {"R": "xmp['xmp:Rating']"}]}
    rows = flatledger.table(layout, tmp_path)
    assert list(rows) == [("a.jpg", None), ("b.jpg", "4")]
    (fault,) = rows.balance.faults
    assert why in f"{fault.path}: {fault.reason}"
    assert fault.file == "a.jpg"


def test_what_is_hostile_in_a_picture_is_an_error_or_its_fault(tmp_path: Path) -> None:
    folder = tmp_path / "in"
    folder.mkdir()
    inner = photo(tmp_path / "inner.jpg", XMP).read_bytes()
    tags = Image.Exif()
    tags.get_ifd(1).update({0x0103: 6, 0x0201: 8, 0x0202: len(inner)})  # a thumbnail
    Image.new("RGB", (8, 8)).save(folder / "a.jpg", exif=tags.tobytes() + inner)
    for name, size in (("b.tif", 11 << 20), ("c.tif", 100 << 20)):
        Image.new("L", (8, 8)).save(folder / name, tiffinfo={700: XMP.encode().ljust(size)})
    (folder / "round").symlink_to(folder)
    layout = {"columns": [{"N": "file.name"}, {"W": "width"}, {"X": "xmp['xmp:Rating']"}]}
    rows = flatledger.table(layout, f"{folder}/**/*")
    assert list(rows) == [("a.jpg", 8, None), ("b.tif", 8, None), ("c.tif", 8, None)]
    assert [f.reason[:22] for f in rows.balance.faults] == ["has more than 10 MB; t"] * 2
    for broken, why in (
        (b"", r"a.jpg is empty (0 bytes)"),
        (b"\xff\xd8\xff", "a.jpg is not a"),
    ):
        (folder / "a.jpg").write_bytes(broken)
        rows = flatledger.table(layout, folder)
        assert [row[0] for row in rows] == ["b.tif", "c.tif"]
        assert any(why in one for one in rows.balance.notices)


def test_a_draft_has_what_several_standards_hold_as_one_column(tmp_path: Path) -> None:
    photo(tmp_path / "a.jpg", XMP.replace("title", "description"), IIM, north="N")
    drafted = str(flatledger.draft(tmp_path / "a.jpg"))
    texts = "in_language(xmp['dc:description'], 'en'), iptc['Caption/Abstract']"
    line = f'# - Caption: "coalesce({texts}, exif.ImageDescription)"'
    assert line in drafted
    assert "decimals:" not in drafted
    opened = drafted.replace(line, line[2:]).replace("  - Caption abstract", "  # - Caption a")
    (tmp_path / "d.yaml").write_text(opened, encoding="utf-8")
    rows = flatledger.table(str(tmp_path / "d.yaml"), tmp_path / "a.jpg")
    row = dict(zip(rows.headings, next(rows), strict=True))
    assert (row["Caption"], row["Latitude"]) == ("The light", Decimal("57.51"))


def test_bytes_cut_or_changed_give_an_error_of_ours_or_a_record(tmp_path: Path) -> None:
    path = photo(tmp_path / "a.jpg", XMP, IIM, north="N")
    data = path.read_bytes()
    for at in range(0, len(data), 1 + len(data) // 250):
        for changed in (data[:at], data[:at] + bytes([data[at] ^ 0x15]) + data[at + 1 :]):
            path.write_bytes(changed)
            try:
                found = flatledger.table({"columns": [{"E": "exif"}, {"X": "xmp"}]}, path)
                assert len(list(found)) == 1
            except flatledger.SourceError as error:
                json.dumps(str(error))


def test_a_picture_that_says_it_is_huge_is_one_record_and_costs_no_other(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """None of its pixels is decoded, so that it fills no memory however many it says it has; what
    stands after them is read."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        checked = struct.pack(">I", zlib.crc32(kind + data))
        return struct.pack(">I", len(data)) + kind + data + checked

    tags = Image.Exif()
    tags[0x010E] = "A lamp"
    named = b'<d xmlns="x:y" xmlns:r="http://www.w3.org/1999/02/22-rdf-syntax-ns#"><r:RDF>'
    packet = named + b'<r:Description xmlns:q="u:q" q:a="last"/></r:RDF></d>'
    later = chunk(b"eXIf", tags.tobytes().removeprefix(b"Exif\0\0"))
    later += chunk(b"iTXt", b"XML:com.adobe.xmp\0\0\0\0\0" + packet)
    for name, side in (("huge.png", 100_000), ("small.png", 10)):
        header = struct.pack(">IIBBBBB", side, side, 8, 2, 0, 0, 0)
        pixels = chunk(b"IDAT", zlib.compress(b"\0"))
        body = chunk(b"IHDR", header) + pixels + pixels + later + chunk(b"IEND", b"")
        (tmp_path / name).write_bytes(b"\x89PNG\r\n\x1a\n" + body)
    monkeypatch.setattr(ImageFile.ImageFile, "load_prepare", None)
    columns = [{"W": "width"}, {"Is": "exif.ImageDescription"}, {"X": "xmp['q:a']"}]
    rows = list(flatledger.table({"columns": columns}, tmp_path))
    assert rows == [(100_000, "A lamp", "last"), (10, "A lamp", "last")]
