"""`Editor`: changing one order, each operation whole or not at all."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from dokima.editing.blocking import once, refuse_if_any
from dokima.editing.comparing import TYPED, PriceComparison, compare_prices, refuse_override
from dokima.editing.copying import with_copies
from dokima.editing.drawing import Moved, draw_all, now_given
from dokima.editing.exploding import exploded
from dokima.editing.finishing import BEFORE, moves
from dokima.editing.form_inputs import given
from dokima.editing.keeping_terms import without_terms
from dokima.editing.line_number import LineNumber
from dokima.editing.numbering import number_between, renumbered
from dokima.editing.records import delivered_again, refuse_payment, with_delivery, with_quantities
from dokima.editing.session import Session
from dokima.errors import DokimaError, NotFound, Refused, listed
from dokima.model.addresses import next_number, read_address, write_address
from dokima.model.arguments import a_text, came, line_number_of, line_numbers_of
from dokima.model.document import Document
from dokima.model.finding import Finding
from dokima.model.findings import Findings
from dokima.model.order import Order
from dokima.model.states import CLOSED, OPEN
from dokima.pricing.running.pricing import price_orders


class Editor(Session):
    """Edits one order by the rules of a rulebook.

    Every operation runs the defaults and the rules of its moment on the order as it would be. If one of them stops it,
    `Refused` is raised with the findings and the order is what it was. Figures are computed when they are read.

    An operation given an id (``operation=``) happens once, however often it is tried.

    Args:
        program: The rulebook.
        order: The order; it is copied.
        by: Who edits.
        clock: Tells the time for the journal and acceptances; None leaves it out.
        today: For ``run.today``.
        reserved: Fields (``line.x``, ``header.x``) that cannot be changed here, and why.
        in_change: Whether it is the order of a change that is edited: then its state forbids nothing, and it keeps what
            was agreed.
        taken: Numbers of lines that new lines do not get, because other documents of the order have them.

    Raises:
        DocumentError: The order cannot be read.
    """

    def preview_line(self, number: str | int | None = None, **fields: Any) -> Findings:
        """What rules would say to a line that is not finished, new or with some fields changed; nothing is changed.

        Raises:
            DocumentError: A field is unknown or cannot hold its value.
        """
        target = self._new_number() if number is None else line_number_of(number)
        base = self._marked
        given = {**now_given(base.lines.get(target, {}), fields), **fields}
        after, moved = self._drawn(self._read(base.with_line(target, given)))
        entering = self._asked(after, {}, [target], [])
        found = [each for each in self._asked(after, {target: fields}, [], moved) if each not in entering]
        return Findings(tuple(once([*found, *(finding for finding in entering if not finding.undecided)])))

    # -- lines ------------------------------------------------------------------------------------------------

    def add_line(self, number: str | int | None = None, *, operation: str = "", **fields: Any) -> LineNumber:
        """Add a line at the end, or under a number of its own such as ``10/20``.

        Returns:
            Its number; ``findings`` of it is what the rules said without refusing it.

        Raises:
            Refused: A rule stops it, or the number is taken.
        """
        return self._enter(
            "add_line", self._new_number() if number is None else line_number_of(number), fields, operation
        )

    def insert_line(
        self, *, before: str | int | None = None, after: str | int | None = None, operation: str = "", **fields: Any
    ) -> LineNumber:
        """Insert a line right before or right after another.

        Returns:
            Its number; ``findings`` of it is what the rules said without refusing it.

        Raises:
            Refused: A rule stops it, or there is no number left between; `renumber_lines` makes room.
            NotFound: There is no such line.
        """
        if (before is None) == (after is None):
            raise DokimaError("expected either before= or after=, naming a line")
        if self._done(operation):
            return LineNumber(self._spent[operation])
        place = str(before if before is not None else after)
        self._document.line(place)
        number = number_between(
            self._document, place if before is not None else None, place if before is None else None, self._taken
        )
        return self._enter("insert_line", number, fields, operation)

    def copy_line(self, number: str | int, *, operation: str = "", **fields: Any) -> LineNumber:
        """Add a line like another one, with its fields, those given in their place, and its sub-lines; not what was
        delivered, closed, stated or agreed of it. What a default gave is drawn for the new line.

        Returns:
            Its number, with ``findings``.

        Raises:
            Refused: A rule stops it.
            NotFound, DocumentError: There is no such line; a field is unknown or cannot hold its value.
        """
        if self._done(operation):
            return LineNumber(self._spent[operation])
        self._permit("lines")
        number, fields = str(self._document.line(line_number_of(number))["number"]), given(fields)
        self._refuse_reserved("line", fields)
        new = write_address(next_number([*self._document.addresses(), *self._taken], read_address(number)[:-1]))
        copies = {each: new + each.removeprefix(number) for each in self._document.below(number)}
        after, moved = self._drawn(self._read(with_copies(self._marked, copies, {number: fields})))
        found = self._asked(after, {new: fields}, list(copies.values()), moved)
        told = {"line": new, "from": number, "fields": dict(fields)}
        return LineNumber(new, self._commit("copy_line", after, found, told, operation, moved=moved))

    def change_line(self, number: str | int, *, operation: str = "", **fields: Any) -> Findings:
        """Change the fields given of one line, and no others; None makes a field blank, `LEAVE` leaves it as it is.

        A drawn value is drawn again when something changes that its default reads; what was given stays.

        Returns:
            What the rules said without refusing it.

        Raises:
            Refused: A rule stops it.
            Locked: The line is closed.
            NotFound: There is no such line.
            DocumentError: A field is unknown or cannot hold its value.
        """
        if self._done(operation):
            return Findings()
        fields = given(fields)
        return self._change("change_line", line_number_of(number), fields, {"fields": fields}, operation)

    def _change(
        self,
        action: str,
        number: str,
        fields: Mapping[str, Any],
        details: Mapping[str, Any],
        operation: str,
        *,
        reprice: bool = False,
    ) -> Findings:
        self._document.line(number)
        self._permit("lines")
        self._stages.refuse_closed(self._document, [number])
        self._refuse_reserved("line", fields)
        base = without_terms(self._marked, [number]) if reprice else self._marked
        changed = base.with_line(number, {**now_given(base.lines[number], fields), **fields})
        after, moved = self._drawn(self._read(changed))
        found = self._asked(after, {number: fields}, [number], moved)
        return self._commit(action, after, found, {"line": number, **details}, operation, moved=moved)

    def explode_line(
        self, number: str | int, *, table: str = "", levels: int | None = 1, operation: str = ""
    ) -> list[str]:
        """Give a line a sub-line for each component of its item; it becomes their parent line. Returns their numbers.

        Args:
            number: The line.
            table: The assembly table; may be left out if the rulebook has one only.
            levels: How many levels down; None for all.
            operation: An id that makes it happen once.

        Raises:
            Refused: A rule stops it, or the line has sub-lines already.
            NotFound: The item is not an assembly.
        """
        if self._done(operation):
            return []
        number = line_number_of(number)
        self._permit("lines")
        self._stages.refuse_closed(self._document, [self._document.line(number)["number"]])
        after, moved = self._drawn(self._read(exploded(self.program, self._marked, number, table, levels)))
        new = after.below(number)[1:]
        found = self._asked(after, {}, new, moved)
        self._commit("explode_line", after, found, {"line": number, "into": new}, operation, moved=moved)
        return new

    def remove_line(self, number: str | int, *, operation: str = "") -> None:
        """Remove a line and its sub-lines.

        Raises:
            Refused: A rule of one of them stops it; nothing is removed then.
            Locked: One of them is closed.
            NotFound: There is no such line.
        """
        if self._done(operation):
            return
        self._document.line(line_number_of(number))
        self._remove("remove_line", self._document.below(line_number_of(number)), operation)

    def remove_lines(
        self, numbers: Iterable[str | int] | None = None, *, skip: bool = False, operation: str = ""
    ) -> list[str]:
        """Remove some lines and their sub-lines, or all; with ``skip`` those of them that may go.

        Args:
            numbers: The lines; all if None.
            skip: Leave lines that refuse, or that are closed, and remove the others.
            operation: An id that makes it happen once.

        Returns:
            The numbers removed, sub-lines too.

        Raises:
            Refused: Without ``skip``, a line refuses; nothing is removed then, and the findings name every such line.
            Locked: Without ``skip``, a line is closed.
            NotFound: There is no such line.
        """
        if self._done(operation):
            return []
        leaving = list(self._document.lines)
        if numbers is not None:
            chosen = line_numbers_of(numbers, "numbers")
            for number in chosen:
                self._document.line(number)
            wanted = {below for number in chosen for below in self._document.below(number)}
            leaving = [number for number in leaving if number in wanted]
        if skip:
            leaving = self._removable(leaving)
        self._remove("remove_lines", leaving, operation)
        return leaving

    def _removable(self, numbers: list[str]) -> list[str]:
        """The lines that may all leave together: lines that refuse stay, and their parents with them."""
        leaving = [number for number in numbers if not self._stages.line_closed(self._document, number)]
        while True:
            leaving = [n for n in leaving if all(below in leaving for below in self._document.below(n))]
            found = self._edit(self._document.without(leaving)).removing(leaving)
            staying = {finding.line for finding in found if finding.stops}
            if "" in staying or not staying & set(leaving):
                return [] if "" in staying else leaving
            leaving = [number for number in leaving if number not in staying]

    def _enter(self, action: str, number: str, fields: Mapping[str, Any], operation: str) -> LineNumber:
        if self._done(operation):
            return LineNumber(self._spent[operation])
        self._permit("lines")
        fields = given(fields)
        self._refuse_reserved("line", fields)
        number = write_address(_address(number))
        if number in self._document.lines:
            raise Refused(f"line {number} is there already; change_line() changes it")
        after, moved = self._drawn(self._read(self._marked.with_line(number, fields)))
        found = self._asked(after, {number: fields}, [number], moved)
        told = {"line": number, "fields": dict(fields)}
        return LineNumber(number, self._commit(action, after, found, told, operation, moved=moved))

    def _remove(self, action: str, leaving: list[str], operation: str) -> None:
        self._permit("lines")
        self._stages.refuse_closed(self._document, leaving)
        after, moved = self._drawn(self._marked.without(leaving))
        found = self._edit(after).removing(leaving) + self._asked(after, {}, [], moved)
        self._commit(action, after, found, {"lines": leaving}, operation, moved=moved)

    def compare_price(self, number: str | int) -> PriceComparison:
        """The price typed by hand, the one agreed, and the one the rulebook gives for this customer, item and date.

        Raises:
            NotFound: There is no such line.
        """
        return compare_prices(self.program, self._document, line_number_of(number), self._run)

    def override_price(
        self, number: str | int, price: Any, reason: str, *, base: Any = None, operation: str = ""
    ) -> Findings:
        """Type a price by hand, per ``base`` units (1 if None), with a reason.

        Returns:
            What the rules said without refusing it.

        Raises:
            Refused: A rule stops it; or it has no reason or is negative, and ``[editing] override`` does not permit
                that.
        """
        if self._done(operation):
            return Findings()
        refuse_override(self.program.definition.overrides, price, reason)
        now = self._now()
        fields = {"price_override": price, "price_base": base, "override_reason": reason, "override_by": self.by}
        fields["override_time"] = None if now is None else now.isoformat(timespec="seconds")
        details = {"rulebook": self.compare_price(number).rulebook, "manual": price, "reason": reason}
        return self._change("override_price", line_number_of(number), fields, details, operation)

    def reprice_line(self, number: str | int, *, operation: str = "") -> Findings:
        """Take a typed or agreed price back: from now on the rulebook of today says what the line costs.

        Returns:
            What the rules said without refusing it.

        Raises:
            Refused: A rule stops it.
        """
        if self._done(operation):
            return Findings()
        beside = self.compare_price(number)
        agreed = {} if beside.agreed is None else {"agreed": beside.agreed}
        details = {"manual": beside.manual, **agreed, "rulebook": beside.rulebook}
        return self._change(
            "reprice_line", line_number_of(number), dict.fromkeys(TYPED), details, operation, reprice=True
        )

    def renumber_lines(self, *, operation: str = "") -> dict[str, str]:
        """Number all lines anew in steps of ten; acceptances and records that name a line follow it.

        Returns:
            The new number of each old one.

        Raises:
            Refused: It is a change of an order, or a document of one that has supplements: lines are known there by
                their numbers.
        """
        if self._done(operation):
            return {}
        self._permit("lines")
        if self._in_change or self._family:
            what = "a change order" if self._in_change else f"an order that is one with {listed(self._family)}"
            raise Refused(f"renumber_lines() is refused in {what}: its lines are known by their numbers")
        after, numbers = renumbered(self._document)
        self._commit("renumber_lines", after, [], {}, operation)
        return numbers

    # -- header, states, records ------------------------------------------------------------------------------

    def change_header(self, *, operation: str = "", **fields: Any) -> Findings:
        """Change the header fields given, and no others; rules of lines that read them are asked again.

        Returns:
            What the rules said without refusing it.

        Raises:
            Refused: A rule stops it.
            DocumentError: A field is unknown or cannot hold its value.
        """
        if self._done(operation):
            return Findings()
        self._permit("header")
        fields = given(fields)
        self._refuse_reserved("header", fields)
        base = self._marked
        after, moved = self._drawn(self._read(base.with_header(**{**now_given(base.header, fields), **fields})))
        found = self._edit(after).header_changed([f"header.{name}" for name in fields])
        found += self._asked(after, {}, [], moved)
        return self._commit("change_header", after, found, {"fields": dict(fields)}, operation, moved=moved)

    def close_line(self, number: str | int, *, operation: str = "") -> None:
        """Close a line and its sub-lines: they cannot be changed until reopened."""
        self.close_lines([number], operation=operation)

    def close_lines(self, numbers: Iterable[str | int] | None = None, *, operation: str = "") -> None:
        """Close some lines, or all. A confirmed order of which nothing is open any more is finished.

        Raises:
            Refused: A rule of the moment ``close`` stops it.
            NotFound: There is no such line.
        """
        if self._done(operation):
            return
        self._permit("close")
        chosen = list(self._document.lines) if numbers is None else line_numbers_of(numbers, "numbers")
        for number in chosen:
            self._document.line(number)
        closing = list(dict.fromkeys(each for number in chosen for each in self._document.below(number)))
        after = self._marked
        for number in closing:
            after = after.with_line(number, {**now_given(after.lines[number], ["state"]), "state": CLOSED})
        after, moved = self._drawn(after)
        found = self._edit(after).at_moment("close", closing) + self._asked(after, {}, [], moved)
        self._commit_moved("close_lines", after, found, {"lines": closing}, operation, moved)

    def reopen_line(self, number: str | int, *, operation: str = "") -> None:
        """Open a closed line again.

        Raises:
            NotFound: There is no such line.
        """
        if self._done(operation):
            return
        self._permit("close")
        number = line_number_of(number)
        opened = {**now_given(self._marked.line(number), ["state"]), "state": OPEN}
        after, moved = self._drawn(self._marked.with_line(number, opened))
        found = self._asked(after, {}, [], moved)
        self._commit("reopen_line", after, found, {"line": number}, operation, moved=moved)

    def move_to(self, state: str, *, operation: str = "") -> None:
        """Move the order to another state, if its own leads there and the rules of the move let it.

        Raises:
            Locked: Its state does not lead there.
            Refused: A rule stops it.
        """
        if self._done(operation):
            return
        moment = self._stages.move(self._document, a_text(state, "state"))
        base = self._marked
        base = base.with_header(**now_given(base.header, ["state"]))
        after, moved = self._drawn(base.with_header(state=state).without_header(BEFORE))
        if self.state == self.program.definition.lifecycle.first:
            (after,) = draw_all(self.program, [after], self._run)
        found = self._edit(after).at_moment(moment) if moment else []
        found += self._asked(after, {}, [], moved)
        if self._stages.needs_figures(self._document, state) and self.program.routines:
            # What an order was agreed at is kept from here on; an order that cannot be priced stays a draft.
            orders = after.orders(self.program.fields)
            found += price_orders(self.program, orders, self._run).calculation.findings.errors
        stopped = [finding for finding in found if finding.stops]
        self._commit("move_to", after, found, {"state": state}, operation, stopped, moved)

    def record_payment(self, amount: Any, *, operation: str = "", **details: Any) -> None:
        """Record a payment on the header.

        Raises:
            DocumentError: The amount is not one.
            Refused: It is below 0 or beyond what is payable, unless ``[states] payments`` is ``"free"``.
        """
        if self._done(operation):
            return
        self._permit("payments")
        record = {"amount": amount, **details}
        kept = [dict(each) for each in self._document.header.get("payments") or []]
        after, moved = self._drawn(self._read(self._marked.with_header(payments=[*kept, record])))
        if self.program.definition.lifecycle.payments == "limited":
            refuse_payment(record["amount"], self.totals.payable)
        found = self._asked(after, {}, [], moved)
        self._commit_moved("record_payment", after, found, record, operation, moved)

    def record_delivery(
        self, id: str, state: str, *, line: str | int | None = None, operation: str = "", **details: Any
    ) -> None:
        """Record a delivery, of a line or of the order, or its new state; what was recorded of it before stays.

        Quantities that were delivered are summed into ``line.delivered``. What was delivered without a quantity is what
        is open of the line, and without a line what is open of the order. When no delivery is under way and every line
        is closed or delivered in full, a confirmed order is finished; a correction takes that back.

        Args:
            id: Its id. Several lines may share one; without ``line`` all of them change.
            state: One of the rulebook's states of deliveries.
            line: The line it brings.
            operation: An id that makes it happen once.
            details: ``quantity``, ``date`` and whatever else is to be kept with it.

        Raises:
            DocumentError: The state is not declared, or a value is not what its field holds.
            NotFound: There is no such line.
        """
        if self._done(operation):
            return
        self._permit("deliveries")
        record = {"id": id, "state": state, **({} if line is None else {"line": str(line)}), **details}
        if line is not None:
            self._document.line(str(line))
        deliveries = self._document.header.get("deliveries") or []
        self._read(self._document.with_header(deliveries=with_delivery(deliveries, record)))  # refuses what is none
        for each in with_quantities(self.program, self._document, record):
            deliveries = with_delivery(deliveries, each)
        after = self._read(self._marked.with_header(deliveries=deliveries))
        after, moved = self._drawn(delivered_again(self.program, self._document, after))
        found = self._asked(after, {}, [], moved)
        self._commit_moved("record_delivery", after, found, record, operation, moved)

    def _commit_moved(
        self,
        action: str,
        after: Document,
        found: list[Finding],
        details: Mapping[str, Any],
        operation: str,
        drawn: list[Moved],
    ) -> None:
        """Keep an operation, and the state that the order moves to by itself with it."""
        (move,) = moves(self.program, after.orders(self.program.fields), self._run)
        if move is not None:
            after = move.of(after)
            details = {**details, "state_now": move.to, "because": move.because}
        self._commit(action, after, found, details, operation, moved=drawn)

    def acknowledge(self, finding: Finding, reason: str, *, by: str | None = None, operation: str = "") -> None:
        """Accept a warning that stops, with name and reason; kept on the order until what it was about changes.

        Raises:
            Refused: The finding cannot be accepted.
        """
        if self._done(operation):
            return
        if not isinstance(finding, Finding):
            raise NotFound(f"expected a finding, as a check gives it (got {came(finding)})")
        if not finding.acknowledge:
            raise Refused(f"{finding.rule} cannot be accepted; only warnings that say so can", [finding])
        now = self._now()
        record = {"rule": finding.rule, "line": finding.line, "digest": finding.digest, "by": by or self.by}
        record |= {"reason": a_text(reason, "reason"), "time": "" if now is None else now.isoformat(timespec="seconds")}
        kept = list(self._document.header.get("acknowledgements") or [])
        after = self._document.with_header(acknowledgements=[*kept, record])
        details = {"rule": finding.rule, "line": finding.line, "reason": reason}
        self._commit("acknowledge", after, [], details, operation)

    def save(self) -> Order:
        """Ask the rules of saving, and give the order.

        Raises:
            Refused: A finding stops it: an error, or a warning that nobody has accepted.
        """
        self.findings = self.check("save")
        refuse_if_any(self.findings.stopping, "saving")
        return self.order


def _address(number: str) -> tuple[int, ...]:
    try:
        return read_address(number)
    except ValueError as error:
        raise NotFound(str(error)) from None
