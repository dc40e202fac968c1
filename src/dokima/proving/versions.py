"""What changed between two versions of a rulebook: settings by their paths, rows of tables by their terms."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, fields, is_dataclass, replace
from typing import Any

from dokima.columns.column import value_at
from dokima.columns.shown import shown
from dokima.model.content import digest_of
from dokima.model.said import SHOWN
from dokima.model.source import source_of
from dokima.pricing.program import Program
from dokima.proving.change_words import ChangeWords
from dokima.proving.proof import Proof
from dokima.proving.replay import Replay
from dokima.tables.candidates import row_terms, row_values
from dokima.tables.definition import TableDefinition
from dokima.tables.table import Table

LEFT_OUT = ("sources", "values", "name", "functions", "policy", "kinds")
"""Parts of a definition that are compared otherwise, or that are Python."""


@dataclass(frozen=True)
class VersionChange:
    """One thing that differs.

    Attributes:
        path: Where it stands: ``routine.sales.step.freight.amount``; of a row its table.
        change: ``added``, ``removed``, ``changed`` or ``moved``.
        before: What stood there; blank where nothing did.
        after: What stands there now.
        row: Of a row of a table its terms, blank for all else.
        said: That in a sentence, where there is more to say than the path, and what stood there and stands there now.
    """

    path: str
    change: str
    before: str = ""
    after: str = ""
    row: str = ""
    said: str = ""


@dataclass(frozen=True)
class CaseChange:
    """A case that comes out otherwise: ``passed`` or ``failed`` before and after, blank where it is not there."""

    case: str
    before: str
    after: str


@dataclass(frozen=True)
class VersionChanges:
    """Everything in which two versions of a rulebook differ.

    Attributes:
        old: Name and fingerprint of the old one.
        new: Name and fingerprint of the new one.
        changes: What differs: settings in the order of the rulebook, then rows of tables.
        cases: Cases that come out otherwise, where both were asked to prove theirs; None if not.
        replay: What that does to orders, where some were given.
    """

    old: str
    new: str
    changes: Sequence[VersionChange]
    cases: Sequence[CaseChange] | None = None
    replay: Replay | None = None

    def __len__(self) -> int:
        return len(self.changes)

    def __repr__(self) -> str:
        rows = sum(bool(each.row) for each in self.changes)
        return f"<VersionChanges: {len(self) - rows} of settings, {rows} of rows; {SHOWN}>"

    def to_dict(self) -> dict[str, Any]:
        """The changes as plain data."""
        found: dict[str, Any] = {"old": self.old, "new": self.new, "changes": [asdict(each) for each in self.changes]}
        if self.cases is not None:
            found["cases"] = [asdict(each) for each in self.cases]
        if self.replay is not None:
            found["replay"] = self.replay.to_dict()
        return found


def compare_versions(old: Program, new: Program) -> VersionChanges:
    """What differs between two rulebooks; rules and functions in Python are told apart by a digest of their source."""
    words = ChangeWords(old, new)
    changes = [
        replace(each, said=words.setting(each.path, each.change, each.before, each.after))
        for each in _differences("", _settings(old), _settings(new))
    ]
    for name in dict.fromkeys([*old.tables, *new.tables]):
        if name in old.tables and name in new.tables:
            changes += _rows(old.tables[name], new.tables[name])
    return VersionChanges(_told(old), _told(new), changes)


def case_changes(old: Proof, new: Proof) -> list[CaseChange]:
    """Cases that come out otherwise in the new version, and those that only one of them has."""
    before, after = (
        {each.case.name: "passed" if each.passed else "failed" for each in side.outcomes} for side in (old, new)
    )
    return [
        CaseChange(name, before.get(name, ""), after.get(name, ""))
        for name in dict.fromkeys([*before, *after])
        if before.get(name) != after.get(name)
    ]


def _told(program: Program) -> str:
    return f"{program.definition.name} ({program.fingerprint[:12]})"


# -- settings ---------------------------------------------------------------------------------------------------------


def _settings(program: Program) -> dict[str, Any]:
    """Everything a rulebook says but the rows of its tables, as nested plain data."""
    definition = program.definition
    said = {
        each.name: _plain(getattr(definition, each.name)) for each in fields(definition) if each.name not in LEFT_OUT
    }
    said["rules"] = {rule.key: _plain(rule) for rule in definition.rules if not rule.built_in}
    said["value"] = {name: value_at(column, 0) for name, column in definition.values.items()}
    said["function"] = {
        name: _python(each.own.body if each.own else each.apply) for name, each in definition.functions.items()
    }
    said["kind"] = {each.name: _python(type(each)) for each in definition.kinds}
    if definition.policy is not None:
        said["policy"] = _python(definition.policy)
    # Under the names of the rulebook's own sections, as somebody who reads it knows them.
    for section, key in (("rule", "rules"), ("routine", "routines"), ("table", "tables"), ("formula", "formulas")):
        said[section] = said.pop(key) or {}
    said |= said.pop("fields") or {}
    return said


def _plain(value: Any) -> Any:
    """A definition as nested plain data: what has a name stands under it, and what is empty is left out."""
    if is_dataclass(value) and not isinstance(value, type):
        found = {
            each.name: _plain(getattr(value, each.name)) for each in fields(value) if not each.name.startswith("_")
        }
        if isinstance(value, TableDefinition):  # as a rulebook says it: beside the column
            above = dict.fromkeys(found.pop("above"), True)
            found["breaks"] = {
                name: {"of": each, "above": True} if name in above else each for name, each in found["breaks"].items()
            }
        return {
            "step" if name == "steps" else name: each
            for name, each in found.items()
            if each not in (None, "", {}, [], False)
        }
    if isinstance(value, Mapping):
        return {str(name): _plain(each) for name, each in value.items()}
    if isinstance(value, list | tuple):
        names = [getattr(each, "name", None) for each in value]
        if value and all(isinstance(name, str) and name for name in names):
            return {name: _plain(each) for name, each in zip(names, value, strict=True)}
        return [_plain(each) for each in value]
    return _python(value) if callable(value) else value


def _python(body: Any) -> str:
    """What is written in Python, told apart by its source, as fingerprints tell it apart."""
    return f"Python {digest_of(source_of(body))[:8]}"


def _differences(path: str, old: Any, new: Any) -> Iterator[VersionChange]:
    """What differs between two pieces of plain data, by path."""
    if not (isinstance(old, dict) and isinstance(new, dict)):
        if old != new:
            yield VersionChange(path, "changed", _text(old), _text(new))
        return
    for name in dict.fromkeys([*old, *new]):
        below = f"{path}.{name}" if path else name
        if name not in old:
            yield VersionChange(below, "added", "", _text(new[name]))
        elif name not in new:
            yield VersionChange(below, "removed", _text(old[name]), "")
        else:
            yield from _differences(below, old[name], new[name])
    both = [name for name in old if name in new]
    now = [name for name in new if name in old]
    if both != now and path.endswith(ORDERED):
        yield VersionChange(path, "moved", ", ".join(both), ", ".join(now))


ORDERED = (".step", "rule", "routine")
"""Where the order of things matters."""


def _text(value: Any) -> str:
    """Plain data in a line."""
    if isinstance(value, dict):
        return ", ".join(f"{name} = {_text(each)}" for name, each in value.items() if name not in ("name", "id"))
    if isinstance(value, list):
        return "; ".join(map(_text, value))
    return "" if value is None else shown(value)


# -- rows -------------------------------------------------------------------------------------------------------------


def _rows(old: Table, new: Table) -> Iterator[VersionChange]:
    """Rows that are there once only, and those whose values differ. A row is known by its terms, not by its place."""
    before, after = _by_terms(old), _by_terms(new)
    moved = _moved_breaks(old, new, before, after)
    for terms, row in before.items():
        told = terms[0]
        if terms in moved:
            yield moved[terms][1]
            continue
        if terms not in after:
            yield VersionChange(old.name, "removed", _values(old, row), "", told)
            continue
        cells, others = row_values(old, row), row_values(new, after[terms])
        named = [name for name in dict.fromkeys([*cells, *others]) if cells.get(name) != others.get(name)]
        if named:
            yield VersionChange(
                old.name,
                "changed",
                _cells(cells, named),
                _cells(others, named),
                told,
                ChangeWords.row(cells, others),
            )
    arrived = {terms for terms, _ in moved.values()}
    for terms, row in after.items():
        if terms not in before and terms not in arrived:
            yield VersionChange(new.name, "added", "", _values(new, row), terms[0])


Terms = tuple[str, int]
"""The terms of a row, and how many rows with the same ones stand before it."""


def _moved_breaks(
    old: Table, new: Table, before: Mapping[Terms, int], after: Mapping[Terms, int]
) -> dict[Terms, tuple[Terms, VersionChange]]:
    """Rows that are the same but for the value of one break: by their old terms the new ones, and what changed."""
    arrived: dict[tuple[Any, ...], list[Terms]] = {}
    for terms, row in after.items():
        if terms not in before:
            arrived.setdefault(_but_breaks(new, row), []).append(terms)
    found: dict[Terms, tuple[Terms, VersionChange]] = {}
    for terms, row in before.items():
        others = arrived.get(_but_breaks(old, row), []) if terms not in after else []
        if len(others) == 1:
            (other,) = others
            steps = {each.column: value_at(each.least, row) for each in old.breaks}
            now = {each.column: value_at(each.least, after[other]) for each in new.breaks}
            apart = [name for name in steps if name in now and steps[name] != now[name]]
            if steps.keys() == now.keys() and len(apart) == 1:
                name, others[:] = apart[0], []
                said = f"a break moved from {shown(steps[name])} to {shown(now[name])}"
                told = f"{name} {shown(steps[name])}", f"{name} {shown(now[name])}"
                found[terms] = other, VersionChange(new.name, "changed", *told, other[0], said)
    return found


def _but_breaks(table: Table, row: int) -> tuple[Any, ...]:
    """What a row says but for its breaks."""
    breaks = {each.column for each in table.breaks}
    return tuple((name, value) for name, value in row_values(table, row).items() if name not in breaks)


def _by_terms(table: Table) -> dict[tuple[str, int], int]:
    """Rows by their terms; where several have the same, by how many came before."""
    found: dict[tuple[str, int], int] = {}
    seen: dict[str, int] = {}
    for row in range(table.size):
        terms = str(row_terms(table, row))
        seen[terms] = seen.get(terms, -1) + 1
        found[terms, seen[terms]] = row
    return found


def _values(table: Table, row: int) -> str:
    """The cells of a row that are no terms."""
    window = set(table.window.names) if table.window is not None else set()
    terms = {*table.conditions, *(each.column for each in table.breaks), *window}
    cells = row_values(table, row)
    return _cells(cells, [name for name, value in cells.items() if name not in terms and value is not None])


def _cells(row: Mapping[str, object], names: Sequence[str]) -> str:
    return ", ".join(f"{name} {shown(row.get(name))}" for name in names)
