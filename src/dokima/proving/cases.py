"""Cases: worked examples of a rulebook, with the results that are expected of them."""

from __future__ import annotations

import datetime
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal, InvalidOperation
from typing import Any

from dokima.columns.shown import shown
from dokima.errors import DokimaError, listed, nearest
from dokima.model.content import canonical_json, digest_of
from dokima.model.values import BadValue, ValueReader

BLANK = "(blank)"
"""What a cell of a sheet says for a blank; an empty one says nothing."""
OPEN = "?"
"""An expectation that is still to be recorded."""
KEYS = (
    "name", "order", "like", "set", "edit", "change", "at", "today", "by", "tables", "expect", "note", "recorded",
    "confirmed",
)  # fmt: skip


@dataclass(frozen=True)
class Expected:
    """One thing that is expected.

    Attributes:
        path: What it is about: ``payable``, ``line.10.price``, ``rows.10.agreed``, ``findings`` ...
        value: What is expected there; None for a blank, `OPEN` for what is still to be recorded.
        about: How far a number may be off; None for not at all.
    """

    path: str
    value: Any
    about: Decimal | None = None

    @property
    def is_open(self) -> bool:
        """Whether nobody has said yet what is expected."""
        return isinstance(self.value, str) and self.value == OPEN


@dataclass(frozen=True)
class Confirmation:
    """Who said that a recorded case is right, on which day, and the digest of what it then was."""

    by: str
    on: str
    digest: str


@dataclass(frozen=True)
class Case:
    """A worked example.

    Attributes:
        name: Its name.
        file: The file it stands in.
        row: Its row there; None if that is not known.
        order: The order as plain data, or the name of a file.
        set: What is set before anything else, by target: ``header.x``, ``line.x``, ``20.x``.
        edit: Operations of the editor, each with ``do`` and its arguments.
        change: Operations of a change order, likewise.
        at: The moment whose rules are asked; blank to price only.
        today: For ``run.today``.
        by: For ``run.user``.
        tables: Files that stand in for tables.
        expect: What is expected.
        note: What its author says about it.
        recorded: Whether its expectations were written down by a program, and not worked out by a person.
        confirmed: Who said that they are right; None for nobody.
        like: The case it takes over from; blank for none.
    """

    name: str
    file: str = ""
    row: int | None = None
    order: Mapping[str, Any] | str = field(default_factory=dict)
    set: Mapping[str, Any] = field(default_factory=dict)
    edit: Sequence[Mapping[str, Any]] = ()
    change: Sequence[Mapping[str, Any]] = ()
    at: str = ""
    today: datetime.date | None = None
    by: str = "case"
    tables: Mapping[str, str] = field(default_factory=dict)
    expect: Sequence[Expected] = ()
    note: str = ""
    recorded: bool = False
    confirmed: Confirmation | None = None
    like: str = ""

    @property
    def place(self) -> str:
        """File and row."""
        return f"{self.file} row {self.row}" if self.row else self.file

    def digest(self, pinned: Mapping[str, str]) -> str:
        """SHA-256 of its inputs, its expectations, and the content of the tables it pins.

        Args:
            pinned: The content of those tables, by name.
        """
        said = {
            "order": self.order,
            "set": self.set,
            "edit": self.edit,
            "change": self.change,
            "at": self.at,
            "today": self.today,
            "by": self.by,
            "tables": pinned,
            "expect": [[each.path, _plain(each.value), _plain(each.about)] for each in self.expect],
        }
        return digest_of(canonical_json(_plain(said)))

    def is_confirmed(self, pinned: Mapping[str, str]) -> bool:
        """Whether what is expected was worked out, or confirmed, by a person, and has not been touched since."""
        if self.confirmed is not None:
            return self.confirmed.digest == self.digest(pinned)
        return not self.recorded


def _plain(value: Any) -> Any:
    if isinstance(value, Mapping):
        return {str(name): _plain(each) for name, each in value.items()}
    if isinstance(value, list | tuple):
        return [_plain(each) for each in value]
    return value if value is None or isinstance(value, bool | int | str | Decimal | datetime.date) else str(value)


def line_paths(case: Case) -> list[str]:
    """What is recorded of each line of a case's order: its price and its net amount, as paths of expectations."""
    lines = case.order.get("lines", []) if isinstance(case.order, Mapping) else []
    numbers = [str(line.get("number") or (at + 1) * 10) for at, line in enumerate(lines)]
    return [f"line.{number}.{figure}" for number in numbers for figure in ("price", "net")]


def written(value: Any) -> Any:
    """A value as a case writes it: numbers as text, a blank as nothing."""
    if value is None:
        return ""
    if isinstance(value, list | tuple):
        return [written(each) for each in value]
    if isinstance(value, Mapping):
        return {name: written(each) for name, each in value.items() if each is not None}
    if isinstance(value, bool | str):
        return value
    return format(value, "f") if isinstance(value, Decimal) else shown(value)


class CaseError(DokimaError):
    """A case that cannot be read; says which, where, and what was expected."""


def read_case(data: Mapping[str, Any], file: str, row: int | None, known: Mapping[str, Case]) -> Case:
    """A case out of plain data.

    Args:
        data: What a file says of it.
        file: The file.
        row: Its row there.
        known: Cases it may be like, by name.

    Raises:
        CaseError: Something in it is not as it should be.
    """
    name = str(data.get("name") or "")
    place = f"{file} row {row}" if row else file
    where = f"{place}, case '{name}'" if name else f"{place}, a case"
    if not name:
        raise CaseError(f"{place}: expected a name for each case")
    unknown = next((key for key in data if key not in KEYS), None)
    if unknown is not None:
        raise CaseError(f"{where}: there is no key '{unknown}'{nearest(unknown, KEYS)}; there are {listed(KEYS, 20)}")
    base = Case(name)
    if like := str(data.get("like") or ""):
        if like not in known:
            raise CaseError(f"{where}: there is no case '{like}' before it to be like{nearest(like, known)}")
        base = known[like]
    for key, kind in (("set", Mapping), ("tables", Mapping), ("expect", Mapping), ("edit", list), ("change", list)):
        if key in data and not isinstance(data[key], kind):
            wanted = "a table of values" if kind is Mapping else "a list of operations"
            raise CaseError(f"{where}: expected '{key}' as {wanted} (got {data[key]!r:.60})")
    if "order" in data and not isinstance(data["order"], Mapping | str):
        raise CaseError(f"{where}: expected 'order' as a document or the name of a file (got {data['order']!r:.60})")
    expect = {each.path: each for each in base.expect}
    for path, value in _paths(data.get("expect", {})):
        expect[path] = _expected(path, value, where)
    return replace(
        base,
        name=name,
        file=file,
        row=row,
        like=like,
        order=data.get("order", base.order),
        set={**base.set, **data.get("set", {})},
        edit=_operations(data.get("edit", base.edit), where),
        change=_operations(data.get("change", base.change), where),
        at=str(data.get("at", base.at)),
        today=_day(data.get("today", base.today), where),
        by=str(data.get("by", base.by)),
        tables={**base.tables, **{str(k): str(v) for k, v in data.get("tables", {}).items()}},
        expect=tuple(expect.values()),
        note=str(data.get("note", base.note)),
        recorded=bool(data.get("recorded", False)),
        confirmed=_confirmation(data.get("confirmed"), where),
    )


_WHOLE = ("tax", "instalments", "findings", "no_findings", "refused")


def _paths(expect: Mapping[str, Any], before: str = "") -> list[tuple[str, Any]]:
    """Expectations by path; TOML takes ``line.10.price`` apart into tables."""
    found: list[tuple[str, Any]] = []
    for name, value in expect.items():
        path = f"{before}{name}"
        if _is_section(path, value):
            found += _paths(value, f"{path}.")
        else:
            found.append((path, value))
    return found


def _is_section(path: str, value: Any) -> bool:
    """Whether a table of TOML is a part of a path; the terms of a row, and a value with its tolerance, are none."""
    if not isinstance(value, Mapping) or path in _WHOLE:
        return False
    if path == "rows" or re.fullmatch(r"rows\.\d+(/\d+)*", path):  # of a line, by its number
        return True
    return "value" not in value and not path.startswith("rows.")


def _expected(path: str, value: Any, where: str) -> Expected:
    if path in ("findings", "refused"):
        _check_findings(path, value, where)
    if isinstance(value, Mapping) and "value" in value and not path.startswith("rows."):
        unknown = set(value) - {"value", "about"}
        if unknown:
            raise CaseError(f"{where}: expect {path}: expected 'value' and 'about' (got '{min(unknown)}')")
        try:
            about = Decimal(str(value["about"])) if "about" in value else None
        except InvalidOperation:
            raise CaseError(f"{where}: expect {path}: expected a number for 'about' (got {value['about']!r})") from None
        return Expected(path, None if value["value"] == "" else value["value"], about)
    return Expected(path, None if value == "" else value)


ONLY = "only"
"""The key of findings that are all there are."""
_FINDING = ("rule", "line", "severity", "message", "field", "acknowledge")
"""What may be said of a finding that is expected."""


def _check_findings(path: str, value: Any, where: str) -> None:
    """Refuse what no finding has."""
    if isinstance(value, Mapping) and ONLY in value:
        if path != "findings" or set(value) != {ONLY}:
            raise CaseError(
                f"{where}: expect {path}: expected {{ {ONLY} = [...] }} for findings, and nothing beside it"
            )
        value = value[ONLY]
    for each in value if isinstance(value, list | tuple) else [value]:
        if isinstance(each, Mapping) and (unknown := set(each) - set(_FINDING)) | ({"rule"} - set(each)):
            came = f"got '{min(unknown)}'" if unknown else "there is no 'rule'"
            raise CaseError(
                f"{where}: expect {path}: expected a rule's id, or {{ rule = ..., {', '.join(_FINDING[1:])} }} ({came})"
            )


def _operations(given: Sequence[Any], where: str) -> tuple[Mapping[str, Any], ...]:
    for each in given:
        if not isinstance(each, Mapping) or "do" not in each:
            raise CaseError(
                f"{where}: expected operations such as {{ do = 'change_line', line = 20 }} (got {each!r:.60})"
            )
    return tuple(given)


def _day(value: Any, where: str) -> datetime.date | None:
    if value is None or isinstance(value, datetime.date):
        return value
    try:
        return datetime.date.fromisoformat(str(value))
    except ValueError:
        raise CaseError(f"{where}: expected 'today' as a date such as 2026-03-02 (got {value!r})") from None


def _confirmation(value: Any, where: str) -> Confirmation | None:
    if value is None:
        return None
    if not isinstance(value, Mapping) or not {"by", "on", "digest"} <= set(value):
        raise CaseError(
            f"{where}: expected 'confirmed' with 'by', 'on' and 'digest' (dokima prove --confirm writes it)"
        )
    return Confirmation(str(value["by"]), str(value["on"]), str(value["digest"]))


# -- sheets -----------------------------------------------------------------------------------------------------------


def read_sheet(columns: Mapping[str, Sequence[Any]], rows: Sequence[int], file: str) -> list[Case]:
    """The cases of a sheet: neighbouring rows with one name are the lines of one order.

    Args:
        columns: Cells by heading: ``case``, ``header.x``, ``line.x``, ``at``, ``today``, ``expect x``, ``note``.
        rows: The number of each row in the file.
        file: The file.

    Raises:
        CaseError: A heading is none of these, or a row has no name.
    """
    for heading in columns:
        known = heading in ("case", "at", "today", "by", "note") or heading.startswith(("header.", "line.", "expect "))
        if not known:
            said = "expected headings such as case, header.customer, line.item, 'expect line.price'"
            raise CaseError(f"{file}: {said} (got '{heading}')")
    if "case" not in columns:
        raise CaseError(f"{file}: expected a column 'case' with the name of each case")
    found: list[Case] = []
    start = 0
    for at, name in enumerate(columns["case"]):
        if name is None or name == "":
            raise CaseError(
                f"{file} row {rows[at]}: expected the name of the case in column 'case' (the cell is empty)"
            )
        if at + 1 == len(rows) or columns["case"][at + 1] != name:
            found.append(_of_rows(columns, range(start, at + 1), rows, file))
            start = at + 1
    return found


def _of_rows(columns: Mapping[str, Sequence[Any]], places: range, rows: Sequence[int], file: str) -> Case:
    first = places[0]
    header: dict[str, Any] = {}
    lines: list[dict[str, Any]] = [{} for _ in places]
    expect: list[Expected] = []
    for heading, cells in columns.items():
        level, _, name = heading.partition(".")
        if level == "header":
            given = [cells[at] for at in places if cells[at] not in (None, "")]
            if given:
                header[name] = _cell(given[0])
        elif level == "line":
            for line, at in zip(lines, places, strict=True):
                if cells[at] not in (None, ""):
                    line[name] = _cell(cells[at])
    for at, line in enumerate(lines):
        line.setdefault("number", str(at * 10 + 10))
    for heading, cells in columns.items():
        if heading.startswith("expect "):
            expect += _expects(heading.removeprefix("expect ").strip(), [cells[at] for at in places], lines)

    def said(heading: str) -> Any:
        return columns[heading][first] if heading in columns and columns[heading][first] not in (None, "") else None

    where = f"{file} row {rows[first]}"
    return Case(
        str(columns["case"][first]),
        file,
        rows[first],
        {**header, "lines": lines},
        at=str(said("at") or ""),
        today=_day(said("today"), where),
        by=str(said("by") or "case"),
        expect=tuple(expect),
        note=str(said("note") or ""),
    )


def _expects(what: str, cells: Sequence[Any], lines: Sequence[Mapping[str, Any]]) -> list[Expected]:
    """What a column expects: of each line, of the order, or findings."""
    if what in ("finding", "findings"):
        rules = [str(cell) for cell in cells if cell not in (None, "", BLANK)]
        if rules:
            return [Expected("findings", rules)]
        return [Expected("no_findings", True)] if any(cell == BLANK for cell in cells) else []
    if what.startswith("line."):
        name = what.removeprefix("line.")
        pairs = zip(lines, cells, strict=True)
        return [
            Expected(f"line.{line['number']}.{name}", _cell(cell)) for line, cell in pairs if cell not in (None, "")
        ]
    filled = [cell for cell in cells if cell not in (None, "")]
    return [Expected(what, _cell(filled[0]))] if filled else []


def _cell(value: Any) -> Any:
    return None if value == BLANK else value


def as_number(value: Any) -> Decimal | None:
    """A value as a number; None if it is none."""
    if isinstance(value, bool) or value is None or isinstance(value, datetime.date):
        return None
    try:
        found = Decimal(str(value))
    except InvalidOperation:
        return None
    return found if found.is_finite() else None


def as_day(value: Any) -> datetime.date | None:
    """A value as a date; None if it is none."""
    from dokima.model.fields import Field

    try:
        found = ValueReader().read(Field("day", "date"), value)
    except BadValue:
        return None
    return found if isinstance(found, datetime.date) else None
