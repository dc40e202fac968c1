"""The cases of a rulebook's folder: TOML and sheets in ``cases/``, run, recorded, confirmed."""

from __future__ import annotations

import datetime
import os
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import tomlkit

from dokima.columns.column import value_at
from dokima.columns.shown import shown
from dokima.errors import DokimaError, NotFound, listed, nearest
from dokima.formats.registry import module_of, read_grid
from dokima.formats.regular_files import files_in, reached, text_of
from dokima.formats.whole_files import write_whole
from dokima.model.order import Order
from dokima.model.raw import RawColumn
from dokima.pricing.program import Program
from dokima.proving.cases import OPEN, Case, CaseError, line_paths, read_case, read_sheet, written
from dokima.proving.mutation import MutationScore, mutate
from dokima.proving.proof import Outcome, Proof
from dokima.proving.running_cases import Batch, run_cases
from dokima.proving.suggested_cases import Suggestions
from dokima.proving.suggesting import suggest
from dokima.rulebook.book import Rulebook, load
from dokima.rulebook.replacing import with_tables
from dokima.rulebook.toml_text import TomlError, parse_toml

FOLDER = "cases"
RECORDED = ("payable", "without_tax")
"""What is recorded of an order where a case names nothing."""


class CaseFolder:
    """A rulebook and the cases beside it.

    Args:
        folder: The folder of the rulebook.
        book: The rulebook; loaded from the folder if None.

    Raises:
        CaseError: A case cannot be read; all problems are told with file and row.
    """

    def __init__(self, folder: str | Path, book: Rulebook | None = None) -> None:
        self.folder = Path(folder)
        self.rulebook = book if book is not None else load(self.folder)
        self.cases: list[Case] = []
        self.excuses: dict[str, str] = {}
        self._programs: dict[tuple[tuple[str, str], ...], Program] = {}
        problems: list[str] = []
        for path in files_in(self.folder / FOLDER):
            try:
                self.cases += self.read(path)
            except DokimaError as error:
                problems.append(str(error))
        names: dict[str, Case] = {}
        for case in self.cases:
            if case.name in names:
                problems.append(f"{case.place}: there is a case '{case.name}' in {names[case.name].place} already")
            names.setdefault(case.name, case)
        if problems:
            raise CaseError("\n".join(problems))

    def read(self, path: Path) -> list[Case]:
        """The cases of one file; none of a file of another kind.

        Raises:
            CaseError: One of them cannot be read.
            DocumentError: The file cannot be read.
        """
        name = f"{FOLDER}/{path.name}"
        if path.suffix == ".toml":
            found, excuses = _of_toml(path, name, {case.name: case for case in self.cases})
            self.excuses |= excuses
        elif path.suffix.lower() in (".csv", ".xlsx"):
            grid = read_grid(path)
            if grid.problems:
                raise CaseError("\n".join(str(problem) for problem in grid.problems))
            if "case" not in grid.columns and not any(heading.startswith("expect ") for heading in grid.columns):
                return []  # a table that a case pins
            columns = {
                heading: [None if at < 0 else column.values[at] for at in column.places()]
                for heading, column in grid.columns.items()
            }
            found = read_sheet(columns, grid.rows.tolist(), name)
        else:
            return []
        return [self._with_order(case) for case in found]

    def _with_order(self, case: Case) -> Case:
        """The case with its order as plain data."""
        if not isinstance(case.order, str):
            return case
        path, _, number = case.order.partition("#")
        try:
            file = reached(self.folder, path, self.rulebook.access)
        except DokimaError as error:
            raise CaseError(f"{case.place}, case '{case.name}': {error}") from None
        if not os.path.isfile(file):
            raise CaseError(f"{case.place}, case '{case.name}': there is no file '{path}' beside the rulebook")
        orders = module_of(file).read_documents(file)
        wanted = [order for order in orders if not number or order.number == number]
        if len(wanted) != 1:
            hint = "; name one as 'file.json#NUMBER'" if len(orders) > 1 else ""
            raise CaseError(f"{case.place}, case '{case.name}': expected one order in {path} (got {len(wanted)}{hint})")
        return replace(case, order=wanted[0].to_dict())

    def program_of(self, case: Case) -> Program:
        """The rulebook of a case, with the tables that it pins."""
        key = tuple(sorted(case.tables.items()))
        if key not in self._programs:
            self._programs[key] = self.pin(self.rulebook.program, case)
        return self._programs[key]

    def pin(self, program: Program, case: Case) -> Program:
        """A rulebook with the tables that a case pins."""
        if not case.tables:
            return program
        sources = {
            name: _rows(reached(self.folder, file, self.rulebook.access), self.rulebook, name)
            for name, file in case.tables.items()
        }
        return with_tables(program, sources)

    def pinned(self, case: Case) -> dict[str, str]:
        """The content of the tables that a case pins."""
        return {name: text_of(reached(self.folder, file, self.rulebook.access)) for name, file in case.tables.items()}

    def chosen(self, names: Sequence[str]) -> list[Case]:
        """Cases by name; all if none is named.

        Raises:
            NotFound: There is none of that name; names the nearest.
        """
        known = {case.name: case for case in self.cases}
        for name in names:
            if name not in known:
                raise NotFound(f"there is no case '{name}'{nearest(name, known) or f'; there are {listed(known)}'}")
        return [known[name] for name in names] if names else list(self.cases)

    def prove(self, names: Sequence[str] = (), *, coverage: bool = False) -> Proof:
        """Run cases.

        Args:
            names: Their names; all if empty.
            coverage: Also say what they reach.
        """
        return self.run(self.chosen(names), coverage=coverage)

    def mutate(
        self,
        names: Sequence[str] = (),
        *,
        sample: int | None = None,
        rows: bool = False,
        since: Rulebook | None = None,
        progress: Callable[[int, int], None] | None = None,
    ) -> MutationScore:
        """Change the rulebook one spot at a time, and see whether a case notices.

        Args:
            names: Names of cases; all if empty.
            sample: Only so many changes, always the same ones; all if None.
            rows: Also rows of tables that no case looks at.
            since: An older version: only what changed since is changed once more.
            progress: Is told how many changes are done, and how many there are.
        """
        program, cases = self.rulebook.program, self.chosen(names)
        changed = since.compare(self.rulebook) if since is not None else None
        return mutate(
            program, cases, self.pinned, self.pin,
            excuses=self.excuses, sample=sample, rows=rows, since=changed, progress=progress,
        )  # fmt: skip

    def suggest(
        self,
        today: datetime.date,
        *,
        mutation: MutationScore | None = None,
        most: int = 50,
        progress: Callable[[str], None] | None = None,
    ) -> Suggestions:
        """Cases for what no case has reached, with today's results, unconfirmed.

        Args:
            today: For ``run.today``, and the date of orders that are made without a case.
            mutation: Also cases that notice what survived; what has an excuse is left alone.
            most: How many at most.
            progress: Is told what is being looked for.

        Raises:
            CaseError: A case cannot be read.
        """
        proof = self.prove(coverage=True)
        found = mutation.survivors if mutation is not None else ()
        return suggest(
            self.rulebook.program, self.cases, proof.coverage, today,
            survivors=[each for each in found if not each.excuse and not each.is_awaited],
            waiting=len(proof.unconfirmed), most=most, progress=progress,
        )  # fmt: skip

    def run(self, cases: Sequence[Case], *, coverage: bool = False) -> Proof:
        """Run some cases of this folder."""
        outcomes, batches = run_cases(cases, self.program_of, self.pinned)
        return Proof(outcomes, self._covered(outcomes, batches) if coverage else None)

    def _covered(self, outcomes: Sequence[Outcome], batches: Sequence[Batch]) -> Any:
        from dokima.proving.coverage import covered

        return covered(self.rulebook.program, outcomes, batches)

    # -- recording and confirming -------------------------------------------------------------------------------

    def record(self, name: str) -> list[tuple[str, str, str]]:
        """Write down what comes out now where a case leaves it open, or had it recorded; it is unconfirmed then.

        Returns:
            What changed: path, what stood there (blank for nothing), what stands there now.

        Raises:
            NotFound: There is no such case.
            DokimaError: It stands in a sheet, or could not be run.
        """
        case, path, document, entry = self._entry(name)
        if not case.expect:
            entry["expect"] = dict.fromkeys([*line_paths(case), *RECORDED], OPEN)
            case = replace(case, expect=read_case({"name": name, "expect": dict(entry["expect"])}, "", None, {}).expect)
        (outcome,) = self.run([case]).outcomes
        if outcome.error:
            raise DokimaError(f"case '{name}' cannot be recorded: {outcome.error}")
        changed: list[tuple[str, str, str]] = []
        for expected in case.expect:
            if expected.path not in outcome.values or not (expected.is_open or case.recorded or not case.expect):
                continue
            new = written(outcome.values[expected.path])
            old = None if expected.is_open else written(expected.value)
            if new != old:
                _put(entry["expect"], expected.path, new)
                changed.append((expected.path, "" if old is None else shown(old) or "(blank)", shown(new) or "(blank)"))
        entry["recorded"] = True
        entry.pop("confirmed", None)
        write_whole(path, tomlkit.dumps(document))
        return changed

    def confirm(self, name: str, by: str, on: datetime.date) -> None:
        """Say that a case is right: name, day, and a digest of what it is now. Any edit makes it unconfirmed again.

        Raises:
            NotFound: There is no such case.
            DokimaError: It stands in a sheet, or does not pass.
        """
        case, path, document, entry = self._entry(name)
        (outcome,) = self.run([case]).outcomes
        if not outcome.passed:
            raise DokimaError(f"case '{name}' does not pass, so it cannot be confirmed")
        mark = tomlkit.inline_table()
        mark.update({"by": by, "on": on.isoformat(), "digest": case.digest(self.pinned(case))})
        entry["confirmed"] = mark
        write_whole(path, tomlkit.dumps(document))

    def _entry(self, name: str) -> tuple[Case, Path, Any, Any]:
        """A case, its file, the document in it, and its entry there."""
        (case,) = self.chosen([name])
        path = self.folder / case.file
        if path.suffix != ".toml":
            raise DokimaError(f"case '{name}' stands in a sheet; only cases in TOML are recorded and confirmed")
        document = tomlkit.parse(text_of(path))
        entry = next(each for each in document["case"] if each.get("name") == name)
        return case, path, document, entry


def prove(folder: str | Path, names: Sequence[str] = (), *, coverage: bool = False) -> Proof:
    """Run the cases of a rulebook's folder.

    Args:
        folder: The folder; its cases stand in ``cases/``, as TOML or as sheets.
        names: Names of cases; all if empty.
        coverage: Also say what those that pass reach.

    Raises:
        CaseError: A case cannot be read; all are told, with file and row.
        NotFound: There is no case of a name.
    """
    return CaseFolder(Path(folder)).prove(names, coverage=coverage)


def _of_toml(path: Path, name: str, known: dict[str, Case]) -> tuple[list[Case], dict[str, str]]:
    """The cases of a file, and why some changes of the rulebook need not be noticed, by their ids."""
    try:
        text = text_of(path)
        data = parse_toml(text)
    except TomlError as error:
        raise CaseError(f"{name}{f' row {error.row}' if error.row else ''}: {error}") from None
    except (OSError, UnicodeDecodeError) as error:
        raise CaseError(f"{name}: cannot be read: {getattr(error, 'strerror', None) or error}") from None
    entries = data.get("case", [])
    others = sorted(set(data) - {"case", "excuse"}) or ["case"] * (not isinstance(entries, list))
    if others:
        raise CaseError(f"{name}: expected [[case]] and [[excuse]] entries and nothing else (got '{others[0]}')")
    rows = [at for at, line in enumerate(text.splitlines(), start=1) if line.strip().replace(" ", "") == "[[case]]"]
    found: list[Case] = []
    for at, entry in enumerate(entries):
        case = read_case(entry, name, rows[at] if at < len(rows) else None, known)
        known.setdefault(case.name, case)
        found.append(case)
    return found, _excuses(data.get("excuse", []), name)


def _excuses(entries: Any, name: str) -> dict[str, str]:
    """Reasons and who gave them, by the id of what need not be noticed."""
    found: dict[str, str] = {}
    for entry in entries if isinstance(entries, list) else [entries]:
        known = isinstance(entry, Mapping) and set(entry) == {"id", "reason", "by"}
        if not known or not all(isinstance(value, str) and value.strip() for value in entry.values()):
            raise CaseError(f"{name}: expected an [[excuse]] with id, reason and by, each a text (got {entry!r})")
        found[entry["id"]] = f"{entry['reason']} ({entry['by']})"
    return found


def _rows(path: Path, book: Rulebook, table: str) -> list[dict[str, Any]]:
    """The rows of a pinned table, read as its own file is."""
    if table not in book.program.tables:
        raise NotFound(f"there is no table '{table}' to pin{nearest(table, book.program.tables)}")
    grid = read_grid(path, book.program.tables[table].definition)
    return [{heading: _at(column, row) for heading, column in grid.columns.items()} for row in range(grid.size)]


def _at(column: RawColumn, row: int) -> Any:
    place = column.place(row)
    return None if place < 0 else column.values[place]


def _put(expect: Any, path: str, value: Any) -> None:
    """Put a value at a path of the expectations, whether it is written as one key or as tables."""
    if path in expect:
        expect[path] = value
        return
    parts = path.split(".")
    for at in range(len(parts) - 1, 0, -1):
        key = ".".join(parts[:at])
        if key in expect and isinstance(expect[key], Mapping):
            _put(expect[key], ".".join(parts[at:]), value)
            return
    expect[path] = value


def prove_order(book: Rulebook, order: Order | Mapping[str, Any], expect: Mapping[str, Any], **said: Any) -> Outcome:
    """Compare one order with what is expected of it, as a case does.

    Args:
        book: The rulebook.
        order: The order.
        expect: What is expected, by path.
        said: What else a case may say.

    Raises:
        CaseError: The expectations cannot be read.
    """
    document = order.to_dict() if isinstance(order, Order) else dict(order)
    case = read_case({"name": "order", "order": document, "expect": expect, **said}, "Python", None, {})
    (outcome,), _ = run_cases([case], lambda _case: book.program, lambda _case: {})
    return outcome


def order_choices(book: Rulebook) -> tuple[dict[str, list[Any]], dict[str, list[Any]], list[str]]:
    """What orders of a rulebook may say: values of header fields, of line fields, and kinds of orders.

    They are the keys of tables that are found by one field, and the kinds that its routines are for.
    """
    from dokima.proving.examples import header_of

    levels: dict[str, dict[str, list[Any]]] = {"header": {}, "line": {}}
    for table in book.program.tables.values():
        if table.definition.is_key and len(table.conditions) == 1 and table.size:
            ((column, formula),) = table.conditions.items()
            level, _, name = formula.source.strip().partition(".")
            if level in levels and name.isidentifier():
                values = [value_at(table.cells[column], row) for row in range(table.size)]
                levels[level].setdefault(name, list(dict.fromkeys(values)))
    kinds = [str(found) for routine in book.program.routines if (found := header_of(routine).get("header.kind"))]
    return levels["header"], levels["line"], kinds
