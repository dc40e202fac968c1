"""The plugin of pytest: each case of a rulebook is a test with its own name."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pytest

if TYPE_CHECKING:
    from dokima import CaseFolder, Outcome, Rulebook

KINDS = (".toml", ".csv", ".xlsx")


def pytest_addoption(parser: pytest.Parser) -> None:
    """One setting: whether cases are collected."""
    parser.addini("dokima_cases", "collect the cases/ of folders that hold a rulebook.toml", type="bool", default=False)


def pytest_collect_file(file_path: Path, parent: pytest.Collector) -> pytest.Collector | None:
    """Files of cases, where somebody asked for them."""
    is_case = file_path.parent.name == "cases" and file_path.suffix.lower() in KINDS
    if not is_case or not parent.config.getini("dokima_cases"):
        return None
    if not (file_path.parent.parent / "rulebook.toml").is_file():
        return None
    return CaseFile.from_parent(parent, path=file_path)


_PROVED = pytest.StashKey[dict[Path, "dict[str, Outcome]"]]()


class CaseFile(pytest.File):
    """A file of cases."""

    def collect(self) -> Iterator[pytest.Item]:
        """A test for each case."""
        from dokima import CaseFolder, DokimaError

        try:
            folder = CaseFolder(self.path.parent.parent)
        except DokimaError as error:
            raise self.CollectError(str(error)) from None
        for case in folder.cases:
            if case.file == f"cases/{self.path.name}":
                yield CaseItem.from_parent(self, name=case.name, folder=folder, row=case.row)


class CaseNotMet(Exception):
    """A case did not come out as it was expected."""


class CaseItem(pytest.Item):
    """A case as a test."""

    def __init__(self, *, folder: CaseFolder, row: int | None, **given: Any) -> None:
        super().__init__(**given)
        self.folder = folder
        self.row = row

    def runtest(self) -> None:
        """Compare what came with what is expected; all cases of a folder run at once, when the first is asked for."""
        from dokima import told_outcome

        kept = self.session.stash.setdefault(_PROVED, {})
        if self.folder.folder not in kept:
            kept[self.folder.folder] = {each.case.name: each for each in self.folder.prove().outcomes}
        outcome = kept[self.folder.folder][self.name]
        if not outcome.passed:
            raise CaseNotMet(told_outcome(outcome))
        if not outcome.is_confirmed:
            pytest.skip("recorded, and confirmed by nobody")

    def repr_failure(self, excinfo: pytest.ExceptionInfo[BaseException], style: Any = None) -> Any:
        """What was expected and what came, without the frames of Dokima."""
        if isinstance(excinfo.value, CaseNotMet):
            return f"case '{self.name}'\n{excinfo.value}"
        return super().repr_failure(excinfo, style)

    def reportinfo(self) -> tuple[Path, int | None, str]:
        """Where it stands."""
        return self.path, None if self.row is None else self.row - 1, f"case: {self.name}"


@pytest.fixture
def dokima_book(request: pytest.FixtureRequest) -> Rulebook:
    """The rulebook of the folder of a test, or of the nearest one above it."""
    from dokima import load

    for folder in request.path.parents:
        if (folder / "rulebook.toml").is_file():
            return load(folder)
    raise pytest.UsageError(f"there is no rulebook.toml above {request.path}")
