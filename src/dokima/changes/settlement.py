"""Settlement: what approval does with a change, to the cent: the amended order, and supplements."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal
from typing import Any

from dokima.changes.checks import refuse_undercut, tax_by_terms
from dokima.changes.documents import priced_as_agreed, without_stale
from dokima.changes.supplements import restated, total
from dokima.changes.variance import LineVariance, Variance
from dokima.engine.program import Program
from dokima.engine.running.calculation import PricedOrder
from dokima.engine.running.pending import PENDING
from dokima.engine.running.summing import reason_of
from dokima.errors import Refused, listed
from dokima.model.agreed_terms import AgreedLine
from dokima.model.content import plain
from dokima.model.document import TERMS, Document
from dokima.model.order import Order
from dokima.model.states import CLOSED, Settle, State
from dokima.routines.results import LINE_AMOUNT
from dokima.routines.routine import Step
from dokima.routines.totals import SUMS

Policy = Callable[[LineVariance], bool]
"""Says of a line that grew or was added whether its growth is ordered separately."""

Sums = Mapping[str, Decimal | None]
"""Totals by name; one is None where an order could not be priced. What is unknown is never counted as 0."""


@dataclass(frozen=True)
class Settlement:
    """What an approved change comes to.

    Attributes:
        change: Number of the change order.
        amended: The original as it is now, a new revision.
        supplements: Supplements that were there before, as they are now.
        supplement: The order with just the increase; None if there is none.
        tax_rounding: Tax of all documents together less the tax approved, as far as that was not stated before: each
            document rounds its own.
        currency: Currency of all of them.
        totals: What each document comes to as settled: without tax, tax, with tax.
        found: What each document came to before.
        revisions: Its revision before.
    """

    change: str
    amended: Order
    supplements: Sequence[Order] = ()
    supplement: Order | None = None
    tax_rounding: Decimal = Decimal(0)
    currency: str = ""
    totals: Mapping[str, Sums] = field(default_factory=dict)
    found: Mapping[str, Sums] = field(default_factory=dict)
    revisions: Mapping[str, int] = field(default_factory=dict)

    @property
    def orders(self) -> list[Order]:
        """All documents: the original first, the new supplement last."""
        return [self.amended, *self.supplements, *([] if self.supplement is None else [self.supplement])]

    def to_dict(self) -> dict[str, Any]:
        """Which documents it made, and the tax rounding, as plain data."""
        return {
            "orders": [order.number for order in self.orders],
            "supplement": None if self.supplement is None else self.supplement.number,
            "tax_rounding": format(self.tax_rounding, "f"),
            "totals": _plain_sums(self.totals),
            "found": _plain_sums(self.found),
            "revisions": dict(self.revisions),
        }


@dataclass
class _Share:
    """What one document holds of one line: how much before and after, and its part of each figure."""

    before: Decimal | None
    after: Decimal | None
    figures: dict[str, Decimal | None] = field(default_factory=dict)


class Settling:
    """Settles a change. The figures are those that were approved; nothing is priced anew.

    Args:
        program: The rulebook.
        change: Number of the change order.
        documents: The original and its supplements as they are now.
        after: The order as it was approved, with its terms.
        variance: What was approved.
        policy: amend, split, or a function that says whose growth is ordered separately.
    """

    def __init__(
        self,
        program: Program,
        change: str,
        documents: Sequence[Document],
        after: Document,
        variance: Variance,
        policy: Settle | Policy,
    ) -> None:
        self.program = program
        self.change = change
        self.documents = list(documents)
        self.after = after
        self.variance = variance
        self.policy = policy
        self.priced = PricedOrder(variance.after, 0)
        self.was = PricedOrder(variance.before, 0)
        self.places = self.priced.places
        self.by_line = {line.line: line for line in variance.lines(every=True)}
        # A single document is the baseline itself, whose figures were frozen with it.
        self.held = [self.was] if len(self.documents) == 1 else priced_as_agreed(program, self.documents)
        self.terms = after.terms

    def settled(self, supplement: str) -> Settlement:
        """The settlement; a new supplement gets the number given.

        Raises:
            Refused: Less would be left of a line than is delivered or closed.
        """
        shares = {number: self._line(number) for number in self._numbers()}
        increase = self._document(len(self.documents), shares, supplement)
        new = supplement if increase.lines else ""
        documents = [self._document(at, shares, supplement=new) for at in range(len(self.documents))]
        for old, document in zip(self.documents, documents, strict=True):
            refuse_undercut(old, document)
        made = [*documents, *([increase] if increase.lines else [])]
        priced = priced_as_agreed(self.program, made)
        made = [without_stale(document, order) for document, order in zip(made, priced, strict=True)]
        documents = made[: len(documents)]
        rounding = self._tax_rounding(priced)
        return Settlement(
            change=self.change,
            amended=documents[0].order(),
            supplements=[document.order() for document in documents[1:]],
            supplement=made[-1].order() if increase.lines else None,
            tax_rounding=rounding.quantize(Decimal(1).scaleb(-self.places)),
            currency=self.priced.header("currency") or "",
            totals={order.number: _sums(order) for order in priced},
            found={order.number: _sums(order) for order in self.held},
            revisions={order.number: int(order.header("revision") or 0) for order in self.held},
        )

    def _tax_rounding(self, priced: Sequence[PricedOrder]) -> Decimal:
        """What the documents' own rounding of tax adds to the tax approved, as far as it was not stated before.

        Raises:
            Refused: Something else than rounding stands between them, which must never be called rounding.
        """
        for order in priced:
            if order.totals.with_tax is None:
                raise Refused(f"{order.number} cannot be settled: {reason_of(order.calculation, order.number)}")
        for side in (self.was, self.priced):
            if tax_by_terms(side) != (side.totals.tax or Decimal(0)):
                raise Refused(
                    f"{self.change} cannot be settled: what was agreed bears {side.totals.tax} of tax, and the "
                    f"rates and amounts it keeps come to {tax_by_terms(side)}"
                )
        tax = total([order.totals.tax or Decimal(0) for order in priced])
        # What the documents' own rounding came to before is stated already.
        stated = total([*(each.totals.tax or Decimal(0) for each in self.held), -(self.was.totals.tax or Decimal(0))])
        rounding = total([tax, -(self.priced.totals.tax or Decimal(0)), -stated])
        expected = total([*(tax_by_terms(order) for order in priced), -(self.priced.totals.tax or Decimal(0)), -stated])
        if rounding != expected:
            raise Refused(
                f"{self.change} cannot be settled: its documents come to {rounding} of tax beside what was approved, "
                f"of which their rounding explains {expected}"
            )
        return rounding

    # -- quantities -------------------------------------------------------------------------------------------

    def _numbers(self) -> list[str]:
        """All lines that carry money, before or after."""
        known = dict.fromkeys([*self.after.lines, *(n for document in self.documents for n in document.lines)])
        return [n for n in known if not self.after.is_parent(n) and not any(d.is_parent(n) for d in self.documents)]

    def _line(self, number: str) -> list[_Share]:
        """What each document, and at the end the new supplement, holds of a line."""
        held = [document.lines.get(number) for document in self.documents]
        shares = [_Share(None if line is None else line.get("quantity"), None) for line in held]
        shares.append(_Share(None, None))
        new = self.after.lines.get(number)
        if new is None:
            self._reduce(number, shares, None)
            return shares
        quantity = new.get("quantity")
        # Another item is another thing to deliver: what is held of the old one goes, the new one is all growth.
        first = next((line for line in held if line is not None), None)
        if first is None or plain(first.get("item")) != plain(new.get("item")):
            if first is not None:
                self._reduce(number, shares, None)
            fresh = quantity is not None and quantity > 0 and self._apart(number)
            shares[-1 if fresh else 0].after = quantity
        else:
            self._move(number, shares, quantity)
        self._divide(number, shares)
        return shares

    def _move(self, number: str, shares: list[_Share], quantity: Decimal | None) -> None:
        """New quantities of a line that stays: growth goes to one document, a decrease comes off the latest first."""
        known = [each.before for each in shares if each.before is not None]
        before = total(known) if known else None
        if quantity is None or before is None:
            shares[0].after = quantity
        elif quantity > before > 0:
            # What is ordered already stays where it is ordered, so that nobody delivers it twice.
            for each in shares[:-1]:
                each.after = each.before
            growth = total([quantity, -before])
            if self._apart(number):
                shares[-1].after = growth
            else:
                shares[0].after = growth if shares[0].before is None else total([shares[0].before, growth])
        elif quantity >= 0 and before > 0:
            self._reduce(number, shares, quantity)
        else:
            # From or to a negative quantity (a return) there is no growth to divide: the original takes all of it.
            self._reduce(number, shares, None, first=1)
            shares[0].after = quantity

    def _reduce(self, number: str, shares: Sequence[_Share], target: Decimal | None, first: int = 0) -> None:
        """Take a line down to a quantity, or away (None): the latest supplement gives up its part before all others."""
        holding = [at for at in range(first, len(self.documents)) if shares[at].before is not None]
        if target is None:
            if any(self._bound(number, at) for at in holding):
                raise Refused(f"line {number} cannot be removed: some of it is delivered or closed already")
            return
        known = {at: before for at in holding if (before := shares[at].before) is not None}
        surplus = total([*known.values(), -target])
        for at in reversed(holding):
            given = min(max(total([known[at], -self._bound(number, at)]), Decimal(0)), surplus)
            surplus = total([surplus, -given])
            left = total([known[at], -given])
            # The document that has the line longest keeps it with 0; the others lose it, an empty line says nothing.
            shares[at].after = left if left or at == holding[0] else None
        if surplus:
            raise Refused(f"line {number}: less would be left than is delivered or closed already")

    def _bound(self, number: str, at: int) -> Decimal:
        """What a document must keep of a line: all of it if it is closed, else what is delivered."""
        line = self.documents[at].lines.get(number, {})
        quantity, delivered = line.get("quantity"), line.get("delivered")
        if line.get("state") == CLOSED and quantity is not None:
            return Decimal(quantity)
        return Decimal(0) if delivered is None else abs(Decimal(delivered))

    def _apart(self, number: str) -> bool:
        """Whether the growth of a line is ordered separately."""
        if callable(self.policy):
            return self.policy(self.by_line[number])
        return self.policy == "split"

    # -- figures ----------------------------------------------------------------------------------------------

    def _steps(self) -> list[tuple[str, Step | None]]:
        """The amounts a line keeps: what its price comes to, and every discount and charge."""
        routine = self.priced.routine
        steps = [] if routine is None else [s for s in routine.steps if s.sign]
        return [(LINE_AMOUNT, None), *((step.name, step) for step in steps)]

    def _divide(self, number: str, shares: list[_Share]) -> None:
        """Each document's part of every figure that was approved: together exactly that."""
        holding = [(at, each) for at, each in enumerate(shares) if each.after is not None]
        for name, step in self._steps():
            whole = _figure(self.priced, number, name)
            # One holder takes the figure as it was approved. An unknown figure stays unknown everywhere.
            if len(holding) == 1 or whole is None:
                for _, each in holding:
                    each.figures[name] = whole
                continue
            # A document whose quantity, rate and base are what they were keeps its figure to the cent: its customer has
            # seen it. Only what is left is shared, by the rule of the step's kind.
            same = {}
            if self._rate_is_unchanged(number, step):
                same = {
                    at: _figure(self.held[at], number, name) or Decimal(0)
                    for at, each in holding
                    if each.after == each.before and self._base_is_unchanged(number, step, at, each)
                }
            rest = [each for at, each in holding if at not in same]
            left = total([whole, *(-kept for kept in same.values())])
            if not rest or (left and (left > 0) != (whole > 0)):
                # What stays would take more than all of it: then nothing stays, and all of it is shared.
                same, rest, left = {}, [each for _, each in holding], whole
            for at, kept in same.items():
                shares[at].figures[name] = kept
            for each, part in zip(rest, self._split(step, left, rest), strict=True):
                each.figures[name] = part

    def _base_is_unchanged(self, number: str, step: Step | None, at: int, mine: _Share) -> bool:
        """Whether the amount that a percentage works on is on a document what it was there before."""
        if step is None or "percent" not in step.parts:
            return True
        routine = self.priced.routine
        assert routine is not None
        of = step.definition.of
        stop = next((each.name for each in routine.steps if each.name == of and each.way.is_level), step.name)
        if of is not None and of != stop and of in mine.figures:
            return mine.figures[of] == _figure(self.held[at], number, of)
        before = [each.name for each in routine.steps]
        earlier = [name for name, each in self._steps() if each is None or before.index(name) < before.index(stop)]
        return all(mine.figures.get(name) == _figure(self.held[at], number, name) for name in earlier)

    def _split(self, step: Step | None, amount: Decimal, shares: Sequence[_Share]) -> Sequence[Decimal]:
        """A figure divided over documents by the rule of its kind.

        Raises:
            Refused: The parts are not the figure, which only a kind of one's own can bring about.
        """
        routine = self.priced.routine
        assert routine is not None  # without one there is no figure to divide
        way = routine.steps[0].way if step is None else step.way
        parts = way.split(amount, [each.after for each in shares], self.places) if shares else []
        if shares and (len(parts) != len(shares) or total(parts) != amount):
            split = listed(map(str, parts))
            raise Refused(f"{self.change} cannot be settled: {way.name} {amount} was split into {split}")
        return parts

    def _rate_is_unchanged(self, number: str, step: Step | None) -> bool:
        """Whether price or percent of a step are those of the baseline; an amount has neither."""
        old, new = (_has(side, number) for side in (self.was, self.priced))
        if not old or not new:
            return False
        if step is None:
            prices = [side.line(number).figure("price") for side in (self.was, self.priced)]
            return bool(prices[0] == prices[1])
        key = next((each for each in ("percent", "per_unit") if each in step.parts), "")
        if not key or step.definition.cap is not None or step.definition.keep_above is not None:
            return False  # a limit cuts by the amount, so that the same percent may give another part
        if any(self._was_beaten(side, number, step) for side in (self.was, self.priced)):
            return False
        was, now = (_figure(side, number, step.name) for side in (self.was, self.priced))
        if (was == 0) != (now == 0):
            return False  # it applies to one of them only, whatever its percent
        # The percent itself is not kept, but the table answers it was worked out from are: the same answers, the same
        # percent. A percent that reads a field has no such witness.
        names = [name for name in step.parts[key].reads if name != "line.quantity"]
        kept = [self._answers(side, number) for side in (self.was, self.priced)]
        if any(name.split(".")[0] in ("line", "header", "parent") for name in names):
            return False
        return all(kept[0].get(name) == kept[1].get(name) for name in names)

    @staticmethod
    def _was_beaten(side: PricedOrder, number: str, step: Step) -> bool:
        """Whether a step competed on a line and another one won, or both came to nothing."""
        return step.definition.best_of is not None and not _figure(side, number, step.name)

    def _answers(self, side: PricedOrder, number: str) -> Mapping[str, Any]:
        """The table answers that a line keeps, those of its header included."""
        terms = side.calculation.orders.terms(side.position)
        return {} if terms is None else terms.answers_of(number)

    # -- documents --------------------------------------------------------------------------------------------

    def _document(
        self, at: int, shares: Mapping[str, Sequence[_Share]], number: str = "", supplement: str = ""
    ) -> Document:
        """One of the documents as the settlement leaves it; the last is the new supplement.

        Args:
            at: Which of them.
            shares: What each document holds of each line.
            number: Number of the new supplement, where it is that.
            supplement: Number of the new supplement, for the original to name; blank if there is none.
        """
        is_new = at == len(self.documents)
        old = None if is_new else self.documents[at]
        mine = {line: each[at] for line, each in shares.items() if each[at].after is not None}
        lines: dict[str, dict[str, Any]] = {}
        for line, fields in self.after.lines.items():
            if line in mine:
                lines[line] = {**self._own(fields, old, line), "quantity": mine[line].after}
        # A parent line goes wherever one of its sub-lines is; it has no money of its own to divide.
        for line in [parent for parent in self.after.lines if any(n.startswith(f"{parent}/") for n in lines)]:
            lines[line] = dict(self.after.lines[line])
        header = self._header(old, number, supplement)
        if old is not None and not lines:
            header["state"] = self._ended(old)
            header["links"] = [*header["links"][:-1], {**header["links"][-1], "emptied": True}]
        document = Document(header, {})
        for line, fields in lines.items():
            document = document.with_line(line, fields)
        return self._with_terms(document, mine)

    def _own(self, fields: Mapping[str, Any], old: Document | None, line: str) -> dict[str, Any]:
        """The fields of a line; what is delivered and its state stay with each document."""
        kept = {} if old is None else old.lines.get(line, {})
        found = {name: value for name, value in fields.items() if name not in ("delivered", "state")}
        return {**found, **{name: kept[name] for name in ("delivered", "state") if name in kept}}

    def _ended(self, old: Document) -> str:
        """The state of a document that a settlement takes every line from: finished if anything of it was delivered."""
        lifecycle = self.program.definition.lifecycle
        delivered = any(fields.get("delivered") for fields in old.lines.values())
        records = old.header.get("deliveries") or ()
        delivered |= any(lifecycle.deliveries.get(str(each.get("state"))) == "delivered" for each in records)
        if delivered:
            return lifecycle.finished
        gone = [name for name in lifecycle.states if lifecycle.ends_undelivered(name)]
        return gone[0] if gone else self._state(old)

    def _header(self, old: Document | None, number: str, supplement: str) -> dict[str, Any]:
        link = {"kind": "change", "number": self.change}
        root = str(self.documents[0].header.get("number") or "")
        if old is None:
            left_out = ("links", "payments", "deliveries", "acknowledgements", PENDING, TERMS, "budget", "revision")
            header = {name: value for name, value in self.after.header.items() if name not in left_out}
            links = [{"kind": "original", "number": root}, link]
            state = self._state(self.documents[0])
            if not self.program.definition.lifecycle.states.get(state, State()).to:
                # The original has come to its end; what is ordered anew has not.
                state = self._state(Document({}, {}))
            return {**header, "number": number, "state": state, "links": links}
        # What the change says of the header it says of the original; a supplement keeps the header it was ordered with.
        base = self.after.header if old is self.documents[0] else old.header
        aside = {name: old.header[name] for name in _LIVE if name in old.header}
        header = {name: value for name, value in base.items() if name not in (*_LIVE, TERMS)}
        revision = int(old.header.get("revision") or 0) + 1
        links = list(old.header.get("links") or [])
        if supplement and old is self.documents[0]:
            links.append({"kind": "supplement", "number": supplement})
        links.append(link)
        return {**header, **aside, "state": self._state(old), "revision": revision, "links": links}

    def _state(self, document: Document) -> str:
        """What was agreed is no draft any more."""
        lifecycle = self.program.definition.lifecycle
        state = str(document.header.get("state") or lifecycle.first)
        onward = lifecycle.states[state].to if state in lifecycle.states else ()
        return str(onward[0]) if state == lifecycle.first and onward else state

    def _with_terms(self, document: Document, mine: Mapping[str, _Share]) -> Document:
        """The document with agreed terms: the answers approved, and its parts of the figures."""
        if self.terms is None:
            return document
        lines: dict[str, AgreedLine] = {}
        for line in document.lines:
            agreed = self.terms.lines.get(line)
            if agreed is not None:
                figures = {"price": agreed.figures.get("price")}
                known = mine[line].figures if line in mine else {}
                figures |= {name: plain(value) for name, value in known.items()}
                if not self.priced.prices_include_tax and None not in known.values():
                    figures["without_tax"] = plain(self._left(known))
                lines[line] = agreed.with_figures(figures)
        emptied = self.terms.emptied if document.lines else self.change
        terms = replace(self.terms, frozen=False, emptied=emptied, lines=lines)
        return restated(self.program, document.with_terms(terms), self.change)

    def _left(self, figures: Mapping[str, Decimal | None]) -> Decimal:
        """What a line comes to: its price less discounts, with charges."""
        signs = {name: 1 if step is None else step.sign for name, step in self._steps()}
        return total([amount * signs[name] for name, amount in figures.items() if amount is not None])


_LIVE = ("links", "payments", "deliveries", "acknowledgements", PENDING, "number", "revision", "state")
"""Header fields that are the document's own, whatever the change says."""


def _figure(order: PricedOrder, number: str, name: str) -> Decimal | None:
    """A figure of a line, 0 if the order has no such line."""
    if not _has(order, number):
        return Decimal(0)
    line = order.line(number)
    if name == LINE_AMOUNT:
        return line.amount_by_price
    found: Decimal | None = line.figure(name)
    return found


def _sums(order: PricedOrder) -> Sums:
    return {name: getattr(order.totals, name) for name in SUMS}


def _plain_sums(kept: Mapping[str, Sums]) -> dict[str, dict[str, Any]]:
    return {number: {name: plain(value) for name, value in totals.items()} for number, totals in kept.items()}


def _has(order: PricedOrder, number: str) -> bool:
    where = order.calculation.orders.lines_of(order.position)
    return number in order.calculation.orders.line_numbers[where]
