"""Tables whose rows are still in a database, until they are needed."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from dokima.errors import DokimaError, RulebookError, RulebookProblem
from dokima.model.databases import Query
from dokima.pricing.program import Program
from dokima.rulebook.replacing import left_out, with_tables, with_values_of

Placed = Callable[[RulebookProblem], RulebookProblem]


class Unasked:
    """A rulebook with tables whose rows are still in a database. It is asked once, for all threads.

    Args:
        program: The rulebook without them.
        names: The tables.
        placed: Gives a problem its file and line.
        refused: Why they are not asked for; blank if they are.
    """

    def __init__(self, program: Program, names: Sequence[str], placed: Placed, refused: str = "") -> None:
        self.declared = program
        self.names = tuple(names)
        self._placed = placed
        self._refused = refused
        self._found: Program | None = None
        self._lock = threading.Lock()

    def program(self) -> Program:
        """The rulebook with all rows.

        Raises:
            RulebookError: Something is wrong with them, or they cannot be read.
            DokimaError: Nobody trusts the rulebook with asking for them.
        """
        if self._found is None:
            with self._lock:
                if self._found is None:
                    self._found = self._asked()
        return self._found

    def _asked(self) -> Program:
        if self._refused:
            raise DokimaError(self._refused)
        definitions = {each.name: each for each in self.declared.definition.tables}
        queries = {name: definitions[name].rows for name in self.names}
        wanted = {name: Query(each.source, each.query) for name, each in queries.items() if each is not None}
        try:
            return with_tables(self.declared, wanted)
        except RulebookError as error:
            raise RulebookError([self._placed(problem) for problem in error.problems]) from None

    def with_values(self, values: Mapping[str, Any]) -> Unasked:
        """The rulebook with other named values, its rows still to be asked for."""
        return Unasked(with_values_of(self.declared, values), self.names, self._placed, self._refused)

    def without(self, names: Sequence[str]) -> Unasked:
        """The rulebook without some of its rules and steps, its rows still to be asked for."""
        return Unasked(left_out(self.declared, names), self.names, self._placed, self._refused)

    def with_tables(self, tables: Mapping[str, Any]) -> tuple[Program, Unasked | None]:
        """The rulebook with other rows in some of its tables, and what is still to be asked for."""
        program = with_tables(self.declared, tables)
        left = [name for name in self.names if name not in tables]
        return program, Unasked(program, left, self._placed, self._refused) if left or self._refused else None

    def __getstate__(self) -> dict[str, Any]:
        return {name: value for name, value in vars(self).items() if name != "_lock"}

    def __setstate__(self, state: dict[str, Any]) -> None:
        vars(self).update(state)
        self._lock = threading.Lock()
