"""The sample data and layouts of the Skerry Light Trust that ship with the package."""

from __future__ import annotations

import shutil
from importlib.resources import as_file, files
from pathlib import Path

SOURCE = "requisitions.jsonl"
LAYOUTS = (
    *("requisition-lines.yaml", "station-summary.yaml", "part-summary.yaml"),
    "station-spending.yaml",
)


def copy_to(folder: Path) -> tuple[Path, list[Path]]:
    """Copy the sample data and layouts into a folder; give the source and the layouts."""
    folder.mkdir(parents=True, exist_ok=True)
    with as_file(files(__name__)) as demo:
        shutil.copyfile(demo / SOURCE, folder / SOURCE)
        for name in LAYOUTS:
            shutil.copyfile(demo / "layouts" / name, folder / name)
    return folder / SOURCE, [folder / name for name in LAYOUTS]
