"""The Python files of a rulebook: what lies beside one can be imported by it, and by nobody else."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


@contextmanager
def modules_beside(folder: Path) -> Iterator[None]:
    """Let the files of a folder be imported by their names while a file of it runs.

    Afterwards they are gone from the list of modules: another rulebook may have files of the same names.
    """
    names = {path.stem for path in folder.glob("*.py")} | {path.parent.name for path in folder.glob("*/__init__.py")}
    others = {name: sys.modules.pop(name) for name in _loaded(names)}
    place = str(folder.resolve())
    sys.path.insert(0, place)
    try:
        yield
    finally:
        sys.path.remove(place)
        for name in _loaded(names):
            del sys.modules[name]
        sys.modules.update(others)


def _loaded(names: set[str]) -> list[str]:
    return [name for name in sys.modules if name.partition(".")[0] in names]


def file_of(body: type, run_name: str, path: Path) -> Path | None:
    """The file of a rulebook that says a class; None for a class of somebody else's module.

    Args:
        body: The class.
        run_name: What the file that runs is called as a module.
        path: That file.
    """
    if body.__module__ == run_name:
        return path
    said = getattr(sys.modules.get(body.__module__), "__file__", None)
    if said is None or not Path(said).resolve().is_relative_to(path.parent.resolve()):
        return None
    return Path(said)
