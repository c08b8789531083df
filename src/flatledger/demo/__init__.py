"""The sample data and layouts of the Skerry Light Trust that ship with the package."""

from __future__ import annotations

import shutil
from importlib.resources import as_file, files
from pathlib import Path

LAYOUTS = {  # each with the source that it is for
    "requisition-lines.yaml": "requisitions.jsonl",
    "station-summary.yaml": "requisitions.jsonl",
    "part-summary.yaml": "requisitions.jsonl",
    "station-spending.yaml": "requisitions.jsonl",
    "period-requisitions.yaml": "requisitions.jsonl",
    "wanted-requisitions.yaml": "requisitions.jsonl",
    "word-search.yaml": "requisitions.jsonl",
    "options-as-columns.yaml": "requisitions.jsonl",
    "equipment-list.yaml": "equipment.json",
    "drill-register.yaml": "drills.json",
    "published-drill-register.yaml": "drills.json",
}
BESIDE = (  # what layouts name: lists, and a form
    *("wanted.txt", "stations.csv", "bays.csv", "equipment-fields.csv"),
    "drill-form.xlsx",
)


def copy_to(folder: Path) -> list[tuple[Path, Path]]:
    """Copy the sample data and layouts into a folder; give each layout with its source."""
    folder.mkdir(parents=True, exist_ok=True)
    with as_file(files(__name__)) as demo:
        for source in (*BESIDE, *set(LAYOUTS.values())):
            shutil.copyfile(demo / source, folder / source)
        for name in LAYOUTS:
            shutil.copyfile(demo / "layouts" / name, folder / name)
    return [(folder / name, folder / source) for name, source in LAYOUTS.items()]
