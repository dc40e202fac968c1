"""Cases into a file of cases: put behind those that stand there."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import Any

import tomlkit
from tomlkit.items import Table

from dokima.errors import DokimaError
from dokima.formats.regular_files import text_of
from dokima.formats.whole_files import write_whole
from dokima.proving.cases import Case
from dokima.proving.suggested_cases import entry_of
from dokima.rulebook.toml_writing import toml_value


def add_cases(path: str | Path, cases: Iterable[Case]) -> None:
    """Put cases into a file behind those that stand there; the file and its folder are made if they are missing.

    Args:
        path: The file, ``cases/x.toml``.
        cases: The cases.

    Raises:
        DokimaError: It is no ``.toml`` file, or it cannot be read or written.
    """
    target = Path(path)
    if target.suffix != ".toml":
        raise DokimaError(f"expected a .toml file for cases (got '{target}')")
    try:
        there = text_of(target) if target.exists() else ""
        target.parent.mkdir(parents=True, exist_ok=True)
    except (OSError, UnicodeDecodeError) as error:
        raise DokimaError(f"'{target}' cannot be written: {getattr(error, 'strerror', None) or error}") from None
    told = [there.rstrip() + "\n"] if there.strip() else []
    write_whole(target, "\n".join([*told, *(case_text(each) for each in cases)]))


def case_text(case: Case) -> str:
    """One case as TOML."""
    entry = tomlkit.table()
    for name, value in entry_of(case).items():
        entry.add(name, _expected(value) if name == "expect" else toml_value(value))
    document = tomlkit.document()
    document.add("case", tomlkit.aot())
    document["case"].append(entry)
    return tomlkit.dumps(document)


def _expected(values: Mapping[str, Any]) -> Table:
    """Expectations, a path such as ``line.10.price`` written as its parts, as people write it."""
    table = tomlkit.table()
    for name, value in values.items():
        table.add(tomlkit.key(name.split(".")) if "." in name else name, toml_value(value))
    return table
