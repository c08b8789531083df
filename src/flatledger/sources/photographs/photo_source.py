"""Photographs: a record for each, of its size and the metadata in it. Pixels are not decoded."""

from __future__ import annotations

import datetime as dt
import io
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from PIL import Image, UnidentifiedImageError, __version__

from ...errors import MissingExtraError, SourceError
from ...extras import without_warnings
from ...layout.model.source_options import PHOTOS
from ...run.protocols import Batch
from ...values.faults import Fault
from ..files.options import Options
from ..files.reader import BaseReader
from ..files.reading import Bytes
from .photo_metadata import (
    MetadataError,
    exif_of,
    iptc_of,
    position_of,
    take_in_what_follows,
    xmp_of,
)

FORMATS = ("JPEG", "TIFF", "PNG", "WEBP")
LEAST = (11, 1)  # before it, captions in the XMP of a JPEG are left out without a word


def open_reader(data: Bytes, options: Options) -> PhotoReader:
    """A reading of one picture. Raises SourceError, and MissingExtraError with an old Pillow."""
    if tuple(map(int, __version__.split(".")[:2])) < LEAST:
        raise MissingExtraError(
            f"reading photographs needs Pillow {LEAST[0]}.{LEAST[1]} or later; {__version__} is "
            "installed: pip install --upgrade 'flatledger[photos]'"
        )
    if options.records:
        raise SourceError(f"{data.name}: a picture is one record; leave out `records`")
    return PhotoReader(data)


class PhotoReader(BaseReader):
    """Reads the metadata of one picture, which are one record."""

    def __init__(self, data: Bytes) -> None:
        self.name, self._data = data.name, data
        self.states = {"format": PHOTOS}
        self.manner = "photographs"
        self._batch: Batch | None = None

    def close(self) -> None:
        self._data.close()

    def peek(self) -> list[Any]:
        return self._read().records

    def batches(self, record_type: Any = None, exact: Any = None) -> Iterator[Batch]:
        yield self._read()

    def _read(self) -> Batch:
        if self._batch is None:
            record, remarks = self._record()
            self._batch = Batch([record], [1], [], lambda: [record], remarks)
        return self._batch

    def _record(self) -> tuple[dict[str, Any], list[Fault]]:
        """What is told of the picture, and what of its metadata can't be read.

        Raises SourceError where it is none.
        """
        path = self.name if os.path.isfile(self.name) else None
        file = open(path, "rb") if path else io.BytesIO(b"".join(self._data.chunks()))  # noqa: SIM115
        with file, without_warnings(), _of_any_size():  # what is wrong is told as a fault
            try:
                with Image.open(file, formats=FORMATS) as picture:
                    return self._told(picture, path)
            except (OSError, SyntaxError, ValueError) as error:
                what = f"{self.name} is not a picture that can be read (JPEG, TIFF, PNG, WebP)"
                why = "" if isinstance(error, UnidentifiedImageError) else f": {error}"
                raise SourceError(f"{what}{why}") from error
            finally:
                self._data.close()

    def _told(self, picture: Any, path: str | None) -> tuple[dict[str, Any], list[Fault]]:
        kind = "JPEG" if picture.format == "MPO" else picture.format
        record = {
            "file": _facts(path) if path else {"name": Path(self.name).name},
            "width": picture.width,
            "height": picture.height,
            "format": kind,
        }
        if kind == "PNG":
            take_in_what_follows(picture)
        faults = []
        groups = {"exif": exif_of, "position": position_of, "iptc": iptc_of, "xmp": xmp_of}
        for name, found_by in groups.items():
            try:
                found = found_by(picture)
            except MetadataError as error:
                faults.append(Fault(1, name, "", f"{error}; the rest of the picture is read"))
            else:
                if found:
                    record[name] = found
        return record, faults


@contextmanager
def _of_any_size() -> Iterator[None]:
    """Meanwhile pictures of any size are opened: none of their pixels is decoded."""
    most, Image.MAX_IMAGE_PIXELS = Image.MAX_IMAGE_PIXELS, None
    try:
        yield
    finally:
        Image.MAX_IMAGE_PIXELS = most


def _facts(path: str) -> dict[str, Any]:
    found = os.stat(path)
    modified = dt.datetime.fromtimestamp(int(found.st_mtime), dt.UTC)
    return {
        "name": Path(path).name,
        "path": path,
        "size": found.st_size,
        "modified": modified.isoformat().replace("+00:00", "Z"),
    }
