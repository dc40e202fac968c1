"""`Session`: the order being edited, its figures, its journal, and how every operation ends."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Collection, Iterable, Mapping
from functools import cached_property
from typing import Any

from dokima.checking.pending import PENDING, is_kept, pending_record
from dokima.columns.texts import Texts
from dokima.editing.blocking import once, refuse_if_any
from dokima.editing.drawing import Moved, draw, names_of, with_marks
from dokima.editing.edit_rules import Edit
from dokima.editing.journal import JournalEntry
from dokima.editing.keeping_terms import keep_terms
from dokima.editing.lifecycle import Stages
from dokima.errors import Refused, listed
from dokima.model.addresses import Address, next_number, read_address, write_address
from dokima.model.arguments import a_text
from dokima.model.document import Document
from dokima.model.fields import DRAWN
from dokima.model.finding import Finding
from dokima.model.findings import Findings
from dokima.model.links import given_numbers, linked_numbers
from dokima.model.order import Order
from dokima.model.said import SHOWN
from dokima.model.states import Operation
from dokima.pricing.calculation.calculation import Calculation, PricedLine, PricedOrder
from dokima.pricing.calculation.order_amounts import Totals
from dokima.pricing.program import Program, Run
from dokima.pricing.running.pricing import price_orders

Clock = Callable[[], datetime.datetime]
RESERVED = {
    "header.number": "names the document, and links point at it",
    "header.state": "changes by move_to()",
    "header.state_before": "is kept by the editor itself",
    "header.drawn": "is kept by the editor itself",
    "line.drawn": "is kept by the editor itself",
    "line.number": "changes by renumber_lines()",
    "line.state": "changes by close_line() and reopen_line()",
}


class Session:
    """One order being edited, and what came of it so far. `Editor` adds the operations."""

    def __repr__(self) -> str:
        number, count = self._document.header.get("number") or "", len(self._document.lines)
        return f"<{type(self).__name__} {number} by {self.by}: {count} lines; {SHOWN}>"

    def __init__(
        self,
        program: Program,
        order: Order | Document,
        by: str,
        clock: Clock | None = None,
        today: datetime.date | None = None,
        reserved: Mapping[str, str] | None = None,
        in_change: bool = False,
        taken: Iterable[str] = (),
    ) -> None:
        self.program = program
        self._reserved = {**RESERVED, **(reserved or {})}
        self._in_change = in_change
        self._taken_numbers = taken
        self.by = a_text(by, "by")
        self.findings = Findings()
        self._clock = clock
        self._run = Run(today, by, terms="keep" if in_change else "by state")
        read = order if isinstance(order, Document) else Document.read(order, program.fields)
        self._document = read.without_computed(program.fields)
        lifecycle = program.definition.lifecycle
        state = str(self._document.header.get("state") or lifecycle.first)
        self._stages = Stages(lifecycle.in_change(state) if in_change else lifecycle)
        self._first = self._document
        self._past: list[Document] = []
        self._future: list[Document] = []
        self._journal: list[JournalEntry] = []
        self._spent: dict[str, str] = {}
        self._priced: tuple[Document, Calculation] | None = None
        self._kept: tuple[Document, Document] | None = None
        self._with_marks: tuple[Document, Document] | None = None

    # -- reading ----------------------------------------------------------------------------------------------

    @property
    def order(self) -> Order:
        """The order as it is now, with the terms it keeps, as a copy."""
        return self.document.order()

    @property
    def document(self) -> Document:
        """The order as it is now, with the terms it keeps, as its fields read it."""
        # Nobody pays for terms while typing: the rulebook does not change under an editor.
        if self._kept is None or self._kept[0] is not self._document:
            self._kept = (self._document, keep_terms(self.program, self._document, self._run))
        return self._kept[1]

    @property
    def original(self) -> Order:
        """The order as it was before the first edit, as a copy."""
        return self._first.order()

    @property
    def state(self) -> str:
        """State of the order."""
        return self._stages.state(self._document)

    @property
    def journal(self) -> tuple[JournalEntry, ...]:
        """What was done, by whom and when."""
        return tuple(self._journal)

    @property
    def calculation(self) -> Calculation:
        """All figures of the order as it is now; worked out when first asked for after a change."""
        if self._priced is None or self._priced[0] is not self._document:
            orders = self._document.orders(self.program.fields)
            self._priced = (self._document, price_orders(self.program, orders, self._run).calculation)
        return self._priced[1]

    @property
    def totals(self) -> Totals:
        """The totals of the order as it is now."""
        return PricedOrder(self.calculation, 0).totals

    def line(self, number: str | int) -> PricedLine:
        """A line with its figures as they are now.

        Raises:
            NotFound: There is none with that number.
        """
        return PricedOrder(self.calculation, 0).line(number)

    @property
    def pending(self) -> Findings:
        """Warnings of earlier edits that stop saving until somebody accepts them, or what they are about changes."""
        return Findings(tuple(Edit(self.program, self._run, self._document, self._document).pending()))

    def check(self, at: str = "save") -> Findings:
        """What the rules of a moment say to the order as it is now."""
        edit = Edit(self.program, self._run, self._document, self._document)
        return Findings.sorted(edit.at_moment(at), lambda: Texts.of([str(self._document.header.get("number") or "")]))

    # -- undoing ----------------------------------------------------------------------------------------------

    def undo(self) -> bool:
        """Take the last change back; the journal keeps both. False if there is none."""
        return self._step(self._past, self._future, "undo")

    def redo(self) -> bool:
        """Do again what was taken back. False if there is nothing."""
        return self._step(self._future, self._past, "redo")

    def _step(self, source: list[Document], target: list[Document], action: str) -> bool:
        if not source:
            return False
        target.append(self._document)
        self._document = source.pop()
        self._journal.append(JournalEntry(action, self.by, self._now(), {}))
        return True

    # -- how every operation ends -----------------------------------------------------------------------------

    def _commit(
        self,
        action: str,
        after: Document,
        found: list[Finding],
        details: Mapping[str, Any],
        operation: str,
        stopping: list[Finding] | None = None,
        moved: list[Moved] | None = None,
    ) -> Findings:
        """Refuse or keep. A warning to be accepted stops saving and moving, not the edit it arises from.

        Returns:
            What the rules said, as far as it did not refuse.
        """
        findings = once(found)
        errors = [f for f in findings if f.severity == "error"] if stopping is None else once(stopping)
        if errors:
            refuse_if_any(errors, f"move to {details['state']}" if action == "move_to" else action.replace("_", " "))
        self.findings = Findings(tuple(findings))
        self._past.append(self._document)
        self._future.clear()
        self._document = self._with_pending(after, findings)
        told = {**details, DRAWN: moved} if moved else details
        self._journal.append(JournalEntry(action, self.by, self._now(), told, operation))
        if operation:
            self._spent[operation] = str(details.get("line", ""))
        return self.findings

    def _with_pending(self, after: Document, found: list[Finding]) -> Document:
        """The document with the warnings that saving does not ask for again, as far as they are still open."""
        kept = {rule.id for rule in self.program.rules if is_kept(rule)}
        new = [each for each in found if each.acknowledge and not each.accepted and each.rule in kept]
        if not new and not after.header.get(PENDING):
            return after
        said = {(each.rule, each.line) for each in new}
        old = [each for each in self._edit(after).pending() if (each.rule, each.line) not in said]
        records = [pending_record(each) for each in (*old, *new)]
        return after.with_header(**{PENDING: records}) if records else after.without_header(PENDING)

    @property
    def _marked(self) -> Document:
        """The order as it is now, with marks of what is drawn."""
        if self._with_marks is None or self._with_marks[0] is not self._document:
            self._with_marks = (self._document, with_marks(self.program, self._document, self._run))
        return self._with_marks[1]

    def _drawn(self, after: Document) -> tuple[Document, list[Moved]]:
        """An edit of the order with marks: what follows from it drawn, and each value that is another now."""
        return draw(self.program, self._marked, after, self._run)

    def _asked(
        self, after: Document, fields: Mapping[str, Collection[str]], entering: Collection[str], moved: list[Moved]
    ) -> list[Finding]:
        """What rules say to fields of lines that were given, and to those drawn again as if they had been given.

        Args:
            after: The order as it would be.
            fields: The fields that were given, by line.
            entering: Lines that enter, or are changed.
            moved: What was drawn again.
        """
        edit, drawn = self._edit(after), names_of(moved)
        by_line = {number: [*fields.get(number, ()), *drawn.get(number, ())] for number in (*fields, *drawn) if number}
        alike: dict[tuple[str, ...], list[str]] = {}
        for number, names in by_line.items():
            alike.setdefault(tuple(names), []).append(number)
        found: list[Finding] = []
        for given, numbers in alike.items():
            found += edit.editing([f"line.{name}" for name in given], numbers)
        if lines := list(dict.fromkeys([*entering, *by_line])):
            found += edit.entering(lines)
        if of_header := drawn.get(""):
            found += edit.header_changed([f"header.{name}" for name in of_header])
        return found

    def _done(self, operation: str) -> bool:
        return bool(operation) and operation in self._spent

    def _permit(self, operation: Operation) -> None:
        self._stages.permit(self._document, operation)

    def _edit(self, after: Document) -> Edit:
        return Edit(self.program, self._run, self._document, after)

    def _read(self, document: Document) -> Document:
        return Document.reread(document, self.program.fields)

    def _now(self) -> datetime.datetime | None:
        return None if self._clock is None else self._clock()

    def _new_number(self) -> str:
        return write_address(next_number([*self._document.addresses(), *self._taken]))

    @cached_property
    def _taken(self) -> set[Address]:
        """Numbers that new lines do not get; looked up when the first one needs a number."""
        given = given_numbers(self._first.header).values()
        return {read_address(number) for number in (*given, *self._taken_numbers)}

    @property
    def _family(self) -> list[str]:
        """The numbers of the documents that are one order with this one: its original or its supplements."""
        return linked_numbers(self._document.header, "original", "supplement")

    def _refuse_reserved(self, level: str, fields: Collection[str]) -> None:
        reserved = self._reserved
        if level == "header" and (family := self._family):
            shared = f"is that of {listed(family)} too, which are one order with it"
            reserved = {"header.currency": shared, **reserved}
        for name in fields:
            why = reserved.get(f"{level}.{name}")
            if (level, name) in self.program.fields.computed:
                fields_ = self.program.fields.header if level == "header" else self.program.fields.line
                why = f"is always worked out, as '{fields_[name].value}'"
            if why is not None:
                raise Refused(f"'{name}' cannot be changed like a field here: it {why}")
