"""The fingerprint of a rulebook: what it says and the rows of its tables, as one digest."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Sequence
from dataclasses import fields, is_dataclass
from datetime import date
from decimal import Decimal
from functools import cache
from types import FunctionType, MethodType
from typing import TYPE_CHECKING, Any

import numpy as np

from dokima.columns.column import Column
from dokima.columns.dates import Dates
from dokima.columns.flags import Flags
from dokima.columns.texts import Texts
from dokima.exact import Decimals
from dokima.exact.integers import Integers
from dokima.model.content import FINGERPRINT_FORM
from dokima.model.raw import ColumnValues, RawColumn
from dokima.model.source import source_of
from dokima.pricing.kinds.kind import StepKind

if TYPE_CHECKING:
    from dokima.pricing.program import ProgramDefinition
    from dokima.tables.definition import TableSource


OF_PLACES = ("numbering", "databases")
"""What says only how orders are numbered and where rows come from: their content is part of the fingerprint."""
NOTE = "note"
"""What an author says beside a setting: it decides nothing either, wherever it stands."""
STATUS = "status"
"""That a rulebook is a draft: whoever releases it has decided nothing else."""
OF_REPORTS = ("letterhead", "texts", "report", "papers")
INTERNAL = "internal"
"""That something is for our own eyes: no figure depends on it."""
"""What says only how reports look: it decides nothing, so nothing has to be done again when it changes."""

LATER = {
    "beside": (),
    "minus": "before",
    "spread": None,
    "early": None,
    "above": (),
    "tax": None,
    "valid": None,
    "version": "",
    "left_out": (),
    "status": "",
}
"""Settings that came after fingerprints had their form: a rulebook that leaves them out keeps the one that it had."""

PLAIN = frozenset({str, int, bool, float, Decimal, date})
"""Kinds of values that Python writes the same way everywhere."""


def fingerprint_of(definition: ProgramDefinition) -> str:
    """The form of fingerprints, and the SHA-256 of a rulebook's definition. The same rulebook always gives the same.

    Raises:
        TypeError: It holds what cannot be written the same way in every process. A defect of ours.
    """
    digest = _of_settings(definition)
    for name, source in definition.sources.items():
        digest.update(f"{name}:{source.file}:{source.size}".encode())
        _add_rows(digest, source)
    return f"{FINGERPRINT_FORM}:{digest.hexdigest()}"


def settings_digest(definition: ProgramDefinition) -> str:
    """The same of all that a rulebook says but the rows of its tables, which may be millions.

    Raises:
        TypeError: As for `fingerprint_of`.
    """
    return f"{FINGERPRINT_FORM}:{_of_settings(definition).hexdigest()}"


def _of_settings(definition: ProgramDefinition) -> Any:
    digest = hashlib.sha256()
    for each in fields(definition):
        said = getattr(definition, each.name)
        is_usual = each.name in LATER and said == LATER[each.name]
        if each.name not in ("sources", *OF_PLACES, *OF_REPORTS, NOTE, STATUS) and not is_usual:
            digest.update(_text(said).encode())
    return digest


def part_digests(definition: ProgramDefinition) -> dict[str, str]:
    """A digest of each part of a rulebook, with what its author says of it: by kind and name, such as ``rule stock``.

    What is no field, value, formula, table, rule, routine, step or function is ``other settings`` together.

    Raises:
        TypeError: As for `fingerprint_of`.
    """
    parts: dict[str, Any] = {}
    for level, known in (("header", definition.fields.header), ("line", definition.fields.line)):
        parts |= {f"field {level}.{name}": each for name, each in known.items()}
    parts |= {f"value {name}": each for name, each in definition.values.items()}
    parts |= {f"formula {name}": each for name, each in definition.formulas.items()}
    for table in definition.tables:
        source = definition.sources.get(table.name)
        parts[f"table {table.name}"] = (table, None if source is None else rows_digest(source))
    parts |= {f"rule {each.key}": each for each in definition.rules}
    for routine in definition.routines:
        settings = {each.name: getattr(routine, each.name) for each in fields(routine) if each.name != "steps"}
        parts[f"routine {routine.name}"] = (settings, [step.name for step in routine.steps])
        parts |= {f"step {routine.name}.{step.name}": step for step in routine.steps}
    parts |= {f"function {name}": each for name, each in definition.functions.items()}
    of_their_own = {"fields", "values", "formulas", "tables", "sources", "rules", "routines", "functions", *OF_REPORTS}
    rest = {each.name: getattr(definition, each.name) for each in fields(definition) if each.name not in of_their_own}
    usual = [name for name, each in rest.items() if name in LATER and each == LATER[name]]
    parts["other settings"] = {name: each for name, each in rest.items() if name not in (*OF_PLACES, *usual)}
    return {name: _part_digest(each) for name, each in parts.items()}


def _part_digest(part: Any) -> str:
    return hashlib.sha256(f"{_text(part)} {list(_notes(part))}".encode()).hexdigest()[:16]


def _notes(value: Any) -> Iterator[str]:
    """What authors say within a part, which decides nothing and so stands in no fingerprint."""
    if is_dataclass(value) and not isinstance(value, type):
        yield from [str(getattr(value, NOTE))] if getattr(value, NOTE, "") else []
        value = [getattr(value, each.name) for each in fields(value)]
    if isinstance(value, dict):
        value = list(value.values())
    if isinstance(value, list | tuple):
        for each in value:
            yield from _notes(each)


def rows_digest(source: TableSource) -> str:
    """The SHA-256 of the rows of a table, wherever they were read from."""
    digest = hashlib.sha256()
    _add_rows(digest, source)
    return digest.hexdigest()


def _add_rows(digest: Any, source: TableSource) -> None:
    for heading, column in source.columns.items():
        values, codes = _by_appearance(column)
        if isinstance(values, ColumnValues) and not isinstance(values.column, Texts):
            # A million numbers as they lie in memory; as texts they would take seconds.
            digest.update(heading.encode())
            _add(digest, values.column)
        else:
            digest.update("\x1f".join([heading, *map(str, values)]).encode())
        if codes is not None:
            digest.update(codes.tobytes())


def _add(digest: Any, column: Column) -> None:
    """Add numbers, dates or flags to a digest; whatever stands at a missing place means nothing."""
    match column:
        case Decimals():
            compact = column.compact()
            digest.update(f"{compact.places}:".encode())
            values = compact.units
        case Dates():
            values = column.days
        case Flags():
            values = column.values
        case _:
            raise TypeError(f"no column of a source: {type(column).__name__}")
    if column.missing is not None:
        values = np.where(column.missing, 0, values)
        digest.update(column.missing.tobytes())
    digest.update(str(values.tolist()).encode() if values.dtype == object else values.tobytes())


def _by_appearance(column: RawColumn) -> tuple[Sequence[Any], Integers | None]:
    """Values in the sequence in which rows have them, and codes of the rows: the same however the source was read."""
    if column.codes is None:
        return column.values, None
    values, rows = column.values, len(column.codes)
    first = np.full(len(values) + 1, rows)  # the last is that of blanks
    first[column.codes[::-1]] = np.arange(rows)[::-1]  # of rows with one value the first comes last, and stays
    sequence = np.argsort(first[:-1])[: np.count_nonzero(first[:-1] < rows)]
    place = np.full(len(values) + 1, -1, np.int64)
    place[sequence] = np.arange(len(sequence))
    if np.array_equal(sequence, np.arange(len(values))):  # keys nearly always have it already
        return list(values), place[column.codes]
    if isinstance(values, ColumnValues):
        return values.pick(sequence), place[column.codes]
    return [values[at] for at in sequence.tolist()], place[column.codes]


@cache
def _said(kind: type) -> tuple[str, ...]:
    """Names of the fields of a dataclass that decide something."""
    return tuple(each.name for each in fields(kind) if each.name not in (NOTE, INTERNAL))


def _text(value: Any) -> str:
    """A value as text that does not depend on where it lies in memory."""
    if value is None or type(value) in PLAIN:  # nearly all: a rulebook has thousands, and is read at every command
        return repr(value)
    if isinstance(value, Decimals | Texts | Dates | Flags):
        return str(value.to_list() if not isinstance(value, Decimals) else (value.units.tolist(), value.places))
    if isinstance(value, FunctionType):
        return source_of(value)
    if isinstance(value, StepKind):
        return f"{value.name}: {source_of(type(value))}"
    if is_dataclass(value) and not isinstance(value, type):
        said = [(name, getattr(value, name)) for name in _said(type(value))]
        told = [f"{name}={_text(each)}" for name, each in said if name not in LATER or each != LATER[name]]
        return f"({', '.join(told)})"
    if isinstance(value, dict):
        return f"{{{', '.join([f'{key}: {_text(each)}' for key, each in value.items()])}}}"
    if isinstance(value, list | tuple):
        return f"[{', '.join(map(_text, value))}]"
    if isinstance(value, MethodType):
        return f"{value.__func__.__qualname__} of {_text(value.__self__)}"
    if isinstance(value, type):
        return f"{value.__module__}.{value.__qualname__}"
    # What is written with its place in memory is another rulebook in every process.
    raise TypeError(f"nothing that a rulebook is made of: {type(value).__name__} {value!r:.80}")
