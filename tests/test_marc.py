"""Catalogues in ISO 2709 and as elements, in the notation of the trade."""

from __future__ import annotations

import io
import random
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pymarc import Field, Indicators, Leader, MARCReader, Record, Subfield, record_to_xml

import flatledger
from tests.conftest import Tool

FIXED = "850101s1985    xx            000 0 eng  "


def record(fields: list[tuple[str, Any]], ind: tuple[str, str] = (" ", " ")) -> Record:
    """A record; control fields have a text, others pairs of codes and texts."""
    made = Record(force_utf8=True)
    made.leader = Leader("00000cam a2200000 a 4500")
    for tag, value in fields:
        if isinstance(value, str):
            made.add_field(Field(tag=tag, data=value))
        else:
            parts = [Subfield(code, text) for code, text in value]
            made.add_field(Field(tag=tag, indicators=Indicators(*ind), subfields=parts))
    return made


RECORDS = [
    record(
        [
            ("001", "c1"),
            ("008", FIXED),
            ("020", [("a", "111"), ("q", "bound")]),
            ("020", [("a", "222")]),
            ("245", [("a", "Logbook of Holm /"), ("c", "Rua Óban")]),
            ("700", [("a", "Lind, Ansa"), ("e", "mate"), ("d", "1900"), ("e", "cook")]),
            ("700", [("e", "keeper"), ("a", "Fenn")]),
            ("952", [("o", "A10"), ("p", "100")]),
            ("952", [("o", "A2"), ("p", "101")]),
        ],
        ("1", " "),
    ),
    record([("001", "c2"), ("008", FIXED.replace("eng", "cym")), ("245", [("a", "Siart")])]),
]


def iso(records: list[Record]) -> bytes:
    return b"".join(one.as_marc() for one in records)


def elements(records: list[Record]) -> bytes:
    inner = b"".join(map(record_to_xml, records)).replace(b"<record>", b"<m:record>")
    inner = inner.replace(b"</record>", b"</m:record>")
    for name in (b"leader", b"controlfield", b"datafield", b"subfield"):
        inner = inner.replace(b"<" + name, b"<m:" + name).replace(b"</" + name, b"</m:" + name)
    return b'<m:c xmlns:m="http://www.loc.gov/MARC21/slim">' + inner + b"</m:c>"


def told(columns: list[str], data: bytes, **layout: Any) -> list[tuple[Any, ...]]:
    headed = [{f"C{at}": one} for at, one in enumerate(columns)]
    whole = {"source": {"format": "marc"}, "columns": headed, **layout}
    return [tuple(row) for row in flatledger.table(whole, io.BytesIO(data))]


@pytest.mark.parametrize("form", [iso, elements])
@pytest.mark.parametrize(
    ("path", "values"),
    [
        ("001", ["c1", "c2"]),
        ("245$a", ["Logbook of Holm /", "Siart"]),
        ("245", ["Logbook of Holm / Rua Óban", "Siart"]),
        ("245$a$c", ["Logbook of Holm / Rua Óban", "Siart"]),
        ("008/07-10", ["1985", "1985"]),
        ("008/35-37", ["eng", "cym"]),
        ("008/11-14", [None, None]),
        ("008/50-52", [None, None]),
        ("LDR/06", ["a", "a"]),
        ("020", ["111 bound; 222", None]),
        ("020[1]$a", ["222", None]),
        ("020[-1]", ["222", None]),
        ("020[?@['$q']=='bound']$a", ["111", None]),
        ("700$a$e", ["Lind, Ansa mate cook; keeper Fenn", None]),
        ("245.ind1", ["1", None]),
        ("245[?@.ind2==' ']$a", ["Logbook of Holm /", "Siart"]),
        ("count(020)", [2, 0]),
        ("count(020$q)", [1, 0]),
        ("cast(008/07-10 as integer) + 1", [1986, 1986]),
        ("listagg(700$a || ' (' || listagg(700$e, ', ') || ')')", None),
        ("fields[?@.tag=='245'].subfields[0].value", ["Logbook of Holm /", "Siart"]),
        ("count(fields)", [9, 3]),
        ("case when 008/35-37 = 'eng' then 'English' else 008/35-37 end", ["English", "cym"]),
        ("500.0 + 1", [501, 501]),
        ("mentions($, 'siart')", [False, True]),
        ("listagg($..['$p'], ',')", ["100,101", None]),
    ],
)
def test_the_notation_gives_what_the_trade_means(form: Any, path: str, values: Any) -> None:
    found = [row[0] for row in told([path], form(RECORDS))]
    if values is None:
        values = ["Lind, Ansa (mate, cook); Fenn (keeper)", None]
    assert found == values


@pytest.mark.parametrize("form", [iso, elements])
def test_a_tag_is_a_level(form: Any) -> None:
    data = form(RECORDS)
    rows = told(["001", "952$p", "ordinal(952)"], data, **{"row-per": "952", "sort": ["952$o"]})
    assert rows == [("c1", "100", 1), ("c1", "101", 2), ("c2", None, None)]
    kept = {"row-per": "952", "only": ["952$p > '100'"]}
    assert told(["001", "952$o"], data, **kept) == [("c1", "A2")]
    spread = {"columns-from": "952", "named-by": "952$o", "value": "952$p"}
    layout = {"source": {"format": "marc"}, "columns": [{"K": spread}]}
    table = flatledger.table(layout, io.BytesIO(data))
    assert [one.heading for one in table.columns] == ["K A10", "K A2"]
    assert list(table) == [("100", "101"), (None, None)]


def test_several_fields_where_one_is_needed_are_a_fault_of_that_record() -> None:
    layout = {"source": {"format": "marc"}, "columns": [{"U": "upper(020$a)"}, {"T": "upper(245)"}]}
    rows = flatledger.table(layout, io.BytesIO(iso(RECORDS)))
    assert list(rows) == [(None, "LOGBOOK OF HOLM / RUA ÓBAN"), (None, "SIART")]
    (fault,) = rows.balance.faults
    assert (fault.record, fault.path, fault.reason) == (1, "020$a", "one value was expected")


@settings(max_examples=60)
@given(st.randoms(use_true_random=False))
def test_plain_loops_find_the_same(chance: random.Random) -> None:
    def parts() -> list[tuple[str, str]]:
        return [(chance.choice("ab"), chance.choice("xyü")) for _ in range(chance.randint(1, 3))]

    made = [
        record(
            [("001", f"n{at}")]
            + [(chance.choice(["100", "245"]), parts()) for _ in range(chance.randint(0, 4))]
        )
        for at in range(chance.randint(1, 5))
    ]
    expected = []
    for one in MARCReader(io.BytesIO(iso(made)), to_unicode=True):
        texts = []
        for field in one.get_fields("245"):
            texts.append(" ".join(s.value for s in field.subfields if s.code == "a"))
        wanted = [s.value for f in one.get_fields("100") for s in f.subfields if s.code == "b"]
        joined = "; ".join(text for text in texts if text) or None
        expected.append((one["001"].data, joined, "; ".join(wanted) or None))
    for form in (iso, elements):
        assert told(["001", "245$a$a", "100$b"], form(made)) == expected


@settings(max_examples=40)
@given(st.lists(st.text(" |abc0", min_size=1, max_size=60), min_size=1, max_size=8))
def test_the_survey_of_positions_counts_as_plain_loops_do(texts: list[str]) -> None:
    made = [record([("001", "x"), ("008", text)]) for text in texts]
    for form in (iso, elements):
        found = flatledger.survey_positions("008", io.BytesIO(form(made)))
        assert found.field("008").remarks[-1].startswith("lengths: ")
        seen = set()
        for field in found.fields[1:]:
            first, _, last = field.path[4:].partition("-")
            span = slice(int(first), int(last or first) + 1)
            parts = [text[span] for text in texts if text[span].strip()]
            counts = {one: parts.count(one) for one in parts}
            assert (field.counts, field.filled) == (counts, len(parts))
            seen |= set(range(span.start, span.stop))
        longest = max(map(len, texts))
        assert seen >= set(range(longest))
        assert not longest or max(seen) < longest + 6


# ---- characters and broken records -------------------------------------------------------------


def in_marc8(data: bytes) -> bytes:
    """The first record, with its accent as MARC-8 has it: before the letter."""
    text = data.replace("Ó".encode(), b"\xe2O")
    return text[:9] + b" " + text[10:]


def test_marc_8_and_what_its_leader_tells_wrongly() -> None:
    data = iso(RECORDS[:1])
    assert told(["245$c"], in_marc8(data)) == [("Rua Óban",)]
    wrong = data[:9] + b" " + data[10:]
    layout = {"source": {"format": "marc"}, "columns": [{"C": "245$c"}]}
    rows = flatledger.table(layout, io.BytesIO(wrong))
    assert list(rows) == [("Rua Óban",)]
    assert "1 record of open file: the leader says MARC-8" in rows.balance.notices[0]


def broken(data: bytes, way: str) -> bytes:
    base = int(data[12:17])
    return {
        "length": b"99999" + data[5:],
        "base": data[:12] + b"00003" + data[17:],
        "directory": data[:24] + b"001000599999" + data[36:],
        "letters": data[:27] + b"x" + data[28:],
        "unknown": in_marc8(data).replace(b"\xe2O", b"\xffO"),
        "field": data[: base + 1] + b"\x1e" + data[base + 2 :],
        "short": data[:9] + b"\x1d",
        "end": data[:-1],
    }[way]


@pytest.mark.parametrize(
    ("way", "why"),
    [
        ("length", "the leader says that it has '99999' bytes"),
        ("base", "the leader says that the fields begin at '00003'"),
        ("directory", "field 001: the directory does not say where it is"),
        ("letters", "the directory has 001 with no length or place"),
        ("unknown", "characters that MARC-8 does not know"),
        ("field", "field 001: the directory does not say where it is"),
        ("short", "fewer than 24 characters"),
        ("end", "it has no mark of its end"),
    ],
)
def test_a_broken_record_is_a_fault_with_its_place_and_the_next_is_read(way: str, why: str) -> None:
    first, second = iso(RECORDS[1:]), iso(RECORDS[:1])
    data = first + broken(second, way) + (b"\r\n" if way != "end" else b"") + first
    layout: dict[str, Any] = {"source": {"format": "marc"}, "columns": [{"C": "001"}]}
    rows = flatledger.table(layout, io.BytesIO(data))
    assert list(rows) == [("c2",), ("c2",)]
    (fault,) = rows.balance.faults
    assert (fault.record, rows.balance.read) == (2, 3)
    assert why in fault.reason
    assert f"(byte {len(first):,})" in fault.reason
    layout["source"] |= {"broken-records": "in-part"}
    layout["columns"] += [{"P": "count(952)"}]
    rows = flatledger.table(layout, io.BytesIO(data))
    number = None if "001" in why else "c1"
    parts = [] if way in ("base", "short") else [(number, 2)]
    assert list(rows) == [("c2", 0), *parts, ("c2", 0)]
    (fault,) = rows.balance.faults
    assert (fault.record, rows.balance.balanced) == (2, True)
    assert "what can be read of it is taken" in fault.reason or not parts


@pytest.mark.parametrize(
    ("old", "new", "why"),
    [
        (
            "Ó".encode(),
            b"\xc3\xff",
            "field 245 has bytes that are no UTF-8 (`encoding` states what",
        ),
        (
            b"1 \x1faLogbook",
            b"1 0\x1faogbook",
            "field 245: it has 3 indicators, and not 2; the field is",
        ),
    ],
)
def test_a_bad_field_is_a_fault_and_its_record_stays(old: bytes, new: bytes, why: str) -> None:
    data = iso(RECORDS[:1])
    assert old in data
    assert len(old) == len(new)
    layout = {
        "source": {"format": "marc"},
        "columns": [{"N": "001"}, {"T": "245$a"}, {"P": "count(952)"}],
    }
    rows = flatledger.table(layout, io.BytesIO(data.replace(old, new) + iso(RECORDS[1:])))
    assert [row[0] for row in rows] == ["c1", "c2"]
    (fault,) = rows.balance.faults
    assert why in fault.reason
    assert (rows.balance.read, rows.balance.unreadable) == (2, 0)


@pytest.mark.parametrize("charset", ["03", "50"])
def test_unimarc_is_read_and_its_other_characters_by_their_encoding(charset: str) -> None:
    general = f"20260101d1985    k  y0engy{charset}      ba"
    fields = [("001", "u1"), ("100", [("a", general)]), ("200", [("a", "Óban light")])]
    data = iso([record(fields)])
    assert told(["200$a", "100$a"], data) == [("Óban light", general)]
    latin = data.replace("Ó".encode(), b"\xd3")
    latin = latin[:9] + b" " + latin[10:]
    ending = int(latin[:5]) - 1  # a byte fewer, in the field 200 and in all
    latin = f"{ending:05}".encode() + latin[5:].replace(b"2000016", b"2000015")
    layout = {"source": {"format": "marc"}, "columns": [{"T": "200$a"}]}
    with pytest.raises(flatledger.SourceError, match=f"field 100 says '{charset}' of its char"):
        list(flatledger.table(layout, io.BytesIO(latin)))
    layout["source"] = {"format": "marc", "encoding": "iso-8859-1"}
    assert list(flatledger.table(layout, io.BytesIO(latin))) == [("Óban light",)]


def test_bytes_cut_or_changed_give_an_error_of_ours_or_a_table() -> None:
    data = iso(RECORDS)
    for at in range(0, len(data), 3):
        for changed in (
            data[:at],
            data[:at] + b"\x1e" + data[at + 1 :],
            data[:at] + b"\xff" + data[at:],
        ):
            try:
                told(["001", "245$a", "952$p"], changed)
            except flatledger.FlatLedgerError:
                continue


# ---- where the notation is on ------------------------------------------------------------------


def test_the_notation_is_on_where_the_layout_says_so(tool: Tool, tmp_path: Path) -> None:
    (tmp_path / "c.mrc").write_bytes(iso(RECORDS))
    (tmp_path / "c.xml").write_bytes(elements(RECORDS))
    (tmp_path / "l.yaml").write_text("columns: [{T: 245$a}]", encoding="utf-8")
    (tmp_path / "n.yaml").write_text("columns: [{T: 245}]", encoding="utf-8")
    (tmp_path / "codes.csv").write_text("code,name\n", encoding="utf-8")
    listed = "lookup: {list: {file: codes.csv, matched-by: leader, key: code}}"
    (tmp_path / "s.yaml").write_text(f"{listed}\ncolumns: [{{T: 245}}]", encoding="utf-8")
    no_path = "column `T` has no path"
    for layout, why in (("l.yaml", "paths as in 245$a"), ("n.yaml", no_path), ("s.yaml", no_path)):
        done = tool("export", layout, "c.mrc")
        assert done.returncode == 1
        assert why in done.stderr
        assert "source: {format: marc}" in done.stderr
    for name in ("c.mrc", "c.xml"):
        assert "245$a" in tool("survey", name).stdout
        assert "Logbook of Holm /" in tool("try", "245$a", name).stdout
        assert tool("export", "--column", "T: 245$a", name).stdout.splitlines()[1:] == [
            "Logbook of Holm /",
            "Siart",
        ]
        drafted = tool("draft", name).stdout
        for line in ("format: marc", '- Title: "245$a"', "- ISBN: \"listagg(020$a, '; ')\""):
            assert line in drafted
        (tmp_path / "d.yaml").write_text(drafted, encoding="utf-8")
        assert tool("export", "d.yaml", name, "--row-per", "952").returncode == 0
    assert "A10\t1" in tool("survey", "c.xml", "--values", "952$o").stdout
    assert "eng\t1" in tool("survey", "c.xml", "--values", "008/35-37").stdout
    assert "LDR/06 = a" in tool("survey", "c.xml", "--kinds", "LDR/06").stdout
    for name in ("c.mrc", "c.xml"):
        shown = tool("survey", name, "--under", "008").stdout
        for said in ("lengths: 40 (2)", "008/07-10", "First year", "eng English (1)", "cym Welsh"):
            assert said in shown
    for typed, why in (
        ("245 * 2", "`245` is a field of the catalogue here; the number is 245.0"),
        ("245$a < 245", "the number is 245.0"),
        ("500/10", "only LDR and 001 to 009 have positions"),
    ):
        assert why in tool("export", "--column", f"C: {typed}", "c.mrc").stderr


@settings(max_examples=40)
@given(st.randoms(use_true_random=False))
def test_each_field_keeps_its_own_parts(chance: random.Random) -> None:
    made = []
    for at in range(chance.randint(1, 4)):
        fields: list[tuple[str, Any]] = [("001", f"n{at}")]
        for _ in range(chance.randint(0, 3)):
            roles = [("e", chance.choice(["mate", "cook"])) for _ in range(chance.randint(0, 3))]
            dates = [("d", "1900")] if chance.random() < 0.5 else []
            fields.append(("700", [("a", chance.choice(["Lind", "Gow"])), *dates, *roles]))
        made.append(record(fields))
    expected = []
    for one in made:
        people, dated = [], []
        for field in one.get_fields("700"):
            roles = [part.value for part in field.subfields if part.code == "e"]
            name = field.subfields[0].value
            people.append(name + (f" ({', '.join(roles)})" if roles else ""))
            dated.append(f"{name}, {'1900' if '1900' in str(field) else '-'}")
        expected.append(("; ".join(people) or None, "; ".join(dated) or None, len(people)))
    columns = [
        "listagg(700$a || coalesce(' (' || listagg(700$e, ', ') || ')', ''), '; ')",
        "listagg(700$a || ', ' || coalesce(700$d, '-'), '; ')",
        "count(700)",
    ]
    for form in (iso, elements):
        assert told(columns, form(made)) == expected
        assert told(columns, form(made), levels=["700"]) == expected


@settings(max_examples=25)
@given(st.randoms(use_true_random=False))
def test_the_draft_of_any_catalogue_runs_alike_in_both_forms(chance: random.Random) -> None:
    made = []
    for at in range(chance.randint(1, 5)):
        fields: list[tuple[str, Any]] = [("001", f"n{at}")]
        for _ in range(chance.randint(0, 8)):
            tag = chance.choice(["008", "020", "041", "245", "490", "650", "700", "830", "952"])
            texts = ["eng", "Lind, A", " ", "\u00e9", "12", "a;b"]
            parts = [(chance.choice("abeh"), chance.choice(texts)) for _ in range(3)]
            fields.append((tag, "".join(chance.choices("ab 0|", k=40)) if tag == "008" else parts))
        made.append(record(fields, (chance.choice(" 1"), chance.choice(" 4"))))
    tables = []
    for form in (iso, elements):
        drafted = str(flatledger.draft(io.BytesIO(form(made)), sample=None))
        rows = flatledger.table(flatledger.Layout.from_text(drafted), io.BytesIO(form(made)))
        leader = rows.headings.index("Leader")
        tables.append([(*row[:leader], *row[leader + 1 :]) for row in rows])
        assert rows.balance.balanced
        assert {one.path for one in rows.balance.faults} <= {"Control number"}
    assert tables[0] == tables[1]
