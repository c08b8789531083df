"""The web page in a real browser (`make test-browser`): what it shows, sorted, filtered and folded.

It is run where the environment variable FLATLEDGER_BROWSER names a Chromium; others skip it.
"""

from __future__ import annotations

import json
import os
import re
import subprocess
from html import unescape
from pathlib import Path
from typing import Any

import pytest

import flatledger

BROWSER = os.environ.get("FLATLEDGER_BROWSER", "")
pytestmark = pytest.mark.skipif(not BROWSER, reason="FLATLEDGER_BROWSER names no browser")
WAYS = (
    *("--headless", "--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-sync"),
    *("--disable-background-networking", "--disable-component-update", "--dump-dom"),
)
SHOWN = """
const shown = () => [...document.querySelectorAll("tbody tr")].filter((row) => !row.hidden)
  .map((row) => [...row.cells].map((cell) => cell.textContent));
"""


def in_browser(page: Path, steps: str) -> Any:
    """What the steps leave in `found`, after the page's own script has run."""
    end = "document.body.dataset.found = JSON.stringify(found);"
    code = f"<script>const found = []; {SHOWN} {steps}; {end}"
    copy = page.with_name("opened.html")
    copy.write_text(page.read_text(encoding="utf-8").replace("</body>", f"{code}</script></body>"))
    profile = page.with_name("profile")
    done = subprocess.run(
        [BROWSER, *WAYS, f"--user-data-dir={profile}", copy.as_uri()],
        capture_output=True,
        check=True,
        timeout=120,
    )
    text = re.search(r'data-found="([^"]*)"', done.stdout.decode())
    assert text is not None
    return json.loads(unescape(text[1]))


@pytest.fixture
def page(tmp_path: Path) -> Path:
    records = [
        *(
            {"s": "Brae", "n": n, "t": text}
            for n, text in ((10, "a <b>&\n c"), (9, "  two  blanks"))
        ),
        *({"s": "Corran", "n": n, "t": "=1+1"} for n in (2, 100, 30)),
    ]
    columns = [{"S": "s"}, {"N": {"value": "n", "total": "sum"}}, {"T": "t"}]
    layout = {"columns": columns, "group": ["S"], "sort": ["S"], "levels": []}
    flatledger.export(layout, records, tmp_path / "t.html")
    return tmp_path / "t.html"


def test_the_cells_are_those_that_were_written(page: Path) -> None:
    (found,) = in_browser(page, "found.push(shown())")
    assert found == [
        *(["Brae", "10", "a <b>&\n c"], ["Brae", "9", "  two  blanks"], ["Total Brae", "19", ""]),
        *(["Corran", str(n), "=1+1"] for n in (2, 100, 30)),
        *(["Total Corran", "132", ""], ["Grand total", "151", ""]),
    ]


def test_rows_are_sorted_within_their_groups_filtered_and_folded(page: Path) -> None:
    steps = """
      const numbers = () => shown().map((row) => row[1]);
      document.querySelectorAll("thead th button")[1].click(); found.push(numbers());
      document.querySelectorAll("thead th button")[1].click(); found.push(numbers());
      const input = document.querySelectorAll("thead input")[0];
      input.value = "corr"; input.dispatchEvent(new Event("input")); found.push(numbers());
      found.push(document.querySelector(".count").textContent);
      document.querySelector(".clear").click();
      document.querySelector("tr.total").click(); found.push(numbers());
      document.querySelector(".fold").click(); found.push(numbers());
      document.querySelector(".fold").click(); found.push(numbers().length);
    """
    assert in_browser(page, steps) == [
        ["9", "10", "19", "2", "30", "100", "132", "151"],
        ["10", "9", "19", "100", "30", "2", "132", "151"],
        ["19", "100", "30", "2", "132", "151"],
        "3 of 5 rows shown; totals are of all rows",
        ["19", "100", "30", "2", "132", "151"],
        ["19", "132", "151"],
        8,
    ]
