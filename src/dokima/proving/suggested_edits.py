"""Cases that edit an order, move it, or change it once agreed: tried for what no order reaches as it stands."""

from __future__ import annotations

import datetime
import itertools
from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal

from dokima.model.states import State
from dokima.pricing.program import Program
from dokima.proving.boundaries import Boundaries
from dokima.proving.cases import Case
from dokima.proving.pool import Change, Document, changed, leaf_of, plain
from dokima.proving.target import Target
from dokima.proving.wanted import rule_of

MOST_TRIED = 48
"""Edits that are tried for one target, at most."""
LITTLE_AND_MUCH = (Decimal(1), Decimal(10**6))
"""What numbers of the header are tried with when a change is decided: a budget that is spent, and one that is not."""
ASKED, DECIDED = "Ada", "Ben"
"""Who asks for a change in a suggested case, and who else may decide."""


class Edits:
    """Edits near known orders.

    Args:
        program: The rulebook.
        boundaries: Values worth trying.
        begin: Orders to begin with.
        today: For ``run.today``.
    """

    def __init__(
        self, program: Program, boundaries: Boundaries, begin: Sequence[Document], today: datetime.date
    ) -> None:
        self.program = program
        self.boundaries = boundaries
        self.begin = begin
        self.today = today

    def towards(self, target: Target, names: Sequence[str]) -> Iterator[Case]:
        """Cases that may reach a target.

        Args:
            target: The target.
            names: Fields that decide it.
        """
        rule = next((each for each in self.program.rules if each.id == rule_of(target)), None)
        if target.kind == "moves":
            yield from self._moves(target.name)
        elif rule is not None:
            at = rule.definition.at
            ways = [
                *([self._changed(rule.definition.field)] if "edit" in at else []),
                *([self._removed()] if "remove" in at else []),
                *([self._change_orders(names)] if "approve" in at else []),
            ]
            yield from itertools.islice(itertools.chain(*ways), MOST_TRIED)

    def _changed(self, about: str) -> Iterator[Case]:
        level, _, name = about.partition(".")
        for order in self.begin:
            number = _number(order)
            work = {"do": "change_line", "line": number} if level == "line" else {"do": "change_header"}
            for value in self.boundaries.values.get(about, []):
                given = {name: "" if value is None else plain(value)}
                yield Case("edit", order=order, edit=({**work, **given},), today=self.today)

    def _removed(self) -> Iterator[Case]:
        for order in self.begin:
            yield Case("edit", order=order, edit=({"do": "remove_line", "line": _number(order)},), today=self.today)

    def _moves(self, name: str) -> Iterator[Case]:
        """Orders moved from the first state to where a move begins, and on."""
        before, _, after = name.partition(" to ")
        path = _path_to(self.program.definition.lifecycle.states, before)
        for order in self.begin if path is not None else ():
            edit = [{"do": "move_to", "state": each} for each in path or ()]
            for way in ({"do": "move_to", "state": after}, {"do": "close_lines"}):
                yield Case("move", order=order, edit=(*edit, way), today=self.today)

    def _change_orders(self, names: Sequence[str]) -> Iterator[Case]:
        """Orders changed once they are agreed, approved by who asked for it, and by somebody else."""
        fields = [name for name in names if name.startswith("header.") and name in self.boundaries.values]
        numbers = [name for name in fields if any(isinstance(each, Decimal) for each in self.boundaries.values[name])]
        given: list[Sequence[Change]] = [(), *([(name, value)] for name in numbers for value in LITTLE_AND_MUCH)]
        for order, values in itertools.product(self.begin[:3], given):
            quantity = Decimal(str(leaf_of(order).get("quantity", 1)))
            more = {"do": "change_line", "line": _number(order), "quantity": plain(quantity + 1)}
            for who in (ASKED, DECIDED):
                work = ({"do": "open", "requested_by": ASKED}, more, {"do": "submit"}, {"do": "approve", "by": who})
                yield Case("change", order=changed(order, values), change=work, today=self.today)
            bare = (more, {"do": "submit"}, {"do": "approve", "by": DECIDED})
            yield Case("change", order=changed(order, values), change=bare, today=self.today)


def _number(order: Document) -> str:
    return str(leaf_of(order).get("number", "10"))


def _path_to(states: Mapping[str, State], wanted: str) -> list[str] | None:
    """The states through which an order comes from the first one to another."""
    ways: list[list[str]] = [[next(iter(states))]] if states else []
    seen = {way[-1] for way in ways}
    for way in ways:
        if way[-1] == wanted:
            return way[1:]
        for after in states[way[-1]].to:
            if after not in seen:
                seen.add(after)
                ways.append([*way, after])
    return None
