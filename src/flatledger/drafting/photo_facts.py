"""The facts of a photograph that several standards hold: one column for each, in their order."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from ..layout.text import scalar
from ..structure.survey import FieldSurvey

# Texts are taken from XMP, then IIM, then Exif (IPTC Photo Metadata Standard, mapping of XMP and
# IIM); the moment is first that of the camera.
FACTS = {
    "Caption": ("xmp['dc:description']", "iptc['Caption/Abstract']", "exif.ImageDescription"),
    "Creator": ("xmp['dc:creator']", "iptc['By-line']", "exif.Artist"),
    "Rights": ("xmp['dc:rights']", "iptc['Copyright Notice']", "exif.Copyright"),
    "Keywords": ("xmp['dc:subject']", "iptc.Keywords"),
    "Taken": ("exif.DateTimeOriginal", "xmp['photoshop:DateCreated']", "iptc['Date Created']"),
}


def fact_lines(fields: Iterable[FieldSurvey], languages: Sequence[str]) -> list[str]:
    """A column, as a comment, for each fact that more than one standard holds in what was met;
    ``languages`` are the paths of texts in several."""
    met = {field.path: field for field in fields}
    columns = {
        heading: [_text(met[path], languages) for path in paths if path in met]
        for heading, paths in FACTS.items()
    }
    lines = [
        f"  # - {heading}: {scalar('coalesce(' + ', '.join(texts) + ')')}"
        for heading, texts in columns.items()
        if len(texts) > 1
    ]
    says = "  # What several standards hold, in the order in which they are gone by:"
    return ["", says, *lines] if lines else []


def _text(field: FieldSurvey, languages: Sequence[str]) -> str:
    if field.path in languages:
        return f"in_language({field.path}, 'en')"
    return f"listagg({field.path}, '; ')" if field.is_level else field.path
