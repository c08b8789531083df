"""The sample data and layouts of the Skerry Light Trust that ship with the package."""

from __future__ import annotations

from importlib.resources import as_file, files
from pathlib import Path
from typing import NamedTuple

LAYOUTS = {  # each with the source that it is for
    "requisition-lines.yaml": "requisitions.jsonl",
    "station-summary.yaml": "requisitions.jsonl",
    "requisitions-and-their-lines.yaml": "requisitions.jsonl",
    "stores-in-three-tables.yaml": "requisitions.jsonl",
    "part-summary.yaml": "requisitions.jsonl",
    "station-spending.yaml": "requisitions.jsonl",
    "period-requisitions.yaml": "requisitions.jsonl",
    "wanted-requisitions.yaml": "requisitions.jsonl",
    "word-search.yaml": "requisitions.jsonl",
    "options-as-columns.yaml": "requisitions.jsonl",
    "equipment-list.yaml": "equipment.json",
    "drill-register.yaml": "drills.json",
    "published-drill-register.yaml": "drills.json",
    "stores-count.yaml": "stores-count.csv",
    "lamp-assembly.yaml": "assemblies.json",
    "parts-to-order.yaml": "assemblies.json",
    "restoration-plan.yaml": "restoration-plan.json",
    "plan-differences.yaml": "restoration-plan.json",
    "requisitions-in-xml.yaml": "requisitions.xml",
    "lamp-assembly-in-xml.yaml": "assemblies.xml",
    "months-of-requisitions.yaml": "requisitions-by-month.zip",
    "catalogue.yaml": "catalogue.mrc",
    "shelf-list.yaml": "catalogue.mrc",
    "photographs.yaml": "photographs",
}
BESIDE = (  # what layouts name: lists, and a form
    *("wanted.txt", "stations.csv", "bays.csv", "equipment-fields.csv"),
    "parts-list.csv",
    "drill-form.xlsx",
    *("catalogue.xml", "catalogue-marc8.mrc"),
)


class Samples(NamedTuple):
    """What stands in a folder: each layout with its source, and the files that are not as ours."""

    runs: list[tuple[Path, Path]]
    different: list[Path]


def copy_to(folder: Path) -> Samples:
    """Copy the sample data and layouts into a folder. What is there already stays as it is."""
    folder.mkdir(parents=True, exist_ok=True)
    different = []
    with as_file(files(__name__)) as demo:
        sources = [demo / name for name in (*BESIDE, *sorted(set(LAYOUTS.values())))]
        ours = {file: folder / file.relative_to(demo) for one in sources for file in _files_of(one)}
        ours |= {demo / "layouts" / name: folder / name for name in LAYOUTS}
        for file, place in ours.items():
            place.parent.mkdir(exist_ok=True)
            if not _copied(file, place):
                different.append(place)
    runs = [(folder / name, folder / source) for name, source in LAYOUTS.items()]
    return Samples(runs, different)


def _files_of(source: Path) -> list[Path]:
    """A source, or the files in it if it is a folder."""
    return sorted(source.iterdir()) if source.is_dir() else [source]


def _copied(file: Path, place: Path) -> bool:
    """Copy a file to a place where there is none; False where something else is there."""
    try:
        with place.open("xb") as new:
            new.write(file.read_bytes())
    except FileExistsError:
        return place.is_file() and place.read_bytes() == file.read_bytes()
    return True
