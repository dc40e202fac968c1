"""The command line as a test calls it: in this process, with its own folder, width and user."""

from __future__ import annotations

import contextlib
import io
import os
import subprocess
import sys
from pathlib import Path
from unittest import mock

from dokima.__main__ import run_app


def run_here(folder: Path, *arguments: object, width: int = 120) -> tuple[int, str, str]:
    """Exit status, standard output and standard error of ``dokima`` run in this process."""
    out, err, status = io.StringIO(), io.StringIO(), 0
    settings = {"COLUMNS": str(width), "USER": "ada", "LOGNAME": "ada"}
    with (
        contextlib.chdir(folder),
        mock.patch.dict(os.environ, settings),
        contextlib.redirect_stdout(out),
        contextlib.redirect_stderr(err),
    ):
        try:
            run_app([str(each) for each in arguments])
        except SystemExit as end:
            status = int(end.code or 0)
    assert "Traceback" not in err.getvalue()
    assert "a defect in Dokima itself" not in err.getvalue()
    return status, out.getvalue(), err.getvalue()


def run_process(folder: Path, *arguments: object, width: int = 120) -> tuple[int, str, str]:
    """The same in a process of its own."""
    done = subprocess.run(
        [sys.executable, "-m", "dokima", *map(str, arguments)],
        cwd=folder, capture_output=True, text=True, encoding="utf-8", check=False,
        env={**os.environ, "COLUMNS": str(width), "USER": "ada", "PYTHONIOENCODING": "utf-8"},
    )  # fmt: skip
    assert "Traceback" not in done.stderr
    return done.returncode, done.stdout, done.stderr
