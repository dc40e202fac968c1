"""The fingerprint of a rulebook: what it says and the rows of its tables, as one digest."""

from __future__ import annotations

import hashlib
from dataclasses import fields, is_dataclass
from types import FunctionType
from typing import TYPE_CHECKING, Any

from dokima.exact import Decimals
from dokima.model.columns import Dates, Flags, Texts
from dokima.model.content import FINGERPRINT_FORM
from dokima.model.source import source_of
from dokima.routines.kinds.kind import StepKind

if TYPE_CHECKING:
    from dokima.engine.program import ProgramDefinition


OF_REPORTS = ("letterhead", "texts", "report")
"""What says only how reports look: it decides nothing, so nothing has to be done again when it changes."""


def fingerprint_of(definition: ProgramDefinition) -> str:
    """The form of fingerprints, and the SHA-256 of a rulebook's definition. The same rulebook always gives the same."""
    digest = hashlib.sha256()
    for each in fields(definition):
        if each.name not in ("sources", *OF_REPORTS):
            digest.update(_text(getattr(definition, each.name)).encode())
    for name, source in definition.sources.items():
        digest.update(f"{name}:{source.file}:{source.size}".encode())
        for heading, column in source.columns.items():
            digest.update("\x1f".join([heading, *map(str, column.values)]).encode())
            if column.codes is not None:
                digest.update(column.codes.tobytes())
    return f"{FINGERPRINT_FORM}:{digest.hexdigest()}"


def _text(value: Any) -> str:
    """A value as text that does not depend on where it lies in memory."""
    if isinstance(value, Decimals | Texts | Dates | Flags):
        return str(value.to_list() if not isinstance(value, Decimals) else (value.units.tolist(), value.places))
    if isinstance(value, FunctionType):
        return source_of(value)
    if isinstance(value, StepKind):
        return f"{value.name}: {source_of(type(value))}"
    if is_dataclass(value) and not isinstance(value, type):
        return f"({', '.join(f'{each.name}={_text(getattr(value, each.name))}' for each in fields(value))})"
    if isinstance(value, dict):
        return f"{{{', '.join(f'{key}: {_text(each)}' for key, each in value.items())}}}"
    if isinstance(value, list | tuple):
        return f"[{', '.join(map(_text, value))}]"
    return repr(value)
