"""Loading a rulebook: a folder of TOML files and tables, or plain data in Python. Every problem in one pass."""

from __future__ import annotations

import os
import runpy
import traceback
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from dokima.changes.policy import is_policy
from dokima.compiling.program_builder import build_program
from dokima.errors import DocumentError, DokimaError, RulebookError, RulebookProblem, nearest
from dokima.formats.frames import grid_of
from dokima.formats.grid import Grid
from dokima.formats.layouts import Layout
from dokima.formats.registry import read_grid
from dokima.formats.regular_files import files_in, reached, text_of
from dokima.formulas.custom import own_function
from dokima.limits import NUMBER_DIGITS
from dokima.model.arguments import came, is_halved
from dokima.model.databases import VARIABLES, Access, Database, Query
from dokima.model.source import note_beside, note_class, source_of
from dokima.pricing.kinds.kind import StepKind, is_own
from dokima.pricing.program import Program
from dokima.rulebook.adapters import defined, model_of
from dokima.rulebook.answers import with_answers
from dokima.rulebook.definitions import program_definition
from dokima.rulebook.places import line_of
from dokima.rulebook.python_files import file_of, modules_beside
from dokima.rulebook.replacing import no_source, queried, replaced_values, spread
from dokima.rulebook.sections import RulebookSections
from dokima.rulebook.toml_text import TomlError, parse_toml
from dokima.rulebook.unasked import Unasked
from dokima.rulebook.wrong_settings import wrong_settings
from dokima.rules.declaring import declared_rule
from dokima.tables.definition import TableDefinition, TableSource


@dataclass
class _Text:
    """The TOML files of a rulebook and which file says what."""

    files: dict[str, str] = field(default_factory=dict)
    owner: dict[tuple[str, str], str] = field(default_factory=dict)

    def placed(self, problem: RulebookProblem) -> RulebookProblem:
        """The problem with file and line, as far as they can be told."""
        if problem.file or not self.files:
            return problem
        section, _, rest = problem.path.partition(".")
        name = rest.split(".")[0].partition("@")[0]
        file = self.owner.get((section, name)) or self.owner.get((section, "")) or next(iter(self.files))
        return replace(problem, file=file, text_line=line_of(self.files[file], problem.path))


@dataclass(frozen=True)
class Loaded:
    """A rulebook as it was loaded.

    Attributes:
        program: What was compiled; tables whose rows come from a database have none yet.
        layouts: Layouts of other people's files, by name.
        later: The same with the rows of those tables, once they are needed; None if all are there.
        left_out: What was not loaded, because its loader trusts it with nothing.
    """

    program: Program
    layouts: dict[str, Layout]
    later: Unasked | None = None
    left_out: Sequence[str] = ()


def load_folder(
    folder: Path,
    tables: Mapping[str, Any],
    values: Mapping[str, Any],
    kinds: Sequence[StepKind | type[StepKind]] = (),
    access: Access | None = None,
) -> Loaded:
    """A rulebook from a folder: all its ``*.toml`` files together, and the tables they name.

    Args:
        folder: The folder.
        tables: Rows that stand in for a table's file, or the path of another file.
        values: Named values that stand in for those of the rulebook; a text is read as what it replaces.
        kinds: Kinds of steps beside those that are built in.
        access: What it may reach.

    Raises:
        RulebookError: With every problem, each with file, place, what was expected and what came.
    """
    access = access or Access("folder", str(folder))
    paths = sorted(files_in(folder, ".toml"), key=lambda path: (path.name != "rulebook.toml", path.name))
    if not paths:
        missing = (
            "there is no such folder"
            if not os.path.isdir(folder)
            else "it holds no .toml file; 'dokima init' begins one"
        )
        message = f"expected a folder with rulebook.toml ({missing})"
        raise RulebookError([RulebookProblem(str(folder), "", message)])
    text, data = _Text(), dict[str, Any]()
    problems: list[RulebookProblem] = []
    for path in paths:
        problems += _read_toml(path, text, data)
    if "rulebook" not in data and paths[0].name != "rulebook.toml" and not problems:
        message = (
            "expected a folder with rulebook.toml (none of its .toml files has [rulebook]; 'dokima init' begins one)"
        )
        raise RulebookError([RulebookProblem(str(folder), "", message)])
    problems += replaced_values(data, values)
    if problems:
        raise RulebookError(problems)
    return _compile(data, text, tables, folder, access, kinds=kinds)


def load_data(
    data: Mapping[str, Any],
    tables: Mapping[str, Any],
    python: Sequence[object] = (),
    kinds: Sequence[StepKind | type[StepKind]] = (),
    access: Access | None = None,
) -> Loaded:
    """A rulebook from plain data of the same shape as ``rulebook.toml``, rows for its tables, and Python functions.

    Raises:
        RulebookError: With every problem.
    """
    if not isinstance(data, Mapping):
        message = f"expected a rulebook as plain data, sections by name (got {came(data)})"
        raise RulebookError([RulebookProblem("", "", message)])
    for given, name in ((tables, "tables"), (python, "python"), (kinds, "kinds")):
        wanted: Any = Mapping if name == "tables" else Sequence
        if not isinstance(given, wanted) or isinstance(given, str | bytes):
            what = "rows by table" if name == "tables" else "a list"
            raise DokimaError(f"{name}: expected {what} (got {came(given)})")
    return _compile(data, _Text(), tables, None, access or Access(), python, kinds)


def _read_toml(path: Path, text: _Text, data: dict[str, Any]) -> list[RulebookProblem]:
    try:
        content = text_of(path)
        parsed = parse_toml(content)
    except TomlError as error:
        return [RulebookProblem(path.name, "", str(error), text_line=error.row)]
    except (OSError, UnicodeDecodeError) as error:
        return [RulebookProblem(path.name, "", f"cannot be read: {getattr(error, 'strerror', None) or error}")]
    text.files[path.name] = content
    problems: list[RulebookProblem] = []
    for section, entries in parsed.items():
        if isinstance(entries, list):
            data.setdefault(section, []).extend(entries)
            for entry in entries:
                if isinstance(entry, dict):
                    text.owner[section, str(entry.get("id", ""))] = path.name
            continue
        if not isinstance(entries, dict):
            data[section] = entries
            text.owner[section, ""] = path.name
            continue
        known = data.setdefault(section, {})
        for name, entry in entries.items():
            if name in known:
                message = f"expected it once (it stands in {text.owner[section, name]} already)"
                problems.append(RulebookProblem(path.name, f"{section}.{name}", message))
            known[name] = entry
            text.owner[section, name] = path.name
        text.owner.setdefault((section, ""), path.name)
    return problems


def _compile(
    data: Mapping[str, Any],
    text: _Text,
    tables: Mapping[str, Any],
    folder: Path | None,
    access: Access,
    python: Sequence[object] = (),
    kinds: Sequence[StepKind | type[StepKind]] = (),
) -> Loaded:
    if odd := list(_unreadable(data, "")):
        raise RulebookError([text.placed(problem) for problem in odd])
    data, unanswered = with_answers(data)
    if unanswered:
        raise RulebookError([text.placed(problem) for problem in unanswered])
    try:
        model = model_of(RulebookSections).model_validate(data)
    except ValidationError as error:
        raise RulebookError([text.placed(problem) for problem in wrong_settings(error, data)]) from None
    sections: RulebookSections = defined(RulebookSections, model)
    problems = list(_not_permitted(sections.source, access))
    databases = {name: replace(each, access=access) for name, each in sections.source.items()}
    sections = replace(sections, source=databases)
    reach = _Reach(folder, access)
    sources, wrong = _sources(sections, tables, reach)
    problems += wrong
    files = () if access.trust == "nothing" else sections.rulebook.python
    left_out = [] if files else list(sections.rulebook.python)
    own = [*python, *_python_files(files, reach, problems)]
    if unknown := _without_source([*own, *kinds]):
        raise RulebookError([text.placed(problem) for problem in (*problems, *unknown)])
    layouts = {name: _reached(layout, sections.source, problems) for name, layout in sections.layout.items()}
    try:
        definition = program_definition(sections, _with_kinds(model), sources, own, [*_own_kinds(own), *kinds])
    except RulebookError as error:
        raise RulebookError([text.placed(problem) for problem in (*problems, *error.problems)]) from None
    problems += _layout_problems(layouts, definition.fields.header, definition.fields.line)
    try:
        program = build_program(definition)
    except RulebookError as error:
        problems += error.problems
    if problems:
        problems += [RulebookProblem("", "rulebook.python", f"{name}: {_LEFT_OUT}") for name in left_out]
        raise RulebookError([text.placed(problem) for problem in problems])
    unasked = [name for name in sources if name not in tables and sections.table[name].rows is not None]
    if access.trust == "nothing":
        rows = {name: sections.table[name].rows for name in unasked}
        left_out += [f"the rows of table '{name}' from [source.{each.source}]" for name, each in rows.items() if each]
    refused = f"nothing is worked out without {', '.join(left_out)}; {_LEFT_OUT}" if left_out else ""
    later = Unasked(program, unasked, text.placed, refused) if unasked or refused else None
    return Loaded(program, layouts, later, tuple(left_out))


def _unreadable(data: Any, path: str) -> Iterator[RulebookProblem]:
    """Texts and numbers that nothing could hold, wherever they stand: half a character, thousands of digits."""
    if isinstance(data, str):
        if is_halved(data):
            said = f"expected whole characters (got half of a surrogate pair in {data!a:.60})"
            yield RulebookProblem("", path, said)
    elif isinstance(data, int | Decimal):
        # Written out, 1E+999999999 has a thousand million digits, and some message would write it out.
        digits = data.adjusted() if isinstance(data, Decimal) and data.is_finite() else 0
        if (isinstance(data, int) and abs(data) >= 10**NUMBER_DIGITS) or abs(digits) > NUMBER_DIGITS:
            message = f"expected a number of at most {NUMBER_DIGITS} digits (got {came(data)})"
            yield RulebookProblem("", path, message)
    elif isinstance(data, Mapping):
        for name, value in data.items():
            if not isinstance(name, str) or is_halved(name):
                yield RulebookProblem("", path, f"expected a name (got {came(name)})")
            else:
                yield from _unreadable(value, f"{path}.{name}" if path else name)
    elif isinstance(data, list | tuple):
        for at, value in enumerate(data):
            named = (value.get("id") or value.get("name")) if isinstance(value, Mapping) else None
            yield from _unreadable(value, f"{path}.{named if isinstance(named, str) else at}")


_LEFT_OUT = "that is left out, because the rulebook is trusted with nothing (--trust folder or all)"


def _not_permitted(databases: Mapping[str, Database], access: Access) -> Iterator[RulebookProblem]:
    """Variables of the environment that a rulebook names, and that its loader does not let it name."""
    if access.trust == "nothing":
        return
    for name, database in databases.items():
        for variable in database.url.names:
            if not access.permits(variable):
                hint = f"expected a variable that it may name (got ${variable}): --environment {variable} permits it"
                yield RulebookProblem("", f"source.{name}.url", f"{hint}, or one that begins with {VARIABLES}")


@dataclass(frozen=True)
class _Reach:
    """Where the files of a rulebook are, and which of them may be read.

    Attributes:
        folder: Its folder; None for a rulebook built in Python.
        access: What it may reach.
    """

    folder: Path | None
    access: Access

    def path(self, name: str) -> Path:
        """The path of a file.

        Raises:
            DokimaError: It lies outside the folder, once links are followed.
        """
        if self.folder is None:
            raise DokimaError("a rulebook built in Python is given rows and functions, not files")
        return reached(self.folder, name, self.access)


def _with_kinds(model: Any) -> dict[str, set[str]]:
    """The fields of header and lines that say of what kind they are."""
    return {
        level: {name for name, column in getattr(model, level).items() if column.kind is not None}
        for level in ("header", "line")
    }


def _without_source(python: Sequence[object]) -> list[RulebookProblem]:
    """Functions and kinds of steps of which nobody could tell whether they have changed."""
    problems: list[RulebookProblem] = []
    for body in python:
        kind = body if isinstance(body, type) else type(body)
        is_kind = issubclass(kind, StepKind)
        if is_kind or declared_rule(body) or own_function(body) or is_policy(body):
            try:
                note_beside(body)
                source_of(kind if is_kind else body)
            except DokimaError as error:
                problems.append(RulebookProblem("", "rulebook.python", str(error)))
    return problems


def _python_files(names: Sequence[str], reach: _Reach, problems: list[RulebookProblem]) -> list[object]:
    """What the Python files of a rulebook hold; a file that fails is a problem with its line."""
    found: list[object] = []
    for name in names:
        try:
            path = reach.path(name)
        except DokimaError as error:
            problems.append(RulebookProblem("", "rulebook.python", str(error)))
            continue
        try:
            with modules_beside(path.parent):
                space = runpy.run_path(str(path), run_name=f"dokima_rulebook_{path.stem}")
                for body in space.values():
                    if isinstance(body, type) and (file := file_of(body, space["__name__"], path)) is not None:
                        note_class(body, str(file))
        except FileNotFoundError:
            problems.append(
                RulebookProblem("", "rulebook.python", f"expected a Python file beside the rulebook (got '{name}')")
            )
        except Exception as error:  # whatever the file raises while it loads is a problem of the rulebook
            frames = [frame for frame in traceback.extract_tb(error.__traceback__) if frame.filename == str(path)]
            line = error.lineno if isinstance(error, SyntaxError) else frames[-1].lineno if frames else None
            problems.append(RulebookProblem(name, "", f"{type(error).__name__}: {error}", text_line=line))
        else:
            found += space.values()
    return found


def _own_kinds(python: Sequence[object]) -> list[type[StepKind]]:
    """The kinds of steps that the Python of a rulebook says: classes with a name of their own that are not built in."""
    return [
        body
        for body in python
        if isinstance(body, type) and issubclass(body, StepKind) and "name" in vars(body) and is_own(body)
    ]


# -- tables and layouts ---------------------------------------------------------------------------------------


def _sources(
    spec: RulebookSections, given: Mapping[str, Any], reach: _Reach
) -> tuple[dict[str, TableSource], list[RulebookProblem]]:
    sources: dict[str, TableSource] = {}
    problems: list[RulebookProblem] = []
    for name in given:
        if name not in spec.table:
            problems.append(
                RulebookProblem(
                    "", "table", f"rows were given for '{name}', which is no table{nearest(name, spec.table)}"
                )
            )
    for name, table in spec.table.items():
        grid, file, is_unread = Grid({}, 0, _no_rows()), table.file or "", True
        try:
            if table.rows is None or name in given:
                grid, file = _grid(name, table, given, reach, spec.source)
                grid = spread(table, grid)
            elif table.rows.source not in spec.source:
                raise DokimaError(no_source(table.rows.source, spec.source))
            is_unread = False
        except DocumentError as error:
            for problem in error.problems:
                problems.append(RulebookProblem(file, f"table.{name}.file", problem.message, problem.row))
        except DokimaError as error:
            problems.append(RulebookProblem("", f"table.{name}", str(error)))
        for problem in grid.problems:
            said = f"{problem.field}: {problem.message}" if problem.field else problem.message
            problems.append(RulebookProblem(file, f"table.{name}", said, problem.row))
        sources[name] = TableSource(grid.columns, grid.size, file, grid.rows, table.reader, is_unread)
    return sources, problems


def _no_rows() -> Any:
    import numpy as np

    return np.zeros(0, np.int64)


def _grid(
    name: str,
    table: TableDefinition,
    given: Mapping[str, Any],
    reach: _Reach,
    databases: Mapping[str, Database],
) -> tuple[Grid, str]:
    """The rows of a table, and the file they are from. What is found by a key is never found by an empty row."""
    grid, file = _every_row(name, table, given, reach, databases)
    return (grid.without_empty_rows() if table.is_key else grid), file


def _every_row(
    name: str,
    table: TableDefinition,
    given: Mapping[str, Any],
    reach: _Reach,
    databases: Mapping[str, Database],
) -> tuple[Grid, str]:
    if isinstance(given.get(name), str | Path):
        path = Path(given[name])
        return read_grid(path, table), path.name
    if isinstance(given.get(name), Query):
        return queried(name, databases, given[name])
    if name in given:
        return grid_of(given[name], f"rows of table '{name}'"), ""
    if table.file is None or reach.folder is None:
        raise DokimaError(
            f"expected rows for table '{name}': a 'file' beside the rulebook, or tables={{'{name}': ...}}"
        )
    return read_grid(reach.path(table.file), table), table.file


def _reached(layout: Layout, databases: Mapping[str, Database], problems: list[RulebookProblem]) -> Layout:
    """A layout whose queries know their database."""
    if layout.queries is None:
        return layout
    name = layout.queries.source
    if name not in databases:
        problems.append(RulebookProblem("", f"layout.{layout.name}.queries.source", no_source(name, databases)))
        return layout
    return replace(layout, queries=replace(layout.queries, database=databases[name]))


def _layout_problems(
    layouts: Mapping[str, Layout], header: Mapping[str, Any], line: Mapping[str, Any]
) -> list[RulebookProblem]:
    problems = []
    for name, layout in layouts.items():
        for level, said, known in (("header", layout.header, header), ("line", layout.line, line)):
            for each in said:
                if each not in known:
                    message = f"expected a {level} field (got '{each}'{nearest(each, known)})"
                    problems.append(RulebookProblem("", f"layout.{name}.{level}.{each}", message))
    return problems
