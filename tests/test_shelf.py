"""The shelf, layouts that start from others, and lists that conditions look up."""

from __future__ import annotations

import json
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

import flatledger
from flatledger import Layout, LayoutError, Shelf, ShelfError
from tests.conftest import Tool

BASE = """\
about: The base
row-per: lines
columns:
  - No: no
  - Part: lines.part
  - Amount: {value: lines.qty * lines.each, decimals: 2, total: sum}
  - Checked by:
only: [status = 'sent']
group: [No]
totals: {grand-total: yes, label: "Sum of {group}"}
"""
RECORDS = [
    {"no": "A1", "status": "sent", "lines": [{"part": "wick", "qty": 2, "each": 3}]},
    {"no": "A2", "status": "draft", "lines": [{"part": "lens", "qty": 1, "each": 9}]},
    {"no": "A3", "status": "sent", "lines": [{"part": "lamp", "qty": 4, "each": 1}]},
]


def write(folder: Path, **texts: str) -> None:
    for name, text in texts.items():
        path = folder / name.replace("__", "/").replace("_", ".")
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text, encoding="utf-8")


def problems(path: Path, shelf: Shelf) -> str:
    with pytest.raises(LayoutError) as caught:
        Layout.from_file(path, shelf)
    return str(caught.value)


def test_a_layout_says_only_what_differs_from_another(tmp_path: Path) -> None:
    write(tmp_path, shelf__layouts__base_yaml=BASE, shelf__conditions__first_yaml="only: no < 'A3'")
    write(
        tmp_path,
        own_yaml="""\
from: base
leave-out: [Checked by]
columns:
  - No
  - Quantity: lines.qty
  - Price: lines.each
  - Amount: {decimals: 0}
  - Last: {text: x}
only: [{use: first}, lines.qty > 0]
totals: {grand-total: no}
""",
    )
    shelf = Shelf([tmp_path / "shelf"])
    layout = Layout.from_file(tmp_path / "own.yaml", shelf)
    assert layout.headings == ("No", "Quantity", "Price", "Part", "Amount", "Last")
    assert (layout.name, layout.request.about) == ("own", "")
    assert [one.value.text for one in layout.request.conditions] == [
        *("status = 'sent'", "no < 'A3'", "lines.qty > 0"),
    ]
    rows = list(flatledger.table(layout, RECORDS).rows(totals=True))
    assert [tuple(map(str, row)) for row in rows] == [
        ("A1", "2", "3", "wick", "6", "x"),
        ("Sum of A1", "None", "None", "None", "6", "None"),
    ]
    again = Layout.from_text(layout.to_text())
    assert list(flatledger.table(again, RECORDS).rows(totals=True)) == rows
    grouped = layout.with_changes(
        {"row-per-group": ["no"], "columns": [{"Amount": "sum(lines.qty)"}], "leave-out": []}
    )
    assert grouped.request.row_per == ()
    assert grouped.request.group == ()


@pytest.mark.parametrize(
    ("own", "told"),
    [
        ("leave-out: [B]\ncolumns: [{A: x}, {B: y}]", "line 3, column 19: `B` stands under"),
        ("leave-out: [B]\ncolumns: [B, {A: x}]", "`B` stands under `leave-out` too"),
        ("columns: [{B: x}, {B: {decimals: 2}}]", "line 2, column 19: the heading `B` comes twice"),
        ("columns: [{D: x}, {D: y}]", "the heading `D` comes twice"),
        ("only: [a > 1]\nonly: [a > 2]", "line 3, column 1: `only` comes twice"),
        ("from: double\ncolumns: [{B: x}]", "double.yaml: line 1, column 27: the heading `B`"),
    ],
)
def test_nothing_that_was_said_of_a_column_is_dropped(tmp_path: Path, own: str, told: str) -> None:
    write(
        tmp_path,
        shelf__layouts__base_yaml="columns: [{A: a}, {B: b}]\nonly: [b > 0]",
        shelf__layouts__double_yaml="columns: [{A: a}, {B: b}, {B: c}]",
        own_yaml=own if own.startswith("from") else f"from: base\n{own}",
    )
    assert told in problems(tmp_path / "own.yaml", Shelf([tmp_path / "shelf"]))


def test_the_faults_of_a_layout_put_together_have_their_own_places(tmp_path: Path) -> None:
    shelf = Shelf([tmp_path / "shelf"])
    write(tmp_path, base_yaml=BASE, bad_yaml="columns:\n  - A: a +\n")
    write(tmp_path, own_yaml="from: bad.yaml\ncolumns: [{B: b *}]\n")
    text = problems(tmp_path / "own.yaml", shelf)
    assert f"{tmp_path / 'bad.yaml'}: line 2, column 11: column `A`" in text
    assert f"{tmp_path / 'own.yaml'}: line 1, column 1" not in text
    assert f"{tmp_path / 'own.yaml'}: line 2, column 18: column `B`" in text
    for layout, says in {
        "from: base.yaml\ncolumns: [Amunt]": "line 2, column 11: no column `Amunt`; did you mean "
        "`Amount`?",
        "from: base.yaml\nleave-out: [Parts]": "no column `Parts` to leave out; did you mean",
        "from: own.yaml": "in a circle: own → own",
        "from: bsae": "no layout `bsae` on the shelf; did you mean `base`?",
        "from: ../own.yaml": "beside or below itself only",
        "from: base.yaml\nfrom: base.yaml": "`from` comes twice",
        "columns: [A: a]\nleave-out: [A]": "no key `leave-out` in a layout",
        "columns: [A: a]\nonly: [{use: gone}]": "line 2, column 14: no conditions `gone`",
        "columns: [A: a]\nonly: [a in list('gone')]": "column 8: no list `gone` on the shelf",
        "columns: [A: a in list('x.txt')]": "x.txt: the file can't be read: No such file",
    }.items():
        write(tmp_path, own_yaml=layout, shelf__layouts__base_yaml=BASE)
        assert says in problems(tmp_path / "own.yaml", shelf)


def test_lists_are_looked_up_and_what_is_not_met_is_told(tmp_path: Path) -> None:
    write(tmp_path, shelf__lists__wanted_txt="\ufeffA3\r\n\n A1 \nA1\nA9\n")
    write(tmp_path, codes_csv='Name;"Code no";x\nfirst;A1;\n"two\nlines";A2;\nshort;;\n')
    write(
        tmp_path,
        own_yaml="""\
columns:
  - No: no
  - Known: no in list('codes.csv', 'Code no')
  - Named: name in list('codes.csv')
only: [no in list('wanted')]
""",
    )
    layout = Layout.from_file(tmp_path / "own.yaml", Shelf([tmp_path / "shelf"]))
    rows = flatledger.table(layout, [*RECORDS, {"no": "A1", "name": "two\nlines"}, {"x": 1}])
    assert list(rows) == [
        *(("A1", True, None), ("A3", False, None), ("A1", True, True)),
    ]
    balance = rows.balance
    assert [(one.name, one.values, one.first_unmet) for one in balance.lists] == [
        ("codes.csv", 2, ["A2"]),
        ("codes.csv", 3, ["first", "short"]),
        ("wanted", 3, ["A9"]),
    ]
    assert balance.conditions[0].unknown == 1


def test_what_is_put_on_the_shelf_is_checked_and_the_former_is_kept(tmp_path: Path) -> None:
    shelf = Shelf([tmp_path / "mine", tmp_path / "team"])
    write(tmp_path, base_yaml=BASE, part_yaml="only: [a = ]", ids_txt="A1\n", bad_yaml="columns:")
    shelf.put(tmp_path / "base.yaml")
    with pytest.raises(ShelfError, match="is on the shelf already"):
        shelf.put(tmp_path / "base.yaml")
    for name in ("part", "bad"):
        with pytest.raises(LayoutError):
            shelf.put(tmp_path / f"{name}.yaml")
    with pytest.raises(ShelfError, match="can't be a name"):
        shelf.put(tmp_path / "base.yaml", "../base")
    write(tmp_path, base_yaml=BASE.replace("The base", "Another"))
    shelf.put(tmp_path / "base.yaml", replace=True)
    shelf.put(tmp_path / "ids.txt", "base")
    write(tmp_path, team__layouts__base_yaml=BASE, team__layouts__broken_yaml="a: [")
    assert [(one.name, one.category, one.about[:13], one.hidden) for one in shelf.entries()] == [
        *(("base", "layout", "Another", False), ("base", "layout", "The base", True)),
        *(("broken", "layout", "(can't be use", False), ("base", "list", "1 values", False)),
    ]
    (former,) = (tmp_path / "mine" / "layouts" / "former").iterdir()
    assert "The base" in former.read_text(encoding="utf-8")
    with pytest.raises(ShelfError, match="is the name of layout and list; say which"):
        shelf.get("base")
    assert "Another" in shelf.get("base", "layout")
    kept = shelf.remove("base", "layout")
    assert "Another" in kept.read_text(encoding="utf-8")
    assert "The base" in shelf.get("base", "layout")
    with pytest.raises(ShelfError, match="shared shelf"):
        shelf.remove("base", "layout")


def test_no_version_is_lost_when_several_are_put_at_once(tmp_path: Path) -> None:
    shelf, count = Shelf([tmp_path / "shelf"]), 24
    for i in range(count):
        suffix = "yaml" if i % 3 else "yml"
        (tmp_path / f"own-{i}.{suffix}").write_text(f"about: v{i}\ncolumns: [A: a]\n")
    with ThreadPoolExecutor(8) as pool:
        files = sorted(tmp_path.glob("own-*"))
        list(pool.map(lambda file: shelf.put(file, "own", replace=True), files))
    folder = tmp_path / "shelf" / "layouts"
    kept = [*folder.glob("own*"), *folder.glob("former/own*")]
    assert {file.read_text().split()[1] for file in kept} == {f"v{i}" for i in range(count)}
    assert len([*folder.glob("own*")]) == 1


def test_the_shelf_from_the_command_line(tool: Tool, demo: Path) -> None:
    team, other = demo / "team", demo / "other"
    write(demo, team__layouts__shared_yaml=BASE, other__lists__ids_txt="R-0002\n")
    write(demo, home__CONFIG__flatledger__settings_yaml=f"shelves: [{other}]\n")
    done = tool("shelf", "put", "requisition-lines.yaml")
    assert done.returncode == 0
    assert tool("shelf", "put", "requisition-lines.yaml").returncode == 1
    assert tool("shelf", "put", "requisition-lines.yaml", "--replace").returncode == 0
    listed = tool("shelf", FLATLEDGER_SHELVES=str(team)).stdout.splitlines()
    assert [line.split()[0] for line in listed] == ["name", "requisition-lines", "shared", "ids"]
    found = json.loads(tool("shelf", "--json").stdout)
    assert [entry["name"] for entry in found] == ["requisition-lines", "ids"]
    arguments = ("requisition-lines", "requisitions.jsonl", "-q", "-o")
    assert tool("export", *arguments, "out.csv", "--only", "no in list('ids')").returncode == 0
    assert (demo / "out.csv").read_text(encoding="utf-8").count("R-0002") == 3
    saving = ("--save", "few", "--only", "no < 'R-0003'", "--sort", "Part")
    assert tool("export", *arguments, "one.csv", *saving).returncode == 0
    again = tool("export", *arguments, "two.csv", *saving)
    assert "`few` is on the shelf already" in again.stderr
    assert not (demo / "two.csv").exists()
    assert tool("export", "few", *arguments[1:], "two.csv").returncode == 0
    assert (demo / "one.csv").read_bytes() == (demo / "two.csv").read_bytes()
    assert "no < 'R-0003'" in tool("shelf", "get", "few").stdout
    assert tool("shelf", "remove", "few").returncode == 0
    assert "did you mean" in tool("export", "requisition-lins", "requisitions.jsonl").stderr


@pytest.mark.parametrize(
    "name", ["requisition-lines", "station-summary", "part-summary", "station-spending"]
)
def test_a_layout_written_out_again_gives_the_same_table(demo: Path, name: str) -> None:
    layout = Layout.from_file(demo / f"{name}.yaml")
    again = Layout.from_text(layout.to_text())
    for one, to in ((layout, "one"), (again, "two")):
        flatledger.export(one, demo / "requisitions.jsonl", demo / to)
    assert (demo / "one").read_bytes() == (demo / "two").read_bytes()


def test_a_list_can_be_tried(tool: Tool, demo: Path) -> None:
    (demo / "ids.txt").write_text("R-0002\n")
    done = tool("try", "no in list('ids.txt')", "requisitions.jsonl", "--first", "2")
    assert [line.split()[1] for line in done.stdout.splitlines()[1:]] == ["false", "true"]
    done = tool("try", "no in list('gone')", "requisitions.jsonl")
    assert done.returncode == 1
    assert "no list `gone` on the shelf" in done.stderr
    assert "Traceback" not in done.stderr


def test_a_layout_takes_its_files_along_or_finds_them_on_the_shelf(
    tool: Tool, tmp_path: Path
) -> None:
    (tmp_path / "wanted.txt").write_text("R1\n")
    (tmp_path / "s.jsonl").write_text('{"no": "R1"}\n{"no": "R2"}\n')
    text = "columns: [{No: no}]\nonly: [\"no in list('wanted.txt')\"]\n"
    (tmp_path / "job.yaml").write_text(f"layout: monthly\n{text}")
    (tmp_path / "other.yaml").write_text(text)
    refused = tool("shelf", "put", "job.yaml")
    assert (refused.returncode, "(--with-files)" in refused.stderr) == (1, True)
    put = tool("shelf", "put", "job.yaml", "--with-files")
    assert "Saved as `monthly` on your shelf" in put.stderr
    assert tool("shelf", "put", "wanted.txt").returncode == 0
    assert tool("shelf", "put", "other.yaml").returncode == 0
    for name in ("job.yaml", "other.yaml", "wanted.txt"):
        (tmp_path / name).unlink()
    for name in ("monthly", "other"):
        assert tool("export", name, "s.jsonl").stdout.split() == ["No", "R1"]
    assert "did you mean `monthly`?" in tool("export", "montly", "s.jsonl").stderr
    assert "did you mean `monthly`?" in tool("shelf", "get", "montly").stderr
    assert "Removed `monthly` from the shelf" in tool("shelf", "remove", "monthly").stderr
    kept = ("export", "s.jsonl", "--column", "no", "--save", "other")
    assert "have it replaced (--replace)" in tool(*kept).stderr
    assert tool(*kept, "--replace").returncode == 0
