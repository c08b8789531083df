"""What the common fields of a catalogue hold (MARC 21), in plain words of our own."""

from __future__ import annotations

FIELDS = {
    "LDR": "Leader",
    "001": "Control number",
    "003": "Whose control number",
    "005": "Last changed",
    "007": "Physical form, coded",
    "008": "Coded facts",
    "010$a": "Library of Congress number",
    "020$a": "ISBN",
    "022$a": "ISSN",
    "024$a": "Other standard number",
    "035$a": "System number",
    "040$a": "Catalogued by",
    "041$a": "Languages",
    "050$a": "Library of Congress class",
    "082$a": "Decimal class",
    "100$a": "Author",
    "100$d": "Author's dates",
    "100$e": "Author's role",
    "110$a": "Body responsible",
    "111$a": "Meeting",
    "130$a": "Uniform title",
    "240$a": "Uniform title",
    "245$a": "Title",
    "245$b": "Rest of the title",
    "245$c": "Responsibility",
    "245$n": "Part number",
    "245$p": "Part title",
    "246$a": "Other title",
    "250$a": "Edition",
    "255$a": "Scale",
    "260$a": "Place",
    "260$b": "Publisher",
    "260$c": "Year",
    "264$a": "Place",
    "264$b": "Publisher",
    "264$c": "Year",
    "300$a": "Extent",
    "300$b": "Illustrations",
    "300$c": "Size",
    "336$a": "Kind of content",
    "337$a": "Kind of medium",
    "338$a": "Kind of carrier",
    "490$a": "Series",
    "500$a": "Note",
    "504$a": "Bibliography",
    "505$a": "Contents",
    "520$a": "Summary",
    "546$a": "Language note",
    "600$a": "Person as subject",
    "610$a": "Body as subject",
    "650$a": "Subject",
    "651$a": "Place as subject",
    "653$a": "Keyword",
    "655$a": "Genre",
    "700$a": "Other person",
    "700$e": "Other person's role",
    "710$a": "Other body",
    "773$t": "Part of",
    "830$a": "Series",
    "852$a": "Holding library",
    "852$b": "Shelved in",
    "852$h": "Call number",
    "852$p": "Barcode",
    "856$u": "Web address",
}


def called(path: str) -> str:
    """What a field or subfield of a catalogue is called; blank where it has no common name.

    >>> called("245$a"), called("952$p")
    ('Title', '')
    """
    return FIELDS.get(path, "")
