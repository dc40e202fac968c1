"""`ChangeOrder`: a change of an order from draft to approval, measured against its baseline."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from itertools import chain
from typing import Any, Literal, get_args

from dokima.changes.approving import change_facts
from dokima.changes.baseline import Baseline
from dokima.changes.combining import combined, with_live_records
from dokima.changes.documents import (
    as_document,
    frozen,
    has_ended,
    next_number,
    refuse_ended,
    state_of,
    with_current_terms,
)
from dokima.changes.history import offered_until
from dokima.changes.line_map import LineMap
from dokima.changes.moved import moved
from dokima.changes.plan import Plan, Policy
from dokima.changes.rebasing import Mapped, rebased
from dokima.changes.settlement import Settlement, Settling
from dokima.changes.standing import with_standing_figures
from dokima.changes.variance import Variance
from dokima.editing.blocking import refuse_if_any
from dokima.editing.edit_rules import Edit
from dokima.editing.editor import Editor
from dokima.errors import DocumentError, Locked, NotFound, Problem, Refused, StaleBaseline, listed, nearest
from dokima.model.content import NOT_AGREED
from dokima.model.document import Document
from dokima.model.findings import Findings
from dokima.model.links import Place
from dokima.model.order import Order
from dokima.model.orders import Orders
from dokima.model.said import SHOWN
from dokima.model.states import Settle
from dokima.pricing.calculation.calculation import Calculation
from dokima.pricing.program import Program, Run
from dokima.pricing.running.pricing import price_orders
from dokima.pricing.running.stated_figures import STATED_RULES

Status = Literal["draft", "submitted", "approved", "rejected", "withdrawn"]
Clock = Callable[[], datetime.datetime]


class ChangeOrder:
    """A change of an order. Make one with `Rulebook.change`.

    The original stays untouched until `approve` gives a `Settlement`, which the caller keeps.

    Args:
        program: The rulebook.
        number: Its own number, ``SQ-2041-C1``.
        baseline: The order as it was frozen.
        document: The order as it is to be; as it was frozen if None.
        clock: Tells the time.
        record: State, reason, people and times of one that was kept; a new draft if None.
    """

    def __init__(
        self,
        program: Program,
        number: str,
        baseline: Baseline,
        document: Order | None,
        clock: Clock,
        record: Mapping[str, Any] | None = None,
    ) -> None:
        self.program = program
        self.number = number
        self.baseline = baseline
        self._clock = clock
        self._record: dict[str, Any] = {"state": "draft", "reason": "", **(record or {})}
        self._before = baseline.document(program)
        self._document = self._before if document is None else as_document(program, document)
        self.taken: Iterable[str] = ()
        """Numbers that new lines do not get, because other changes that are pending have them."""
        self._editor: Editor | None = None
        self._standing: tuple[Document, Document] | None = None
        self._variance: tuple[tuple[Document, Document], Variance] | None = None

    # -- reading ----------------------------------------------------------------------------------------------

    def __repr__(self) -> str:
        return f"<ChangeOrder {self.number}: {self.state}; {SHOWN}>"

    @property
    def state(self) -> Status:
        """draft, submitted, approved, rejected or withdrawn."""
        found: Status = self._record["state"]
        return found

    @property
    def order_number(self) -> str:
        """Number of the order that changes."""
        return self.baseline.number

    @property
    def record(self) -> dict[str, Any]:
        """State, reason, who asked, submitted and decided, and when, as plain data."""
        return dict(self._record)

    @property
    def reason(self) -> str:
        """Why the order changes."""
        return str(self._record["reason"])

    @property
    def valid_until(self) -> datetime.date | None:
        """The day until which it is offered, while it is submitted and the rulebook limits it; else None."""
        return offered_until(self._record, self.program.definition.report.valid_days)

    @property
    def document(self) -> Order:
        """The order as it is to be, as a copy."""
        return self._after.order()

    @property
    def _after(self) -> Document:
        if self._editor is None:
            return self._document
        edited = self._editor.document
        if self._standing is None or self._standing[0] is not edited:
            document = as_document(self.program, edited)
            if document is not self._before:
                document = with_standing_figures(self.program, self._before, document, self._over)
            self._standing = (edited, document)
        return self._standing[1]

    @cached_property
    def _over(self) -> set[str]:
        """The lines that stand on nothing but documents that have ended."""
        ended = {each.number for each in self.baseline.documents(self.program) if has_ended(self.program, each)}
        places = self.baseline.map(self.program).places if ended else {}
        return {name for name, mine in places.items() if all(document in ended for document, _ in mine)}

    def variance(self, *, mix: bool = False) -> Variance:
        """What changes, line by line and in total, against the baseline."""
        sides = (self._before, self._after)
        if self._variance is None or any(one is not other for one, other in zip(self._variance[0], sides, strict=True)):
            self._variance = (sides, Variance(*map(self._priced, sides)))
        found = self._variance[1]
        return Variance(found.before, found.after, mix=True) if mix else found

    def ordered_separately(
        self, settle: Settle | Policy | None = None, *, variance: Variance | None = None
    ) -> list[str]:
        """The lines of which approval would order the growth separately, as an order of their own.

        Args:
            settle: As for `approve`.
            variance: What the change comes to, where the caller has it already.
        """
        return self.plan(settle, variance=variance).separate()

    def plan(
        self,
        settle: Settle | Policy | None = None,
        *,
        current: Sequence[Order | Document] | None = None,
        variance: Variance | None = None,
    ) -> Plan:
        """What approval would do with each line: which document takes what of it.

        Args:
            settle: As for `approve`.
            current: The original and its supplements as they are now; as they were frozen if None.
            variance: What the change comes to, where the caller has it already.
        """
        found = self.variance() if variance is None else variance
        if current is None:
            documents = self.baseline.documents(self.program)
        else:
            documents = self._current(current)
        return self._plan(documents, self._map(documents), found, settle)

    def _plan(
        self, documents: Sequence[Document], line_map: LineMap, variance: Variance, settle: Settle | Policy | None
    ) -> Plan:
        policy = self._policy(settle)
        return Plan(self.program, documents, line_map, self._before, self._after, variance, policy)

    def standing_for(self, line: str) -> list[Place]:
        """The lines of documents that a line of the change stands for, where one has another number there.

        Args:
            line: Number of the line in the change.
        """
        return self.baseline.map(self.program).standing_for(line)

    def _map(self, documents: Sequence[Document]) -> LineMap:
        """The map of the baseline; of one of an earlier version, that of the documents as they are now."""
        if self.baseline.is_mapped or len(documents) == 1:
            return self.baseline.map(self.program)
        return combined(self.program, documents).map

    def _policy(self, settle: Settle | Policy | None) -> Settle | Policy:
        definition = self.program.definition
        return settle or definition.policy or definition.changes.mode(self._after.header.get("kind"))

    def _priced(self, document: Document) -> Calculation:
        orders = document.orders(self.program.fields)
        return price_orders(self.program, orders, Run(terms="keep")).calculation

    def to_dict(self) -> dict[str, Any]:
        """The change order as plain data, without its baseline; `from_dict` reads it back."""
        return {
            "number": self.number,
            "order": self.order_number,
            **self._record,
            "baseline": self.baseline.digest,
            "document": self.document.to_dict(),
        }

    @classmethod
    def from_dict(cls, program: Program, data: Mapping[str, Any], baseline: str, clock: Clock) -> ChangeOrder:
        """A change order that was kept, its baseline verified.

        Raises:
            DocumentError: Something is missing, the baseline has been changed, or a document cannot be read.
        """
        number = str(data.get("number") or "")
        missing = [name for name in ("number", "state", "baseline", "document") if not data.get(name)]
        if missing:
            raise DocumentError([Problem(number, "", missing[0], "expected it in a change order (it is missing)")])
        if data["state"] not in get_args(Status):
            message = f"expected one of {listed(get_args(Status))} (got {data['state']!r})"
            raise DocumentError([Problem(number, "", "state", message)])
        frozen = Baseline.read(baseline, str(data["baseline"]), number)
        aside = ("number", "order", "baseline", "document")
        record = {name: value for name, value in data.items() if name not in aside}
        return cls(program, number, frozen, Order.from_dict(data["document"]), clock, record)

    # -- working ----------------------------------------------------------------------------------------------

    def edit(self, by: str, *, today: datetime.date | None = None) -> Editor:
        """The editor of the change, with the rules of its moments.

        Raises:
            Locked: It is no draft.
        """
        self._permit("draft", "be edited")
        if self._editor is None or self._editor.by != by:
            places = self.baseline.documents(self.program)
            taken = chain((line for document in places for line in document.lines), self.taken)
            self._editor = Editor(
                self.program, self._after, by, self._clock, today, IN_CHANGE, in_change=True, taken=taken
            )
        return self._editor

    def submit(self, by: str) -> Variance:
        """Freeze the figures and hand the change in. Returns what it comes to.

        Raises:
            Locked: It is no draft.
            Refused: It changes nothing, cannot be priced, or a rule of saving stops it.
        """
        self._permit("draft", "be submitted")
        variance = self.variance()
        if variance.is_empty or not any(moved(self._before, self._after)):
            raise Refused(f"{self.number} changes nothing")
        # What a document states is what came before the change; no change of it can agree with that.
        errors = [each for each in variance.after.findings.errors if each.rule not in STATED_RULES]
        refuse_if_any(errors, f"submitting {self.number}")
        refuse_if_any([f for f in self._asked("save", by) if f.stops], f"submitting {self.number}")
        self._note("submitted", by)
        # From here on approval reads these figures, tax and advance among them, and prices nothing of the change again.
        self._document = frozen(self._document)
        return variance

    def reject(self, by: str, reason: str = "") -> None:
        """Turn the change down.

        Raises:
            Locked: It is not submitted.
        """
        self._permit("submitted", "be rejected")
        self._note("rejected", by, reason)

    def withdraw(self, by: str, reason: str = "") -> None:
        """Take the change back.

        Raises:
            Locked: It has been decided already.
        """
        if self.state not in ("draft", "submitted"):
            self._permit("submitted", "be withdrawn")
        self._note("withdrawn", by, reason)

    def approve(
        self,
        by: str,
        current: Sequence[Order | Document],
        *,
        today: datetime.date | None = None,
        settle: Settle | Policy | None = None,
        taken: Iterable[str] = (),
        accept: Mapping[str, str] | None = None,
    ) -> Settlement:
        """Approve the submitted figures and settle them. From then on nobody can touch the change.

        Args:
            by: Who approves.
            current: The original and its supplements as they are now.
            today: For ``run.today``.
            settle: amend or split, or a function that says of a line's variance whether its growth is ordered
                separately; what the rulebook says if None.
            taken: Numbers of orders that are taken.
            accept: Warnings of rules that stop until somebody accepts them: a reason by the id of the rule. They are
                kept with the approval.

        Raises:
            Locked: It is not submitted, so that it cannot be approved twice; or the original has ended meanwhile.
            StaleBaseline: The original has moved since it was frozen.
            Refused: A rule of approving stops it, or less would be left than is delivered or closed.
        """
        self._permit("submitted", "be approved")
        documents = self._current(current)
        refuse_ended(self.program, documents)
        self._refuse_stale(documents)
        variance = self.variance()
        line_map = self._map(documents)
        work = Settling(self.program, self.number, self._plan(documents, line_map, variance, settle), variance)
        facts = change_facts(self.program, self.record, self._after, work.held, variance)
        after = with_live_records(self._after, documents, line_map)
        accepted = self._accepted(self._asked("approve", by, today, facts, after), accept or {})
        settlement = work.settled(next_number(self.order_number, "S", [*taken, *self.baseline.parts]), current)
        self._note("approved", by)
        if accepted:
            self._record["accepted"] = accepted
        self._record["settled"] = settlement.to_dict()
        return settlement

    def at_approval(
        self, by: str, current: Sequence[Order | Document], *, today: datetime.date | None = None
    ) -> tuple[Orders, Run]:
        """The order as it would be approved, and what rules of approving are told of the change; decides nothing.

        Args:
            by: Who would approve.
            current: As for `approve`.
            today: For ``run.today``.
        """
        variance, documents = self.variance(), self._current(current)
        line_map = self._map(documents)
        work = Settling(self.program, self.number, self._plan(documents, line_map, variance, None), variance)
        facts = change_facts(self.program, self.record, self._after, work.held, variance)
        after = with_live_records(self._after, documents, line_map)
        return after.orders(self.program.fields), Run(today, by, facts, "keep")

    def rebase(self, current: Sequence[Order | Document], by: str) -> dict[str, str]:
        """Freeze the original anew and make the same change to it, field by field; a submitted one is a draft again.

        Returns:
            The new number of each line that the change had added under a number that the order has given away since.

        Raises:
            Locked: It has been decided already.
            Conflict: The original and the change have moved the same thing; nothing is done then.
        """
        if self.state not in ("draft", "submitted"):
            self._permit("draft", "be rebased")
        baseline = Baseline.take(self.program, current, Run(user=by))
        now = baseline.document(self.program)
        opened = Mapped(self._before, self.baseline.map(self.program) if self.baseline.is_mapped else None)
        today = Mapped(now, baseline.map(self.program))
        document, numbers = rebased(self.program, self.number, opened, self._after, today)
        self.baseline, self._before, self._document, self._editor = baseline, now, document, None
        self.__dict__.pop("_over", None)
        self._document = with_standing_figures(self.program, now, document, self._over)
        self._record = {**self._record, "state": "draft"}
        self._log("rebased", by, renumbered=numbers)
        return numbers

    # -- how it is done ---------------------------------------------------------------------------------------

    def _permit(self, state: Status, what: str) -> None:
        if self.state != state:
            raise Locked(f"{self.number} is {self.state}, so it cannot {what}; that needs it {state}", self.state)

    def _note(self, state: Status, by: str, reason: str = "") -> None:
        self._document, self._editor = self._after, None
        self._record["state"] = state
        self._log(state, by, reason)

    def _log(self, action: str, by: str, reason: str = "", renumbered: Mapping[str, str] | None = None) -> None:
        entry: dict[str, Any] = {"action": action, "by": by, "time": self._clock().isoformat(timespec="seconds")}
        if reason:
            entry["reason"] = reason
        if renumbered:
            entry["renumbered"] = renumbered
        self._record["history"] = [*self._record.get("history", []), entry]

    def _accepted(self, findings: Findings, accept: Mapping[str, str]) -> list[dict[str, str]]:
        """The warnings that somebody accepts; everything else that stops is refused."""
        open_ = [finding for finding in findings if finding.acknowledge and finding.stops and finding.rule in accept]
        for rule in accept:
            if rule not in {finding.rule for finding in open_}:
                known = [finding.rule for finding in findings if finding.acknowledge and finding.stops]
                raise NotFound(f"{self.number}: rule {rule} has nothing to accept{nearest(rule, known)}")
        stopping = [finding for finding in findings if finding.stops and finding not in open_]
        refuse_if_any(stopping, f"approving {self.number}")
        return [
            {"rule": each.rule, "line": each.line, "message": each.message, "reason": accept[each.rule]}
            for each in open_
        ]

    def _asked(
        self,
        moment: str,
        by: str,
        today: datetime.date | None = None,
        facts: Mapping[str, Any] | None = None,
        after: Document | None = None,
    ) -> Findings:
        """What the rules of a moment say, with the baseline as what was before."""
        edit = Edit(self.program, Run(today, by, facts, "keep"), self._before, self._after if after is None else after)
        return Findings(tuple(edit.at_moment(moment)))

    def _current(self, current: Sequence[Order | Document]) -> list[Document]:
        documents = [with_current_terms(self.program, as_document(self.program, order)) for order in current]
        numbers = [str(document.header.get("number") or "") for document in documents]
        if numbers[:1] != self.baseline.parts[:1]:
            raise NotFound(f"expected {self.order_number} as it is now, and its supplements (got {listed(numbers)})")
        return documents

    def _refuse_stale(self, documents: Sequence[Document]) -> None:
        found = list(self._moved(documents))
        if found:
            raise StaleBaseline(f"{self.order_number} has moved since {self.number} was opened; rebase it", found)

    def _moved(self, documents: Sequence[Document]) -> Iterator[str]:
        """What has moved on each document since the baseline was taken, in words."""
        if not self.baseline.is_mapped:
            yield from self._merged_too_much(documents)
            return
        before = {each.number: each for each in self.baseline.documents(self.program)}
        several = len(documents) > 1 or len(before) > 1
        for document in documents:
            was, name = before.pop(document.number, None), f"{document.number} " if several else ""
            if was is None:
                yield f"{document.number} is new"
                continue
            yield from (f"{name}{told}" for told in moved(_as_frozen(was, document), document))
            if several and has_ended(self.program, document) and not has_ended(self.program, was):
                yield f"{document.number} is {state_of(self.program, document)} now"
        yield from (f"{number} is not a document of the order any more" for number in before)

    def _merged_too_much(self, documents: Sequence[Document]) -> Iterator[str]:
        """What has moved since a baseline of an earlier version, which took all lines of one number for one."""
        now = combined(self.program, documents)
        for name in now.map.places:
            for document, line in now.map.standing_for(name):
                yield f"{document} line {line} is not the line of that number in {self.order_number}"
        yield from moved(_as_frozen(self._before, documents[0]), now.document)


IN_CHANGE: Mapping[str, str] = {
    **NOT_AGREED,
    "header.currency": "is that of the order, which its change is measured in",
}
"""Fields that cannot be changed in a change order, and why."""


def _as_frozen(before: Document, now: Document) -> Document:
    """The baseline of a draft without the terms that freezing gave it: a draft keeps none to compare them with."""
    return before.with_terms(None) if now.terms is None else before
