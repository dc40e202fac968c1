"""What Dokima depends on: what each library is for, its licence, and the version that was tested.

    python .ci/dependencies.py > docs/dependencies.md     writes the page
    python .ci/dependencies.py --check                    compares it with what is declared and installed

The check fails if a library is declared and not on the page, or on the page and not declared, if its licence is another
by now, or if what is installed is older than what is declared. Newer versions than those on the page are only named.
"""

from __future__ import annotations

import re
import sys
import tomllib
from importlib.metadata import PackageNotFoundError, metadata
from pathlib import Path

ROOT = Path(__file__).parent.parent
PAGE = ROOT / "docs" / "dependencies.md"
FOR = {
    "alembic": "adds columns to the tables of a store",
    "babel": "numbers, dates and words of other languages",
    "filelock": "one writer of a folder at a time",
    "jinja2": "pages of reports and specifications",
    "numpy": "columns of numbers, dates and codes",
    "openpyxl": "writes workbooks",
    "orjson": "writes JSON",
    "pandas": "takes and gives data frames",
    "pyarrow": "Arrow, Parquet and CSV",
    "pydantic": "checks the settings of a rulebook, and makes their JSON Schema",
    "python-calamine": "reads workbooks",
    "rich": "tables and bars in a terminal",
    "sqlalchemy": "SQLite and PostgreSQL: stores, and the rows of a rulebook's sources",
    "tomlkit": "writes TOML, comments kept",
    "typer": "the command line",
    "matplotlib": "charts, and the font of PDF files",
    "reportlab": "PDF files",
    "distributed": "workers of a Dask cluster",
    "psycopg": "the driver of PostgreSQL",
    "watchfiles": "proves cases again when a file changes",
    "python-docx": "specifications as DOCX",
    "pillow": "diagrams in DOCX",
    "hypothesis": "tests: properties",
    "jsonschema": "tests: documents beside their schemas",
    "pypdf": "tests: reads the PDF files that are written",
    "pytest": "tests",
    "pytest-cov": "tests: which lines are reached",
    "pytest-xdist": "tests: on several processors",
    "furo": "the look of the documentation",
    "myst-parser": "documentation in Markdown",
    "sphinx": "makes the documentation",
    "import-linter": "holds the layers",
    "mypy": "checks types",
    "types-openpyxl": "types of openpyxl",
    "pandas-stubs": "types of pandas",
    "ruff": "linter and formatter",
    "duckdb": "benchmarks: a peer",
    "polars": "benchmarks: a peer",
}
SPELLED = {
    "apache software license": "Apache-2.0",
    "apache 2.0": "Apache-2.0",
    "apache license, version 2.0": "Apache-2.0",
    "bsd license": "BSD-3-Clause",
    "bsd": "BSD-3-Clause",
    "bsd 3-clause license": "BSD-3-Clause",
    "mit license": "MIT",
    "the mit license (mit)": "MIT",
    "mozilla public license 2.0 (mpl 2.0)": "MPL-2.0",
    "gnu lesser general public license v3 (lgplv3)": "LGPL-3.0-only",
    "python software foundation license": "PSF-2.0",
}
"""Licences as packages call them, and their names in the SPDX list."""
_REQUIREMENT = re.compile(r"([A-Za-z0-9._-]+)(?:\[[^\]]*\])?\s*>=\s*([0-9.]+)")


def declared() -> dict[str, tuple[str, str]]:
    """The least version and the extra of each library that pyproject.toml names."""
    project = tomllib.loads((ROOT / "pyproject.toml").read_text(encoding="utf-8"))["project"]
    sections = {"": project["dependencies"], **project["optional-dependencies"]}
    found: dict[str, tuple[str, str]] = {}
    for extra, wanted in sections.items():
        for each in wanted:
            if (said := _REQUIREMENT.fullmatch(each)) is not None:
                name = said[1].lower()
                before = found.get(name, ("", ""))[1]
                extras = ", ".join(filter(None, [before, extra]))
                found[name] = (said[2], extras)
    return found


def licence(name: str) -> str:
    """The licence of an installed library, by its name in the SPDX list where that is known; blank if it says none."""
    about = metadata(name)
    if said := about.get("License-Expression"):
        return said
    said_of = about.get_all("Classifier") or ()
    classified = [each.rpartition(" :: ")[2] for each in said_of if each.startswith("License")]
    told = next((each for each in classified if each != "OSI Approved"), "") or (about.get("License") or "")
    told = told.strip().partition("\n")[0]
    return SPELLED.get(told.lower(), told)


def rows() -> dict[str, tuple[str, str, str, str, str]]:
    """For each library its extra, least version, the version that is installed, licence, and what it is for.

    Raises:
        SystemExit: Nobody has said what one is for.
    """
    known = declared()
    for name in known:
        if name not in FOR:
            sys.exit(f"{name}: say in .ci/dependencies.py what it is for")
    if gone := sorted(set(FOR) - set(known)):
        sys.exit(f"{', '.join(gone)}: no dependency any more; take it out of .ci/dependencies.py")
    found = {}
    for name, (least, extra) in known.items():
        try:
            found[name] = (extra, least, metadata(name)["Version"], licence(name), FOR[name])
        except PackageNotFoundError:
            found[name] = (extra, least, "", "", FOR[name])
    return found


def page() -> str:
    """The page."""
    lines = [
        "# Dependencies",
        "",
        "Made by `python .ci/dependencies.py`, checked by `.ci/run`. Known vulnerabilities are listed on the network,",
        "which the build must not need: look them up with a tool of your choice, against what you install.",
        "",
        "| library | extra | at least | tested | licence | for |",
        "| --- | --- | --- | --- | --- | --- |",
    ]
    for name, (extra, least, tested, said, what) in rows().items():
        lines.append(f"| {name} | {extra} | {least} | {tested} | {said} | {what} |")
    return "\n".join([*lines, ""])


def number(version: str) -> tuple[int, ...]:
    """A version as numbers."""
    return tuple(map(int, re.findall(r"\d+", version)[:3]))


def check() -> int:
    """Say what differs; 1 if something is wrong."""
    told = {}
    for line in PAGE.read_text(encoding="utf-8").splitlines():
        cells = [cell.strip() for cell in line.strip("|").split("|")]
        if len(cells) == 6 and cells[0] in FOR:
            told[cells[0]] = cells
    wrong = 0
    for name, (extra, least, installed, said, what) in rows().items():
        if name not in told or told[name][1:3] != [extra, least] or told[name][5] != what:
            print(f"{name}: docs/dependencies.md is not what is declared; make it anew")
            wrong += 1
            continue
        if not installed:
            continue
        if number(installed) < number(least):
            print(f"{name}: {installed} is installed, and at least {least} is declared")
            wrong += 1
        if said != told[name][4]:
            print(f"{name}: the licence is {said or 'not said'}, and {told[name][4] or 'none'} on the page")
            wrong += 1
        if installed != told[name][3]:
            print(f"{name}: {installed} is tested now, and {told[name][3]} on the page")
    if gone := set(told) - set(rows()):
        print(f"{', '.join(sorted(gone))}: on docs/dependencies.md, and not declared")
        wrong += 1
    return min(wrong, 1)


if __name__ == "__main__":
    if sys.argv[1:] == ["--check"]:
        sys.exit(check())
    sys.stdout.write(page())
