"""Several files, a process each: what goes wrong in one comes back as the error that it is."""

from __future__ import annotations

from concurrent.futures import ProcessPoolExecutor

import flatledger

LAYOUT = {"columns": [{"No": "no"}, {"Carriage": {"value": "carriage", "total": "sum"}}]}


def total_of(file: str) -> str:
    """What the carriage of a file adds up to."""
    return str(next(flatledger.table(LAYOUT, file).totals())[1])


if __name__ == "__main__":
    with ProcessPoolExecutor(2) as pool:
        good = pool.submit(total_of, "requisitions.jsonl")
        missing = pool.submit(total_of, "no-such-file.jsonl")
        print(good.result())
        try:
            missing.result()
        except FileNotFoundError as error:
            print(f"{type(error).__name__}: {error}")
