"""The error tree. Everything Dokima raises on purpose is a `DokimaError`.

    DokimaError
    ├── RulebookError       a rulebook that cannot be used; carries every problem
    │   └── FormulaError    one formula; position and nearest known name
    ├── DocumentError       orders that cannot be read; carries every problem
    ├── ExactError          arithmetic that would lose a digit or has no answer
    ├── Refused             an operation that findings stopped
    ├── Locked              an order or line whose state does not permit the operation
    ├── StaleBaseline       a change order whose original has moved since it was frozen
    ├── Conflict            two changes of the same thing, or two writers at once
    ├── StoreError          a database that cannot be reached, or that refuses
    └── NotFound            an order, line, figure or file that is not there

A message says what was expected, what came and, where it helps, what to do. The same facts are attributes.
"""

from __future__ import annotations

import difflib
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any


class DokimaError(Exception):
    """Root of every error that Dokima raises on purpose."""

    def __reduce__(self) -> tuple[Any, ...]:
        """As it is: Python would make it anew from its message, which is not what most of these are made from."""
        return _as_it_was, (type(self), self.args, self.__dict__)


def _as_it_was(kind: type[DokimaError], args: tuple[Any, ...], facts: dict[str, Any]) -> DokimaError:
    error = kind.__new__(kind, *args)
    error.__dict__.update(facts)
    return error


@dataclass(frozen=True)
class RulebookProblem:
    """One thing wrong with a rulebook.

    Attributes:
        file: File name as shown to people, blank for a rulebook built in Python.
        path: Dotted path of the key, such as ``table.agreed.choose``.
        message: What was expected, what came and what to do.
        row: Row of a table file, counted from 1 with the heading as row 1.
        column: Column heading of a table file.
        text_line: Line of a TOML file, counted from 1.
    """

    file: str
    path: str
    message: str
    row: int | None = None
    column: str | None = None
    text_line: int | None = None

    def __str__(self) -> str:
        place = self.file
        if self.text_line is not None:
            place += f" line {self.text_line}"
        if self.row is not None:
            place += f" row {self.row}"
        if self.column is not None:
            place += f" column {self.column}"
        where = ", ".join(part for part in (place.strip(), self.path) if part)
        return f"{where}: {self.message}" if where else self.message


class RulebookError(DokimaError):
    """A rulebook that cannot be used. ``problems`` lists all of them, in the order of the files."""

    def __init__(self, problems: Sequence[RulebookProblem]) -> None:
        self.problems = tuple(problems)
        count = len(self.problems)
        head = f"the rulebook has {count} problem{'s' if count != 1 else ''}"
        super().__init__("\n".join([f"{head}:", *(f"- {problem}" for problem in self.problems)]))


class FormulaError(RulebookError):
    """A formula that cannot be read or does not make sense.

    Attributes:
        formula: The formula as written.
        position: 0-based character where the trouble starts.
        reason: What is wrong, without the formula.
    """

    def __init__(self, formula: str, position: int, reason: str) -> None:
        self.formula = formula
        self.position = max(0, min(position, len(formula)))
        self.reason = reason
        super().__init__([RulebookProblem("", "", self.pointed())])

    def pointed(self) -> str:
        """The reason, the formula on a line of its own, and a caret under the place."""
        flat = self.formula.replace("\n", " ")
        return f"{self.reason}\n    {flat}\n    {' ' * self.position}^"


@dataclass(frozen=True)
class Problem:
    """One thing wrong with a document that came in.

    Attributes:
        order: Order number as far as it is known, else blank.
        line: Line number, blank for the header.
        field: Field name, blank where the problem is about the whole order or line.
        message: What was expected and what came.
        file: Source file, blank if the order came from Python.
        row: Row in that file, counted from 1.
        cell: Cell of a workbook, such as F5, blank for other files.
    """

    order: str
    line: str
    field: str
    message: str
    file: str = ""
    row: int | None = None
    cell: str = ""

    @property
    def place(self) -> str:
        """File and row, or cell; blank for an order that came from Python."""
        where = f"cell {self.cell}" if self.cell else f"row {self.row}" if self.row else ""
        return f"{self.file} {where}".strip()

    def __str__(self) -> str:
        parts = [place] if (place := self.place) else []
        if self.order:
            parts.append(f"order {self.order}")
        if self.line:
            parts.append(f"line {self.line}")
        if self.field:
            parts.append(self.field)
        return f"{', '.join(parts)}: {self.message}" if parts else self.message


class DocumentError(DokimaError):
    """Orders that cannot be read. ``problems`` lists all of them; ``said`` stands above them in the message."""

    def __init__(self, problems: Sequence[Problem], said: str = "") -> None:
        self.problems = tuple(problems)
        self.said = said
        messages = [str(problem) for problem in self.problems]
        super().__init__("\n".join([f"{said}:", *messages] if said else messages))


class HeadingsError(DocumentError):
    """Orders whose headings are not those of their layout."""

    def with_hint(self, hint: str) -> HeadingsError:
        """The same, with what may help."""
        return HeadingsError([replace(problem, message=problem.message + hint) for problem in self.problems])


class ExactError(DokimaError, ArithmeticError):
    """Arithmetic that would lose a digit, or that has no answer."""


class Refused(DokimaError):
    """An operation that findings stopped: errors, or warnings that nobody has accepted. ``findings`` holds them."""

    def __init__(self, message: str, findings: Sequence[Any] = ()) -> None:
        self.findings = tuple(findings)
        super().__init__(message)


class Locked(DokimaError):
    """An order or line whose state does not permit an operation. ``state`` is that state."""

    def __init__(self, message: str, state: str) -> None:
        self.state = state
        super().__init__(message)


class StaleBaseline(DokimaError):
    """A change order whose original has moved since it was frozen. ``moved`` lists what, one text each."""

    def __init__(self, message: str, moved: Sequence[str]) -> None:
        self.moved = tuple(moved)
        super().__init__("\n".join([message, *(f"- {each}" for each in moved)]))


class Conflict(DokimaError):
    """Two changes of the same thing, or two writers at once. ``conflicts`` lists them, one text each."""

    def __init__(self, message: str, conflicts: Sequence[str] = ()) -> None:
        self.conflicts = tuple(conflicts)
        super().__init__("\n".join([message, *(f"- {each}" for each in conflicts)]))


class StoreError(DokimaError):
    """A database that cannot be reached, or that refuses.

    Attributes:
        is_lost: Whether the connection to it is gone, so that it may be there again later.
    """

    def __init__(self, message: str, *, is_lost: bool = False) -> None:
        super().__init__(message)
        self.is_lost = is_lost


class NotFound(DokimaError, LookupError):
    """An order, line, figure, column or file that is not there."""


def nearest(word: str, known: Iterable[str]) -> str:
    """``; did you mean 'x'?`` for the nearest known word, else a blank text."""
    found = close_to(word, known)
    return f"; did you mean '{found}'?" if found else ""


MOST_COMPARED = 10_000
"""So many words are compared with one that is not known: a tenth of a second. Among a million order numbers every
wrong one has a hundred neighbours."""


def close_to(word: str, known: Iterable[str]) -> str:
    """The nearest known word, blank if none is near, or where too many are known to compare it with each."""
    words = list(known)
    if len(words) > MOST_COMPARED:
        return ""
    found = difflib.get_close_matches(str(word), words, n=1, cutoff=0.6)
    return found[0] if found else ""


def listed(words: Iterable[str], most: int = 12) -> str:
    """Words in one sentence part: ``a, b, c`` and how many more there are."""
    every = list(words)
    more = f" and {len(every) - most} more" if len(every) > most else ""
    return ", ".join(every[:most]) + more


for _error in (DokimaError, *DokimaError.__subclasses__(), FormulaError):
    _error.__module__ = "dokima"  # what people import it from is what a traceback says


def refuse_unknown_columns(wanted: Iterable[str], known: Collection[str]) -> None:
    """Refuse a column that a table does not have.

    Args:
        wanted: The columns asked for.
        known: Those there are.

    Raises:
        NotFound: There is no such column; names the nearest.
    """
    for name in wanted:
        if name not in known:
            raise NotFound(f"there is no column '{name}'{nearest(name, known)}; there are {listed(known, 60)}")
