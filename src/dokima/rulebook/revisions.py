"""The folder of a rulebook as a commit of git has it, read by the git program itself; nothing is changed there."""

from __future__ import annotations

import io
import subprocess
import tarfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory

from dokima.errors import DokimaError

PREFIX = "git:"


@contextmanager
def version_folder(named: str, beside: Path) -> Iterator[Path]:
    """A folder, or for ``git:REV`` the folder as that commit has it, for as long as it is read.

    Args:
        named: A path, or ``git:`` and a revision.
        beside: The folder whose earlier state is meant, inside a repository.

    Raises:
        DokimaError: There is no git, no repository, or no such revision.
    """
    if not named.startswith(PREFIX):
        yield Path(named)
        return
    revision = named.removeprefix(PREFIX)
    # The words after --end-of-options are never taken for options, whatever stands in them.
    verified = _git(beside, "rev-parse", "--verify", "--quiet", "--end-of-options", f"{revision}^{{commit}}")
    commit = verified.decode().strip() if verified is not None else ""
    if not commit:
        raise DokimaError(f"there is no revision '{revision}' in the repository of {beside}")
    within = (_git(beside, "rev-parse", "--show-prefix") or b"").decode().strip().rstrip("/")
    top = (_git(beside, "rev-parse", "--show-toplevel") or b"").decode().strip()
    archive = _git(Path(top), "archive", "--format=tar", f"{commit}:{within}")
    if archive is None:
        raise DokimaError(f"revision '{revision}' has no folder {within or '.'}")
    with TemporaryDirectory(prefix="dokima-") as place:
        with tarfile.open(fileobj=io.BytesIO(archive)) as packed:
            packed.extractall(place, filter="data")
        yield Path(place)


def _git(folder: Path, *arguments: str) -> bytes | None:
    """What git says; None if it refuses.

    Raises:
        DokimaError: There is no git, or the folder is in no repository.
    """
    try:
        done = subprocess.run(["git", "-C", str(folder), *arguments], capture_output=True, check=False)
    except OSError as error:
        raise DokimaError(f"'{PREFIX}...' needs the git program ({error.strerror})") from None
    if done.returncode and b"not a git repository" in done.stderr:
        raise DokimaError(f"{folder} is in no git repository")
    return None if done.returncode else done.stdout
