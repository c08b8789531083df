"""Random layouts against what they mean by definition: rows, tables, tables of groups."""

from __future__ import annotations

import random
from pathlib import Path

from tests.by_definition import check_groups, check_rows, check_table


def run(seed: int, folder: Path) -> str:
    """One case; what came of it."""
    check = (check_rows, check_table, check_groups)[seed % 3]
    return check(random.Random(seed))
