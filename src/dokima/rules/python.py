"""Rules in Python: ``@dokima.rule("id", at="enter")`` on a function of a line and its order.

The function answers with `accept()` or `refuse(message)`, or yields several of them. One that returns nothing, returns
something else or raises is undecided, and so refuses: nothing passes because a rule forgot to answer.
"""

from __future__ import annotations

import inspect
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from dokima.columns.column import value_at
from dokima.errors import nearest
from dokima.formulas import Frame, UnknownName


@dataclass(frozen=True)
class Answer:
    """What a rule in Python answers: accepted, or refused with a message."""

    accepted: bool
    message: str = ""


def accept() -> Answer:
    """The answer of a rule that is satisfied."""
    return Answer(True)


def refuse(message: str) -> Answer:
    """The answer of a rule that is not, and why."""
    return Answer(False, message)


@dataclass(frozen=True)
class PythonRule:
    """The function of a rule in Python, and whether it is asked about all lines at once."""

    work: Callable[..., Any]
    columns: bool = False

    @property
    def by_line(self) -> bool:
        """Whether it is asked about every line, else once per order."""
        return self.columns or "line" in self.arguments

    @property
    def of_change(self) -> bool:
        """Whether it asks for the change that is being approved."""
        return not self.columns and "change" in self.arguments

    @property
    def arguments(self) -> Sequence[str]:
        """Names of its arguments."""
        return list(inspect.signature(self.work).parameters)


class View:
    """A line, an order or a change as a rule in Python sees it: fields as attributes, any dotted name in brackets."""

    def __init__(
        self,
        frame: Frame,
        order: int,
        line: int | None,
        known: dict[str, Any],
        seen: dict[str, Any],
        level: Literal["header", "line", "change"] = "header",
    ) -> None:
        self._level = level if line is None else "line"
        self._frame = frame
        self._order = order
        self._line = line
        self._known = known
        self._seen = seen

    def __getitem__(self, name: str) -> Any:
        columns = self._known
        key = f"{name}@{self._line is None}"
        if key not in columns:
            columns[key] = self._frame.column(name) if self._line is None else self._frame.line_column(name)
        at = self._order if self._line is None else self._line
        self._refuse_failed(name, at)
        value = value_at(columns[key], at)
        self._seen.setdefault(name, value)
        return value

    def _refuse_failed(self, name: str, at: int) -> None:
        """A rule cannot work with a value that an own function failed to give."""
        failed = self._frame.failures(name) if self._frame.has_failures else None
        if failed is None:
            return
        if self._line is not None and len(failed) != len(self._frame.order_of):
            at = self._order
        if text := value_at(failed, at):
            raise ValueError(f"{name} has no value: {text}")

    def __getattr__(self, name: str) -> Any:
        if name.startswith("_"):
            raise AttributeError(name)
        try:
            return self[f"{self._level}.{name}"]
        except (KeyError, UnknownName):
            raise AttributeError(f"there is no field or figure '{name}'") from None

    @property
    def lines(self) -> list[View]:
        """The lines of the order."""
        at = self._frame.by_order.members(self._order)
        return [View(self._frame, self._order, line, self._known, {}) for line in at]


class ColumnsView:
    """All lines as a rule over columns sees them: ``columns["line.quantity"]`` is a list with a value per line."""

    def __init__(self, frame: Frame) -> None:
        self._frame = frame
        self.seen: dict[str, list[Any]] = {}

    def __getitem__(self, name: str) -> list[Any]:
        if name not in self.seen:
            column = self._frame.line_column(name).spread(len(self._frame.order_of))
            self.seen[name] = [value_at(column, at) for at in range(len(column))]
        return self.seen[name]


Asked = tuple[bool | None, str, dict[str, Any]]
"""The answer of a rule at a place: True, False or None (undecided), its message, and the values it read."""


def ask(declared: PythonRule, frame: Frame, places: Sequence[tuple[int, int | None]]) -> Iterator[Asked]:
    """The answer of a rule at each place.

    Args:
        declared: The rule.
        frame: The columns it sees.
        places: Position of the order, and of the line or None.
    """
    if declared.columns:
        yield from _asked_columns(declared, frame, places)
        return
    known: dict[str, Any] = {}
    for order, line in places:
        seen: dict[str, Any] = {}
        views = {"order": View(frame, order, None, known, seen)}
        if line is not None:
            views["line"] = View(frame, order, line, known, seen)
        if declared.of_change:
            views["change"] = View(frame, order, None, known, seen, "change")
        try:
            answer = declared.work(**{name: views[name] for name in declared.arguments})
            answers = list(answer) if isinstance(answer, Iterator) else [answer]
        except KeyError as error:
            yield (
                None,
                f"expected arguments named line, order and change (got {error}{nearest(str(error), views)})",
                seen,
            )
            continue
        except Exception as error:  # a rule that fails has not answered, and that refuses
            yield None, f"it raised {type(error).__name__}: {error}", seen
            continue
        yield (*_joined(answers), seen)


def _joined(answers: Sequence[Any]) -> tuple[bool | None, str]:
    """Several answers as one: refused if one refuses, undecided if one is none."""
    odd = [answer for answer in answers if not isinstance(answer, Answer)]
    if odd or not answers:
        came = "nothing" if not odd or odd[0] is None else repr(odd[0])
        return None, f"expected accept() or refuse(message) (it returned {came})"
    refused = [answer.message for answer in answers if not answer.accepted]
    return not refused, "; ".join(refused)


def _asked_columns(declared: PythonRule, frame: Frame, places: Sequence[tuple[int, int | None]]) -> Iterator[Asked]:
    view = ColumnsView(frame)
    try:
        given = declared.work(view)
        verdicts: list[Any] = list(given) if isinstance(given, Iterable) else []
    except Exception as error:  # as above
        for _ in places:
            yield None, f"it raised {type(error).__name__}: {error}", {}
        return
    if len(verdicts) != len(frame.order_of):
        for _ in places:
            yield None, f"expected {len(frame.order_of)} answers, one a line (it returned {len(verdicts)})", {}
        return
    for _, line in places:
        verdict = verdicts[line or 0]
        seen = {name: values[line or 0] for name, values in view.seen.items()}
        yield (None if verdict is None else bool(verdict)), "", seen
