"""Libraries that only some reports need, and what to say where one is not installed."""

from __future__ import annotations

from importlib import import_module
from typing import Any

from dokima.errors import DokimaError


def needed(module: str, what: str, extra: str) -> Any:
    """A module of an optional library.

    Args:
        module: Its name, such as ``matplotlib.figure``.
        what: What it is needed for, in the plural.
        extra: The extra of Dokima that installs it.

    Raises:
        DokimaError: It is not installed; says how to install it.
    """
    try:
        return import_module(module)
    except ModuleNotFoundError as error:
        library = module.partition(".")[0]
        if (error.name or "").partition(".")[0] != library:
            raise
        raise DokimaError(f"{what} need {library}, which is not installed: pip install 'dokima[{extra}]'") from None
