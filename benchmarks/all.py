"""Run every benchmark, one after the other, and keep what they found in ``results.json``.

The table in ``README.md`` is made from that file: ``python benchmarks/all.py --table`` makes it again without running
anything.
"""

from __future__ import annotations

import argparse
import datetime
import json
import os
import platform
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path
from typing import Any

from measuring import Case, said

HERE = Path(__file__).parent
RESULTS = HERE / "results.json"
BENCHMARKS = (
    "first_slice",
    "rules",
    "prices",
    "routine",
    "files",
    "shapes",
    "output",
    "changes",
    "change_orders",
    "editing",
    "sheets",
    "databases",
    "proving",
)
LIBRARIES = (
    "numpy",
    "pyarrow",
    "pandas",
    "polars",
    "duckdb",
    "dask",
    "SQLAlchemy",
    "psycopg",
    "openpyxl",
    "python-calamine",
)
BEGIN, END = "<!-- results.json -->\n", "<!-- end of results.json -->\n"


def machine() -> dict[str, Any]:
    """What a reader needs to know about where it ran."""
    memory = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") / 2**30
    return {
        "system": platform.system(),
        "processor": platform.machine(),
        "cores": os.cpu_count(),
        "memory_gb": round(memory),
    }


def versions() -> dict[str, str]:
    """Versions of Python and of the libraries measured, ours first."""
    found = {"dokima": version("dokima"), "Python": platform.python_version()}
    for name in LIBRARIES:
        try:
            found[name] = version(name)
        except PackageNotFoundError:
            found[name] = "not installed"
    return found


def run(names: Sequence[str], arguments: list[str]) -> None:
    """Run benchmarks, each in a process of its own with two threads for every peer; keep what each found at once."""
    results = []
    with tempfile.TemporaryDirectory() as folder:
        for name in names:
            out = Path(folder) / f"{name}.json"
            command = [sys.executable, str(HERE / f"{name}.py"), "--json", str(out), *arguments]
            print(f"-- {name}", flush=True)
            if subprocess.run(command, check=False, env={**os.environ, "POLARS_MAX_THREADS": "2"}).returncode:
                raise SystemExit(f"{name} failed; nothing is kept")
            results += [{"benchmark": name, **case} for case in json.loads(out.read_text())]
            keep(results)


def keep(found: Sequence[dict[str, Any]]) -> None:
    """Put what was found in the place of what is kept of the same benchmarks."""
    kept = json.loads(RESULTS.read_text(encoding="utf-8"))["cases"] if RESULTS.exists() else []
    fresh = {case["benchmark"] for case in found}
    cases = [case for case in kept if case["benchmark"] in set(BENCHMARKS) - fresh] + list(found)
    cases.sort(key=lambda case: BENCHMARKS.index(case["benchmark"]))
    day = datetime.date.today().isoformat()
    results = {"day": day, "machine": machine(), "versions": versions(), "threads": 2, "cases": cases}
    RESULTS.write_text(json.dumps(results, indent=1) + "\n", encoding="utf-8")


def table(results: dict[str, Any]) -> str:
    """What was found as a table of Markdown."""
    about = results["machine"]
    libraries = ", ".join(f"{name} {number}" for name, number in results["versions"].items())
    lines = [
        f"Measured on {results['day']}: {about['cores']} cores, {about['memory_gb']} GB, {about['system']}, two threads for "
        f"every side; {libraries}. Medians of interleaved runs, with ranges.",
        "",
        "| what | side | time | memory | against ours |",
        "|---|---|---|---|---|",
    ]
    for found in results["cases"]:
        case = Case(**{name: found[name] for name in ("what", "seconds", "memory", "differing", "notes")})
        first = next(iter(case.seconds))
        for side, seconds in case.seconds.items():
            memory = f"{case.memory[side] / 2**30:.2f} GB" if side in case.memory else ""
            ratio = "" if side == first else f"{case.ratio(side):.2f}"
            wrong = f"; {case.differing[side]:,} answers differ" if case.differing.get(side) else ""
            what = case.what + (f" ({case.notes})" if case.notes else "") if side == first else ""
            lines.append(f"| {what} | {side} | {said(seconds)}{wrong} | {memory} | {ratio} |")
    return "\n".join(lines) + "\n"


def write_table(results: dict[str, Any]) -> None:
    """Put the table into the README of this folder, between its two marks."""
    path = HERE / "README.md"
    before, _, rest = path.read_text(encoding="utf-8").partition(BEGIN)
    path.write_text(before + BEGIN + table(results) + END + rest.partition(END)[2], encoding="utf-8")


def main() -> None:
    given = argparse.ArgumentParser(description=__doc__)
    given.add_argument(
        "--only", nargs="*", choices=BENCHMARKS, default=BENCHMARKS, help="what is kept of the others stays"
    )
    given.add_argument("--table", action="store_true", help="only make the table again")
    asked, arguments = given.parse_known_args()
    if not asked.table:
        run(asked.only, arguments)
    write_table(json.loads(RESULTS.read_text(encoding="utf-8")))


if __name__ == "__main__":
    main()
