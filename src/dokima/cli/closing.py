"""What a command opened and is closed when it ends, however it does."""

from __future__ import annotations

from contextlib import ExitStack

AT_END = ExitStack()
"""Closed by `main.run`."""
