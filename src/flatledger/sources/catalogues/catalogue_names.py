"""What the common fields of a catalogue hold (MARC 21), and the positions of the coded ones, in
plain words of our own."""

from __future__ import annotations

from ...values.code_lists import COUNTRIES, LANGUAGES

LEADER = "LDR"  # what the notation calls the leader of a record
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

POSITIONS = {  # those that mean the same in every record; of others each stands alone
    "LDR": {
        (0, 4): "Length of the record",
        (5, 5): "Whether it is new, changed or deleted",
        (6, 6): "Kind of material",
        (7, 7): "Whether it is one work, a part or a set",
        (8, 8): "Kind of control",
        (9, 9): "Characters: a is UTF-8, blank is MARC-8",
        (10, 11): "Number of indicators, length of a subfield's code",
        (12, 16): "Where the fields begin",
        (17, 17): "How fully it is catalogued",
        (18, 18): "Rules of cataloguing",
        (19, 19): "Whether it is one of several parts",
        (20, 23): "Shape of the directory",
    },
    "005": {(0, 7): "Day", (8, 13): "Time"},
    "006": {(0, 0): "Kind of material"},
    "007": {(0, 0): "Kind of thing", (1, 1): "Kind of thing, more closely"},
    "008": {
        (0, 5): "Day it was entered",
        (6, 6): "What the two years are",
        (7, 10): "First year",
        (11, 14): "Second year",
        (15, 17): "Place of publication, coded",
        (35, 37): "Language",
        (38, 38): "Whether the text was changed",
        (39, 39): "Who catalogued it",
    },
}
CODED = {  # with the code list of a standard
    **dict.fromkeys(("008/35-37", "041$a", "041$b", "041$d", "041$h", "040$b"), LANGUAGES),
    **dict.fromkeys(("044$c",), COUNTRIES),
}
_OF_POSITIONS = {
    f"{tag}/{first:02}" + (f"-{last:02}" if last > first else ""): name
    for tag, names in POSITIONS.items()
    for (first, last), name in names.items()
}


def called(path: str) -> str:
    """What a field, a subfield or positions of a catalogue are called; blank where they have no
    common name.

    >>> called("245$a"), called("008/07-10"), called("952$p")
    ('Title', 'First year', '')
    """
    return FIELDS.get(path) or _OF_POSITIONS.get(path, "")
