"""`Plan`: what each document holds of each line before and after a change. Report and settlement read the same one."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from functools import cached_property

from dokima.changes.combining import OWN, LineValues, delivered_of
from dokima.changes.delivered_part import counted_part
from dokima.changes.documents import agreed_state, has_ended, leaves, state_of, total
from dokima.changes.line_map import LineMap
from dokima.changes.variance import LineVariance, Variance
from dokima.columns.shown import shown
from dokima.errors import Refused, listed
from dokima.model.content import plain
from dokima.model.document import Document
from dokima.model.states import CLOSED, Settle
from dokima.pricing.program import Program

Policy = Callable[[LineVariance], bool]
"""Says of a line that grew or was added whether its growth is ordered separately."""


@dataclass
class Share:
    """What one document holds of one line: how much before and after, and its part of each figure.

    Attributes:
        at: Which document; the one after the last is the new supplement.
        line: The number of the line there; blank where it is not there before.
        before: Its quantity before.
        after: Its quantity afterwards.
        holds: Whether the line is there afterwards.
        has_ended: Whether the document has ended, so that nothing of it moves.
        figures: Its part of each amount afterwards.
    """

    at: int
    line: str = ""
    before: Decimal | None = None
    after: Decimal | None = None
    holds: bool = False
    has_ended: bool = False
    figures: dict[str, Decimal | None] = field(default_factory=dict)

    @property
    def is_new(self) -> bool:
        """Whether the line comes into the document."""
        return self.holds and not self.line

    def give(self, quantity: Decimal | None) -> None:
        """It holds so much afterwards."""
        self.after, self.holds = quantity, True

    def lose(self) -> None:
        """It does not hold the line any more."""
        self.after, self.holds = None, False


class Plan:
    """Which document takes what of each line.

    Args:
        program: The rulebook.
        documents: The original and its supplements.
        line_map: The lines of them that the lines of the order as a whole stand for.
        before: The order before the change.
        after: The order with the change.
        variance: What the change comes to.
        policy: amend, split, or a function that says whose growth is ordered separately.
    """

    def __init__(
        self,
        program: Program,
        documents: Sequence[Document],
        line_map: LineMap,
        before: Document,
        after: Document,
        variance: Variance,
        policy: Settle | Policy,
    ) -> None:
        self.program = program
        self.documents = documents
        self.parts = [counted_part(program, each) for each in documents] if len(documents) > 1 else list(documents)
        self.ended = [has_ended(program, each) for each in documents]
        self.map = line_map
        self.before = before
        self.after = after
        self.policy = policy
        self.number = documents[0].number
        self._by_line = {line.line: line for line in variance.lines(every=True)}

    @cached_property
    def lines(self) -> list[str]:
        """All lines that carry money, before or after."""
        return list(dict.fromkeys([*leaves(self.after), *leaves(self.before)]))

    @cached_property
    def _leaves(self) -> tuple[set[str], set[str]]:
        return set(leaves(self.before)), set(leaves(self.after))

    @cached_property
    def new(self) -> int:
        """The place of the new supplement among the documents."""
        return len(self.documents)

    @property
    def moves_on(self) -> tuple[str, str]:
        """State of the original, and the one it has once the change is approved: what was agreed is no draft."""
        was = state_of(self.program, self.documents[0])
        return was, agreed_state(self.program, was)

    def separate(self) -> list[str]:
        """The lines of which something is ordered separately; not those that cannot be settled at all."""
        found = []
        for line in self.lines:
            try:
                shares = self.shares(line)
            except Refused:
                continue
            found += [line] if shares[-1].holds else []
        return found

    def shares(self, number: str) -> list[Share]:
        """What each document that holds a line, and at the end the new supplement, has of it.

        Raises:
            Refused: Less would be left of it than is delivered or closed, or than stands on what has ended.
        """
        shares = self._held(number)
        old, new = (side.lines[number] if number in known else None for side, known in self._sides)
        if old is not None and new is not None and len(shares) > 1 and all(each.has_ended for each in shares[:-1]):
            self._refuse_fields(number, shares, old, new)
        if new is None:
            self._take_away(number, shares)
        elif old is None:
            self._place(number, shares, new.get("quantity"))
        elif plain(old.get("item")) != plain(new.get("item")):
            # Another item is another thing to deliver: what is held of the old one goes, the new one is all growth.
            self._take_away(number, shares)
            self._place(number, shares, new.get("quantity"))
        elif plain(old.get("quantity")) != plain(new.get("quantity")):
            self._move(number, shares, new.get("quantity"))
        return shares

    @property
    def _sides(self) -> Sequence[tuple[Document, set[str]]]:
        return list(zip((self.before, self.after), self._leaves, strict=True))

    def _held(self, number: str) -> list[Share]:
        shares = []
        for at, part in enumerate(self.parts):
            line = self.map.line_in(number, part.number) if number in self._leaves[0] else None
            fields = None if line is None else part.lines.get(line)
            if line is not None and fields is not None:
                quantity = fields.get("quantity")
                shares.append(Share(at, line, quantity, quantity, True, self.ended[at]))
        return [*shares, Share(self.new)]

    # -- moving quantities ------------------------------------------------------------------------------------

    def _place(self, number: str, shares: list[Share], quantity: Decimal | None) -> None:
        """Find a document for a line that comes in: one that held another item there, the original, or a new one."""
        if quantity is not None and quantity > 0 and self._is_apart(number):
            shares[-1].give(quantity)
            return
        live = [each for each in shares[:-1] if not each.has_ended]
        if live:
            live[0].give(quantity)
        elif self.ended[0]:
            shares[-1].give(quantity)
        else:
            shares.insert(0, Share(0))
            shares[0].give(quantity)

    def _move(self, number: str, shares: list[Share], quantity: Decimal | None) -> None:
        """New quantities of a line that stays: growth goes to one document, a decrease comes off the latest first."""
        held = shares[:-1]
        live = [each for each in held if not each.has_ended]
        known = [each.before for each in held if each.before is not None]
        before = total(known) if known else None
        stays = total(each.before for each in held if each.has_ended and each.before is not None)
        if quantity is None or before is None:
            (live or [shares[-1]])[0].give(None if quantity is None else total([quantity, -stays]))
            for each in live[1:]:
                each.lose()
        elif quantity > before > 0 or (quantity < before < 0 and not live):
            # What is ordered already stays where it is ordered, so that nobody delivers it twice.
            growth = total([quantity, -before])
            if not live or (growth > 0 and self._is_apart(number)):
                shares[-1].give(growth)
            else:
                live[0].give(growth if live[0].before is None else total([live[0].before, growth]))
        elif quantity >= 0 and before > 0:
            self._reduce(number, shares, quantity)
        else:
            # From or to a negative quantity (a return) there is no growth to divide: one document takes all of it.
            self._refuse_bound(number, live[1:])
            for each in live[1:]:
                each.lose()
            left = total([quantity, -stays])
            if live:
                live[0].give(left)
            elif left:
                self._refuse_less(number, quantity, held)

    def _take_away(self, number: str, shares: Sequence[Share]) -> None:
        """Take a line away from all documents."""
        for each in shares[:-1]:
            if each.has_ended:
                said = f"{shown(each.before or 0)} of it stand on {self._named(each)}"
                raise Refused(f"{self.number} line {number} cannot be removed: {said}")
        self._refuse_bound(number, shares[:-1])
        for each in shares[:-1]:
            each.lose()

    def _reduce(self, number: str, shares: Sequence[Share], target: Decimal) -> None:
        """Take a line down to a quantity: the latest supplement gives up its part before all others."""
        held = shares[:-1]
        live = [each for each in held if not each.has_ended and each.before is not None]
        surplus = total([*(each.before for each in held if each.before is not None), -target])
        for each in reversed(live):
            had = each.before or Decimal(0)
            given = min(max(total([had, -self._bound(each)]), Decimal(0)), surplus)
            surplus = total([surplus, -given])
            left = total([had, -given])
            # The document that has the line longest keeps it with 0; the others lose it, an empty line says nothing.
            if left or each is live[0]:
                each.give(left)
            else:
                each.lose()
        if surplus:
            self._refuse_less(number, target, held)

    def _refuse_less(self, number: str, target: Decimal, held: Sequence[Share]) -> None:
        stand = [f"{shown(each.before)} on {self._named(each)}" for each in held if each.has_ended and each.before]
        bound = [
            f"{shown(self._bound(each))} on {self._named(each)}"
            for each in held
            if not each.has_ended and self._bound(each)
        ]
        told = listed([*stand, *bound])
        raise Refused(
            f"{self.number} line {number}: less would be left than is delivered or closed already: "
            f"{shown(target)} in all, and {told or 'nothing'} must stay"
        )

    def _refuse_bound(self, number: str, held: Sequence[Share]) -> None:
        bound = [self._said_bound(each) for each in held if not each.has_ended and self._bound(each)]
        if bound:
            said = "cannot be removed: some of it is delivered or closed already"
            raise Refused(f"{self.number} line {number} {said} ({listed(bound)})")

    def _said_bound(self, share: Share) -> str:
        line = self.documents[share.at].lines.get(share.line, {})
        word = "closed" if line.get("state") == CLOSED else "delivered"
        return f"{shown(self._bound(share))} are {word} already on {self._named(share)}"

    def _refuse_fields(
        self, number: str, shares: Sequence[Share], old: Mapping[str, object], new: Mapping[str, object]
    ) -> None:
        """Of what stands on documents that have ended, only more can be ordered."""
        before, after = (each.of(number) for each in self._values)
        names = [
            name for name in dict.fromkeys([*old, *new]) if name not in OWN and before.get(name) != after.get(name)
        ]
        if names:
            where = listed(self._named(each) for each in shares[:-1])
            words = listed(name.replace("_", " ") for name in names)
            raise Refused(f"{self.number} line {number}: it stands on {where}, so its {words} cannot change")

    @cached_property
    def _values(self) -> tuple[LineValues, LineValues]:
        return LineValues(self.program, self.before), LineValues(self.program, self.after)

    def _named(self, share: Share) -> str:
        """A document in words, with its state if that is an end."""
        document = self.documents[share.at]
        return f"{document.number}, which is {state_of(self.program, document)}" if share.has_ended else document.number

    def _bound(self, share: Share) -> Decimal:
        """What a document must keep of a line: all of it if it is closed, else what is delivered."""
        line: Mapping[str, object] = self.documents[share.at].lines.get(share.line, {})
        quantity, delivered = line.get("quantity"), self._delivered[share.at].get(share.line)
        if line.get("state") == CLOSED and isinstance(quantity, Decimal):
            return quantity
        return Decimal(0) if delivered is None else abs(delivered)

    @cached_property
    def _delivered(self) -> list[Mapping[str, Decimal | None]]:
        return [delivered_of(self.program, document) for document in self.documents]

    def _is_apart(self, number: str) -> bool:
        """Whether the growth of a line is ordered separately."""
        if callable(self.policy):
            return self.policy(self._by_line[number])
        return self.policy == "split"
