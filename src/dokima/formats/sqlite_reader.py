"""Reads what a query of SQLite gives, in a process of its own, which `queries` runs and ends if it takes too long.

One long function is one step to SQLite, which nothing in its own process can interrupt. Only the standard library is
used, so that it starts quickly. What is asked for comes in as JSON, and rows go out as pickles, a thousand at a time.
"""

from __future__ import annotations

import json
import pickle
import sqlite3
import sys


def read(asked: dict[str, object]) -> None:
    """Write the headings and the rows of a query, or one text that says what is wrong."""
    out = sys.stdout.buffer
    try:
        base = sqlite3.connect(str(asked["uri"]), uri=True, timeout=float(str(asked["timeout"])))
        base.execute("PRAGMA query_only = ON")
        found = base.execute(str(asked["query"]), asked["parameters"])  # type: ignore[arg-type]
        pickle.dump([each[0] for each in found.description], out)
        while rows := found.fetchmany(1000):
            pickle.dump(rows, out)
    except (sqlite3.Error, sqlite3.Warning, MemoryError, OverflowError, ValueError) as error:
        pickle.dump(str(error) or type(error).__name__, out)
    out.flush()


if __name__ == "__main__":
    read(json.load(sys.stdin))
