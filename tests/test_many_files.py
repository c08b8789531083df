"""Several files as one source: in whatever way they are named, cut and packed."""

from __future__ import annotations

import gzip
import json
import os
import random
import zipfile
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from natsort import natsorted

import flatledger
from flatledger.sources.sets.many_files import FilesSource
from tests.conftest import Tool
from tests.test_every_source import delimited, elements, lines

LAYOUT: dict[str, Any] = {
    "columns": [
        {"No": "no"},
        {"Fee": {"value": "fee", "datatype": "integer", "total": "sum"}},
        {"File": "source_file()"},
        {"N": "record_number()"},
    ]
}
WRITTEN = {".jsonl": lines, ".csv": delimited, ".xml": elements}


def rows_of(count: int, start: int = 0) -> list[dict[str, str]]:
    return [
        {"no": f"R-{n}", "station": "", "qty": "", "fee": str(n), "day": ""}
        for n in range(start, start + count)
    ]


def table_of(source: Any, **reading: Any) -> tuple[list[tuple[Any, ...]], Any]:
    layout = {**LAYOUT, **({"source": reading} if reading else {})}
    rows = flatledger.table(layout, source)
    return [tuple(row) for row in rows.rows(totals=True)], rows.balance


@pytest.mark.parametrize("suffix", WRITTEN)
@settings(max_examples=25)
@given(st.lists(st.integers(1, 400), min_size=1, max_size=5), st.randoms(use_true_random=False))
def test_cut_into_files_and_named_in_any_way_it_is_one_source(
    tmp_path_factory: pytest.TempPathFactory, suffix: str, sizes: list[int], chance: random.Random
) -> None:
    folder = tmp_path_factory.mktemp("cut")
    names = natsorted({f"{chance.choice('ab_')}-{chance.randint(1, 30)}{suffix}" for _ in sizes})
    whole: list[tuple[Any, ...]] = []
    start = 0
    with zipfile.ZipFile(folder / "all.zip", "w", zipfile.ZIP_DEFLATED) as packed:
        (folder / "in").mkdir()
        for name, size in zip(names, sizes, strict=False):
            rows = rows_of(size, start)
            (folder / "in" / name).write_bytes(WRITTEN[suffix](rows))
            packed.writestr(name, WRITTEN[suffix](rows))
            numbered = enumerate(rows, start + 1)
            whole += [(row["no"], int(row["fee"]), name, at) for at, row in numbered]
            start += size
    listed = [folder / "in" / name for name in names]
    chance.shuffle(listed)
    ways = (listed, folder / "in", folder / "in" / f"*{suffix}", folder / "all.zip")
    for way in (*ways, folder / "all.zip" / f"*-*{suffix}", [str(folder / "in")]):
        found, balance = table_of(way)
        total = found.pop()
        assert [(no, fee, Path(file).name, at) for no, fee, file, at in found] == whole
        assert total[1] == sum(range(start))
        assert (balance.balanced, balance.read) == (True, start)
        assert [one.records for one in balance.files_read] == sizes[: len(names)]


def test_files_are_read_as_named_where_the_layout_says_so(tmp_path: Path) -> None:
    for name in ("b", "a"):
        (tmp_path / f"{name}.jsonl").write_bytes(lines([{"no": name, "fee": "1"}]))
    both = [tmp_path / "b.jsonl", tmp_path / "a.jsonl"]
    assert [row[0] for row in table_of(both)[0]] == ["a", "b", "Grand total"]
    ordered = table_of(both, **{"file-order": "as-named"})[0]
    assert [row[0] for row in ordered] == ["b", "a", "Grand total"]


def unreadable(folder: Path) -> dict[str, Path]:
    """Files of which none can be read to its end."""
    cut = gzip.compress(lines(rows_of(9_000)))
    made = {
        "empty.jsonl": b"",
        "cut.jsonl.gz": cut[: len(cut) // 2],
        "none.jsonl": b"nothing\nat all\n",
        "huge.jsonl": b'{"no": "' + b"x" * (3 << 20) + b'"}\n',
    }
    for name, data in made.items():
        (folder / name).write_bytes(data)
    return {name: folder / name for name in made}


@pytest.mark.parametrize("bad", ["empty.jsonl", "cut.jsonl.gz", "none.jsonl", "huge.jsonl", "gone"])
def test_a_file_that_cant_be_read_ends_the_run_or_is_passed_over(tmp_path: Path, bad: str) -> None:
    good = tmp_path / "z.jsonl"
    good.write_bytes(lines(rows_of(5)))
    other = unreadable(tmp_path).get(bad, tmp_path / bad)
    with pytest.raises(flatledger.SourceError, match=bad):
        flatledger.export(
            {**LAYOUT, "source": {"largest-record": 1}}, [good, other], tmp_path / "o.csv"
        )
    assert not (tmp_path / "o.csv").exists()
    found, balance = table_of([good, other], **{"unreadable-files": "skip", "largest-record": 1})
    assert [row[0] for row in found[:-1]] == [f"R-{n}" for n in range(5)]
    read, skipped = balance.files_read
    assert (read.records, skipped.name, skipped.records) == (5, str(other), 0)
    assert any(bad in notice for notice in balance.notices)
    second = unreadable(tmp_path)["empty.jsonl" if bad == "none.jsonl" else "none.jsonl"]
    with pytest.raises(flatledger.SourceError, match="none of the files"):
        table_of([other, second], **{"unreadable-files": "skip", "largest-record": 1})


@pytest.mark.parametrize(
    ("names", "why"),
    [
        (["a.jsonl", "t.csv"], r"different formats: .*JSON \(.*a.jsonl\).*CSV \(.*t.csv\)"),
        (["a.jsonl", "hidden.jsonl"], "different formats"),
        (["a.jsonl", "./a.jsonl"], "named twice"),
        (["*.jsonl", "a.jsonl"], "named twice"),
        (["a.jsonl", "-"], "standard input can't be read beside files"),
        (["none-*.jsonl"], "no file is named like"),
        (["hollow"], "hollow has no files in it"),
        (["m.zip", "m.zip/x*"], "nothing named like x"),
        (["hollow.zip"], "has no files in it"),
        (["torn.zip"], "damaged or cut off|no workbook"),
        (["twice.zip"], "two files called a.jsonl; pack it anew"),
        (["a.jsonl", "pipe"], "the pipe pipe can't be read beside files"),
        (["b.xml", "c.xml"], "records of .*b.xml are <row>, those of .*c.xml <line>"),
    ],
)
def test_what_is_no_one_source_is_refused(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, names: list[str], why: str
) -> None:
    monkeypatch.chdir(tmp_path)
    Path("a.jsonl").write_bytes(lines(rows_of(2)))
    Path("hidden.jsonl").write_bytes(elements(rows_of(2)))
    Path("t.csv").write_bytes(delimited(rows_of(2)))
    Path("b.xml").write_bytes(elements(rows_of(2)))
    Path("c.xml").write_bytes(elements(rows_of(2)).replace(b"row>", b"line>"))
    Path("hollow").mkdir()
    os.mkfifo("pipe")
    for name, members in (("m.zip", ["a.jsonl"]), ("hollow.zip", []), ("twice.zip", ["a.jsonl"])):
        with zipfile.ZipFile(name, "w") as packed:
            for member in members:
                packed.write(member)
    with pytest.warns(UserWarning, match="Duplicate"), zipfile.ZipFile("twice.zip", "a") as packed:
        packed.write("a.jsonl")
    Path("torn.zip").write_bytes(Path("m.zip").read_bytes()[:-30])
    if names[0] == "*.jsonl":
        Path("hidden.jsonl").unlink()
    with pytest.raises(flatledger.SourceError, match=why):
        table_of(names)


def test_each_byte_of_a_zip_changed_gives_an_error_or_the_same_table(tmp_path: Path) -> None:
    place = tmp_path / "m.zip"
    with zipfile.ZipFile(place, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("a.jsonl", lines(rows_of(3)))
    data, expected = place.read_bytes(), table_of(place)[0]
    for at in range(len(data)):
        place.write_bytes(data[:at] + bytes([data[at] ^ 0x55]) + data[at + 1 :])
        try:
            found = table_of(place)[0]
        except flatledger.FlatLedgerError:
            continue
        assert [row[:2] for row in found] == [row[:2] for row in expected], at
    for tenth in range(1, 10):
        place.write_bytes(data[: len(data) * tenth // 10])
        with pytest.raises(flatledger.FlatLedgerError):
            table_of(place)


def test_faults_and_other_columns_are_told_with_their_file(tool: Tool, tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text("no,fee\nR-1,1\nR-2,2\n", encoding="utf-8")
    (tmp_path / "b.csv").write_text("no,cost\nR-3,3\nR-4\nR-5,x\n", encoding="utf-8")
    (tmp_path / "l.yaml").write_text(json.dumps({"columns": LAYOUT["columns"]}), encoding="utf-8")
    done = tool("export", "l.yaml", "b.csv", "a.csv", "-o", "o.csv", "--faults-to", "f.csv")
    assert done.returncode == 0
    for said in (
        "b.csv lacks the column fee, which a.csv has",
        "b.csv has a column cost, which a.csv lacks",
        "record 4 (b.csv, record 2): too few cells: 1 under 2 headings (line 3)",
        "a.csv        2           0",
        "b.csv        2           1",
    ):
        assert said in done.stderr
    assert '"b.csv, record 2"' in (tmp_path / "f.csv").read_text("utf-8")
    assert (tmp_path / "o.csv").read_text("utf-8").splitlines()[3] == "R-3,,b.csv,3"


def test_no_file_that_takes_part_is_written_over_nor_the_table_taken_in(
    tool: Tool, tmp_path: Path
) -> None:
    (tmp_path / "in").mkdir()
    for name in ("a", "b"):
        (tmp_path / "in" / f"{name}.csv").write_bytes(delimited(rows_of(2)))
    before = (tmp_path / "in" / "a.csv").read_bytes()
    column = ("export", "--column", "No: no")
    for names, to in (
        (("in",), "in/a.csv"),
        (("in/a.csv", "in/b.csv"), "in/b.csv"),
        (("in",), "in/new.csv"),
        (("in/*.csv",), "in/new.csv"),
    ):
        done = tool(*column, *names, "-o", to)
        assert (done.returncode, "Nothing written" in done.stderr) in {(1, True), (2, True)}
    assert sorted(one.name for one in (tmp_path / "in").iterdir()) == ["a.csv", "b.csv"]
    assert (tmp_path / "in" / "a.csv").read_bytes() == before
    assert tool(*column, "in", "-o", "new.csv").returncode == 0


def test_the_folders_in_a_folder_are_pointed_out(tool: Tool, tmp_path: Path) -> None:
    (tmp_path / "in" / "2024").mkdir(parents=True)
    (tmp_path / "in" / "a.csv").write_bytes(delimited(rows_of(2)))
    said = "the folders in in are not read: 2024 (--below, or 'in/**/*', reads these too)"
    for asked in (("survey", "in"), ("export", "--column", "No: no", "in", "-o", "o.csv")):
        done = tool(*asked)
        assert (done.returncode, said in done.stdout + done.stderr) == (0, True), done
    (tmp_path / "in" / "2024" / "b.csv").write_bytes(delimited(rows_of(3, 2)))
    (tmp_path / "in" / "2024" / ".hidden").mkdir()
    (tmp_path / "in" / "2024" / ".hidden" / "c.csv").write_bytes(delimited(rows_of(1)))
    for at in range(3):  # 3 circles to the power of the depth, if they were gone round
        (tmp_path / "in" / "2024" / f"round{at}").symlink_to(tmp_path / "in")
    for way in (("in", "--below"), ("in/**/*",), ("in/**",), ("i*/**/*.csv",)):
        done = tool("export", "--column", "No: no", *way)
        assert sorted(done.stdout.split()) == ["No", *(f"R-{n}" for n in range(5))], way
    done = tool("export", "--column", "No: no", "in", "--below", "-o", "in/all.csv")
    assert (done.returncode, "in/all.csv" in done.stderr) == (1, True)
    done = tool("survey", "in/a.csv", "--below")
    assert (done.returncode, "in/a.csv is no folder" in done.stderr) == (1, True)


def test_a_file_that_drops_out_on_the_way_is_seen(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for name in ("a", "b", "c"):
        (tmp_path / f"{name}.csv").write_bytes(delimited(rows_of(2)))
    all_of_them = FilesSource.readings
    monkeypatch.setattr(FilesSource, "readings", lambda self: [*all_of_them(self)][:-1].__iter__())
    balance = table_of(tmp_path)[1]
    assert (balance.balanced, balance.wrong) == (False, ["2 of the 3 files are accounted for"])


def test_several_lists_of_a_document_are_one_source(tmp_path: Path) -> None:
    path = tmp_path / "d.json"
    document = {"of": {"orders": rows_of(3), "credits": rows_of(2, 3)}, "more": rows_of(1, 5)}
    path.write_text(json.dumps(document), encoding="utf-8")
    records = ["of.orders", "of.credits", "more"]
    found, balance = table_of(path, records=records)
    assert ([row[1] for row in found], balance.read) == ([0, 1, 2, 3, 4, 5, 15], 6)
    with pytest.raises(flatledger.SourceError, match=r"no records at `of\.credit`; did you mean"):
        table_of(path, records=["of.orders", "of.credit"])
    for wrong in (["of", "of.orders"], ["more", "more"]):
        with pytest.raises(
            flatledger.LayoutError, match=r"within another of them|names more twice"
        ):
            table_of(path, records=wrong)
