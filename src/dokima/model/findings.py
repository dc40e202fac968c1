"""Findings: what rules and prices have to say about orders."""

from __future__ import annotations

import dataclasses
import operator
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, reduce
from itertools import chain
from typing import Any

import numpy as np

from dokima.columns.texts import Texts
from dokima.errors import Problem
from dokima.model.finding import COLUMNS, Finding, RuleSummary, in_words, worse_or_equal
from dokima.model.finding_columns import FindingColumns, Found, addresses_of
from dokima.model.said import SHOWN


@dataclass(frozen=True)
class Findings(Sequence[Finding]):
    """Findings in the order of orders, line sequence and rules.

    Attributes:
        items: The findings; many of one rule are kept as columns, and made where somebody looks at them.
        summary: For each rule that was asked, how often, and what came of it; empty if nobody counted.
        orders: How many orders were looked at; None if nobody counted.
    """

    items: Sequence[Finding] = ()
    summary: tuple[RuleSummary, ...] = dataclasses.field(default=(), compare=False)
    orders: int | None = dataclasses.field(default=None, compare=False)

    @classmethod
    def sorted(cls, found: Iterable[Found], orders: Callable[[], Texts]) -> Findings:
        """Findings by order, line number and rule; header findings come first.

        Args:
            found: In any sequence.
            orders: Gives the order numbers in their sequence; asked only if there are findings.
        """
        found = list(found)
        if not found:
            return NONE
        findings = [each for each in found if isinstance(each, Finding)]
        if len(findings) < len(found):
            return cls(FindingColumns.of(found).sorted(orders()))
        touched = {finding.order for finding in findings}
        numbers = (number or "" for number in orders().to_list())
        place = {number: at for at, number in enumerate(numbers) if number in touched}
        addresses = addresses_of({finding.line for finding in findings})
        rows = sorted(findings, key=lambda f: (place.get(f.order, len(place)), addresses[f.line], f.rule))
        return cls(tuple(rows))

    @classmethod
    def one_after_another(cls, pieces: Sequence[Findings]) -> Findings:
        """The findings of pieces of many orders, in the sequence of the pieces; each rule is counted once for all."""
        if len(pieces) == 1:
            return pieces[0]
        found = [[each.items] if isinstance(each.items, FindingColumns) else each.items for each in pieces if each]
        items = FindingColumns.of(chain.from_iterable(found)) if found else ()
        summaries = zip(*(each.summary for each in pieces), strict=True)
        return cls(items, tuple(reduce(operator.add, of_one) for of_one in summaries))

    @classmethod
    def of_problems(cls, problems: Iterable[Problem]) -> Findings:
        """Problems of documents as findings, so that one list tells everything."""
        found: list[Finding] = []
        for problem in problems:
            place = f" ({problem.place})" if problem.file else ""
            message = f"{problem.field}: {problem.message}{place}" if problem.field else f"{problem.message}{place}"
            found.append(Finding("document", "error", message, problem.order, problem.line, problem.field))
        return cls(tuple(found)) if found else NONE

    def __repr__(self) -> str:
        return f"<Findings: {len(self.errors)} errors of {len(self.items)}; {SHOWN}>"

    def __len__(self) -> int:
        return len(self.items)

    def __iter__(self) -> Iterator[Finding]:
        return iter(self.items)

    def __getitem__(self, index: Any) -> Any:
        return Findings(self.items[index]) if isinstance(index, slice) else self.items[index]

    def __add__(self, other: Findings) -> Findings:
        if self is NONE or other is NONE:
            return other if self is NONE else self
        orders = other.orders if self.orders is None else self.orders
        return Findings(_joined(self.items, other.items), self.summary + other.summary, orders)

    @property
    def errors(self) -> Findings:
        """Those that stop an order."""
        return self.where_shared(lambda finding: finding.severity == "error")

    @property
    def stopping(self) -> Findings:
        """Those that stop an operation: errors, and warnings that nobody has accepted yet."""
        return self.where_shared(lambda finding: finding.stops)

    def at_least(self, severity: str) -> Findings:
        """Those of a severity, and worse ones.

        Raises:
            NotFound: There is no such severity; names the nearest.
        """
        worst = worse_or_equal(severity)
        return self.where_shared(lambda finding: finding.severity in worst)

    def where(self, keep: Callable[[Finding], bool]) -> Findings:
        """Those that a test keeps."""
        return replace(self, items=tuple(finding for finding in self.items if keep(finding)))

    def where_shared(self, keep: Callable[[Finding], bool]) -> Findings:
        """Those that a test keeps, which may look at what the findings of one rule share, and so is asked once for all.

        Args:
            keep: Looks neither at order and line nor at message and values.
        """
        if isinstance(self.items, FindingColumns):
            return replace(self, items=self.items.kept(keep))
        return self.where(keep)

    def _at(self, positions: list[int]) -> Findings:
        """Those at some positions."""
        if isinstance(self.items, FindingColumns):
            return replace(self, items=self.items.at(np.array(positions, np.int64)))
        return replace(self, items=tuple(self.items[at] for at in positions))

    def column(self, name: str) -> list[Any]:
        """One attribute of all findings, such as ``order`` or ``message``."""
        if isinstance(self.items, FindingColumns):
            return self.items.column(name)
        return [getattr(finding, name) for finding in self.items]

    def beyond(self, others: Findings) -> Findings:
        """Those that others do not have: of other rules, orders or lines."""
        if not self or not others:
            return self
        known = set(others._places)
        return self._at([at for at, place in enumerate(self._places) if place not in known])

    @property
    def _places(self) -> list[tuple[str, str, str]]:
        """Of each its rule, order and line."""
        return list(zip(*(self.column(name) for name in ("rule", "order", "line")), strict=True))

    def of(self, order: str, line: str | None = None) -> Findings:
        """Those of one order, or of one of its lines."""
        found = self._at(self._by_order.get(order, []))
        return found if line is None else found.where(lambda finding: finding.line == line)

    @property
    def touched(self) -> list[str]:
        """The orders that have findings, in their sequence."""
        return list(self._by_order)

    @cached_property
    def _by_order(self) -> dict[str, list[int]]:
        """Positions of the findings of each order: a report asks for those of one order after the other."""
        places: dict[str, list[int]] = {}
        for at, order in enumerate(self.column("order")):
            places.setdefault(order, []).append(at)
        return places

    def to_dicts(self) -> list[dict[str, Any]]:
        """All of them as plain data."""
        return [finding.to_dict() for finding in self.items]

    def to_frame(self) -> Any:
        """A pandas DataFrame, one row a finding."""
        import pandas as pd

        columns = {name: self.column(name) for name in COLUMNS}
        values = [in_words(seen) for seen in self.column("values")]
        return pd.DataFrame({**columns, "values": values}, columns=[*COLUMNS, "values"])


def _joined(first: Sequence[Finding], second: Sequence[Finding]) -> Sequence[Finding]:
    """Findings one after the other, columns left as they are."""
    if not first or not second:
        return first or second
    if isinstance(first, tuple) and isinstance(second, tuple):
        return first + second
    parts = [[each] if isinstance(each, FindingColumns) else each for each in (first, second)]
    return FindingColumns.of(chain.from_iterable(parts))


NONE = Findings()
"""No findings at all, and nobody counted."""
