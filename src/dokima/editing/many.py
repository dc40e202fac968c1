"""The same operation on many orders: rules asked, prices and agreed terms worked out in one pass over their columns.

What comes of each order is what the editor makes of it alone. Operations that change lines, and orders that need more
than columns can tell, go through the editor one by one.
"""

from __future__ import annotations

import datetime
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from dokima.checking.pending import PENDING, is_kept
from dokima.columns.column import column_of
from dokima.columns.shown import shown
from dokima.columns.texts import Texts
from dokima.editing.blocking import once, refuse_if_any
from dokima.editing.drawing import draw_all
from dokima.editing.editor import Editor
from dokima.editing.finishing import BEFORE, moves
from dokima.editing.journal import JournalEntry
from dokima.editing.lifecycle import Stages
from dokima.editing.many_lines import LineStep, LineValues, line_values
from dokima.editing.many_rules import at_moment, by_order, edits, header_changed
from dokima.editing.many_terms import kept_terms
from dokima.editing.operations import check_arguments, operate
from dokima.editing.session import RESERVED
from dokima.errors import DokimaError, NotFound, Refused
from dokima.exact.integers import Integers, Mask
from dokima.model.arguments import line_number_of
from dokima.model.document import TERMS, Document
from dokima.model.finding import Finding
from dokima.model.listing import Listing
from dokima.model.order import Line, Order
from dokima.model.orders import Orders, texts
from dokima.model.said import SHOWN
from dokima.model.states import CLOSED, OPEN
from dokima.pricing.defaults.drawing import absent, all_drawn, drawn, given_now, marked
from dokima.pricing.program import Program, Run
from dokima.pricing.running.pricing import price_orders
from dokima.pricing.running.whatif import with_values

LINES = 20_000
"""Lines that are worked on together."""

Clock = Callable[[], datetime.datetime]
Progress = Callable[[int], None]
"""Is told how many orders are done with."""


@dataclass(frozen=True)
class ManyEdited:
    """What came of an operation on many orders.

    Attributes:
        orders: The orders that were changed, in the sequence in which they came.
        refused: Why the others were not, by number.
        journals: What was done to each that was changed, by number.
    """

    orders: Sequence[Order]
    refused: Mapping[str, DokimaError]
    journals: Mapping[str, Sequence[JournalEntry]] = field(default_factory=dict)

    def __len__(self) -> int:
        return len(self.orders)

    def to_listing(self) -> Listing:
        """The orders that were not changed, and why."""
        rows = tuple({"number": each, "outcome": "refused", "why": str(why)} for each, why in self.refused.items())
        return Listing(rows, ("number", "outcome", "why"), "outcomes")

    def __repr__(self) -> str:
        return f"<ManyEdited: {len(self.orders)} changed, {len(self.refused)} refused; {SHOWN}>"


def edit_many(
    program: Program,
    orders: Orders,
    operation: str,
    arguments: Mapping[str, Any],
    by: str,
    clock: Clock | None = None,
    today: datetime.date | None = None,
    *,
    save: bool = False,
    progress: Progress | None = None,
) -> ManyEdited:
    """Do an operation to each of some orders, whole or not at all.

    Args:
        program: The rulebook.
        orders: The orders.
        operation: One of `OPERATIONS`.
        arguments: Its arguments.
        by: Who does it.
        clock: Tells the time for journals and acceptances.
        today: For ``run.today``.
        save: Ask the rules of saving too, and draw what defaults give.
        progress: Is told how many orders are done with.

    Raises:
        NotFound: There is no such operation.
        DokimaError: Its arguments are others.
    """
    return edit_many_by(program, orders, [(operation, arguments)], by, clock, today, save=save, progress=progress)


def edit_many_by(
    program: Program,
    orders: Orders,
    operations: Sequence[tuple[str, Mapping[str, Any]]],
    by: str,
    clock: Clock | None = None,
    today: datetime.date | None = None,
    *,
    save: bool = False,
    progress: Progress | None = None,
) -> ManyEdited:
    """Do some operations one after the other to each of some orders, all of them or none; see `edit_many`.

    Raises:
        NotFound: There is no such operation.
        DokimaError: Its arguments are others, or there is no operation at all.
    """
    if not operations:
        raise DokimaError("expected at least one operation")
    for name, arguments in operations:
        check_arguments(name, arguments)
    operation, arguments = operations[0]
    doing = _Doing(program, operation, dict(arguments), by, clock, today, save, tuple(operations[1:]))
    changed: list[Order] = []
    refused: dict[str, DokimaError] = {}
    journals: dict[str, Sequence[JournalEntry]] = {}
    for start, stop in orders.pieces(LINES):
        for number, outcome in doing.piece(orders.part(start, stop)):
            if isinstance(outcome, DokimaError):
                refused[number] = outcome
            else:
                changed.append(outcome[0])
                journals[number] = outcome[1]
        if progress is not None:
            progress(stop)
    return ManyEdited(tuple(changed), refused, journals)


Outcome = DokimaError | tuple[Order, Sequence[JournalEntry]]


@dataclass
class _Plan:
    """What an operation makes of some orders before anybody was asked.

    Attributes:
        before: The orders as they are.
        after: The orders as they would be.
        entries: What the journal of each says.
        found: What rules said to each, by position.
        refused: Positions that are refused already, and why.
        alone: Positions that go through the editor.
        action: What it is called where it is refused.
        stops: Whether warnings that nobody has accepted stop it, as errors do.
    """

    before: Orders
    after: Orders
    entries: list[list[tuple[str, Mapping[str, Any]]]]
    found: dict[int, list[Finding]] = field(default_factory=dict)
    refused: dict[int, DokimaError] = field(default_factory=dict)
    alone: set[int] = field(default_factory=set)
    action: str = ""
    stops: bool = False


@dataclass(frozen=True)
class _Doing:
    program: Program
    operation: str
    arguments: Mapping[str, Any]
    by: str
    clock: Clock | None
    today: datetime.date | None
    save: bool
    then: Sequence[tuple[str, Mapping[str, Any]]] = ()
    """What is done after it. Rules of saving look back to where the first began, as only the editor can tell."""

    @property
    def run(self) -> Run:
        return Run(self.today, self.by)

    def piece(self, orders: Orders) -> list[tuple[str, Outcome]]:
        """Each order's number and what came of it."""
        orders = orders.without_computed()
        numbers = orders.numbers
        plan = None if self.then or len(set(numbers)) != len(numbers) else self._plan(orders)
        if plan is None:
            return [(number, self._alone(orders, at)) for at, number in enumerate(numbers)]
        self._refuse(plan)
        plan.alone |= {at for at, entries in enumerate(plan.entries) if not entries}
        kept = [at for at in range(len(orders)) if at not in plan.refused and at not in plan.alone]
        changed = dict(zip(kept, self._finish(plan, kept), strict=True))
        return [(number, self._outcome(plan, at, changed)) for at, number in enumerate(numbers)]

    def _outcome(self, plan: _Plan, at: int, changed: Mapping[int, Outcome]) -> Outcome:
        if at in plan.alone:
            return self._alone(plan.before, at)
        return plan.refused[at] if at in plan.refused else changed[at]

    def _alone(self, orders: Orders, at: int) -> Outcome:
        """What the editor makes of one order."""
        try:
            document = Document.from_columns(orders.part(at, at + 1))
            editor = Editor(self.program, document, self.by, self.clock, self.today)
            for name, arguments in ((self.operation, self.arguments), *self.then):
                operate(editor, name, arguments)
            if self.save:
                editor.save()
                (document,) = draw_all(self.program, [editor.document], self.run)
            order = document.order() if self.save else editor.order
        except DokimaError as error:
            return error
        return order, editor.journal

    # -- what the operation makes of them -----------------------------------------------------------------------

    def _plan(self, orders: Orders) -> _Plan | None:
        """The orders as they would be, and what rules say to that; None for an operation that changes lines."""
        plan = _Plan(orders, marked(self.program, orders, self.run), [[] for _ in range(len(orders))])
        pending = orders.records.get(PENDING)
        plan.alone = {at for at, mine in enumerate(pending) if mine} if pending is not None else set()
        work = getattr(self, f"_{self.operation}", None)
        done = work(plan, **self.arguments) if work is not None else False
        return plan if done else None

    def _close(self, plan: _Plan, lines: Sequence[str] = ()) -> bool:
        plan.action = "close lines"
        documents = self._permitted(plan, "close")
        chosen = self._lines(plan, documents, lines)
        plan.after = _with_line_state(self._giving(plan, ["line.state"], chosen), chosen, CLOSED)
        numbers = plan.before.line_numbers
        for at, document in list(documents.items()):
            where = plan.before.lines_of(at)
            closing = [numbers[place] for place in range(where.start, where.stop) if chosen[place]]
            plan.entries[at] = [("close_lines", {"lines": closing})]
            shut = {number: {"state": CLOSED} for number in closing}
            documents[at] = Document(document.header, {**document.lines, **shut})
        self._ask(plan, "close", chosen)
        self._finished(plan)
        return True

    def _reopen(self, plan: _Plan, lines: Sequence[str] = ()) -> bool:
        plan.action = "reopen line"
        documents = self._permitted(plan, "close")
        closed = np.array([state == CLOSED for state in texts(plan.before.line("state")).to_list()], bool)
        chosen = closed if not lines else self._lines(plan, documents, lines, below=False)
        plan.after = _with_line_state(self._giving(plan, ["line.state"], chosen), chosen, OPEN)
        numbers = plan.before.line_numbers
        for at in documents:
            where = plan.before.lines_of(at)
            opened = [numbers[place] for place in range(where.start, where.stop) if chosen[place]]
            wanted = [line_number_of(number) for number in lines] if lines else opened
            plan.entries[at] = [("reopen_line", {"line": number}) for number in wanted]
        return True

    def _move(self, plan: _Plan, to: str) -> bool:
        plan.action, plan.stops = f"move to {to}", True
        # From which state an order was finished by itself is forgotten, which the editor does.
        plan.alone |= set(np.flatnonzero(~plan.before.header(BEFORE).is_missing()).tolist())
        stages = self._stages
        moments: dict[str, list[int]] = {}
        figures: list[int] = []
        for at, document in self._documents(plan).items():
            try:
                moments.setdefault(stages.move(document, to), []).append(at)
            except DokimaError as error:
                plan.refused[at] = error
                continue
            plan.entries[at] = [("move_to", {"state": to})]
            if stages.needs_figures(document, to) and self.program.routines:
                figures.append(at)
        drafts = self._drafts(plan.before)
        after = self._giving(plan, ["header.state"])
        after = after.with_columns({"state": column_of("text", [to]).spread(len(plan.before))}, {})
        plan.after = all_drawn(self.program, after, self.run, drafts).orders
        for moment, mine in moments.items():
            if moment:
                self._ask(plan, moment, None, mine)
        if figures:
            # What an order was agreed at is kept from here on; an order that cannot be priced stays as it is.
            chosen = plan.after.select(np.array(figures))
            errors = price_orders(self.program, chosen, self.run).calculation.findings.errors
            by_order(plan.found, plan.after, errors)
        return True

    def _acknowledge(self, plan: _Plan, rule: str, because: str) -> bool:
        plan.action = "acknowledge"
        found: dict[int, list[Finding]] = {}
        by_order(found, plan.before, at_moment(self.program, plan.before, plan.before, "save", self.run))
        now = self._now()
        time = "" if now is None else now.isoformat(timespec="seconds")
        records = [list(mine) for mine in plan.before.records.get("acknowledgements") or [[]] * len(plan.before)]
        for at in self._documents(plan):
            mine = [each for each in once(found.get(at, [])) if each.rule == rule and each.stops]
            if not mine:
                plan.refused[at] = NotFound(f"there is no warning '{rule}' to accept")
            elif not all(each.acknowledge for each in mine):
                said = f"{rule} cannot be accepted; only warnings that say so can"
                plan.refused[at] = Refused(said, [each for each in mine if not each.acknowledge][:1])
            for each in mine:
                record = {"rule": rule, "line": each.line, "digest": each.digest, "by": self.by}
                records[at] = [*records[at], {**record, "reason": because, "time": time}]
                details = {"rule": rule, "line": each.line, "reason": because}
                plan.entries[at] = [*plan.entries[at], ("acknowledge", details)]
        plan.after = replace(plan.before, records={**plan.before.records, "acknowledgements": records})
        return True

    def _reprice(self, plan: _Plan, lines: Sequence[str] = ()) -> bool:
        """Lines with a price typed by hand go through the editor, whose journal compares prices; others stay."""
        typed = ~plan.before.line("price_override").is_missing()
        plan.alone |= set(plan.before.order_of[typed].tolist())
        return not lines

    def _set(self, plan: _Plan, fields: Mapping[str, Any]) -> bool:
        named = {target.rpartition(".")[2] for target in fields}
        if all(target.startswith("header.") for target in fields):
            alone = "currency" in named or any(f"header.{name}" in RESERVED for name in named)
            return not alone and self._set_header(plan, fields)
        reserved = "item" in named or any(f"line.{name}" in RESERVED for name in named)
        of_lines = not any(target.startswith("header.") for target in fields)
        return of_lines and not reserved and self._set_lines(plan, fields)

    def _set_header(self, plan: _Plan, fields: Mapping[str, Any]) -> bool:
        plan.action = "change header"
        given = {target: "" if value is None else shown(value) for target, value in fields.items()}
        try:
            plan.after = with_values(self._giving(plan, list(fields)), given)
        except DokimaError:
            return False  # the editor says what is wrong with it
        documents = self._permitted(plan, "header")
        found = header_changed(self.program, plan.after, plan.before, sorted(fields), self.run)
        if found is None:
            return False
        by_order(plan.found, plan.after, found)
        values = {target.partition(".")[2]: value for target, value in fields.items()}
        for at in documents:
            plan.entries[at] = [("change_header", {"fields": values})]
        return True

    def _set_lines(self, plan: _Plan, fields: Mapping[str, Any]) -> bool:
        """One line after the other, as the editor does it, the first of every order together, then the second ..."""
        plan.action = "change line"
        values = line_values(self.program, fields)
        if values is None or edits(self.program, {f"line.{name}" for name in values.columns}):
            return False
        plan.after = self._giving(plan, [f"line.{name}" for name in values.columns])
        documents = self._permitted(plan, "lines")
        steps = {at: values.steps(document) for at, document in documents.items()}
        for turn in range(max(map(len, steps.values()), default=0)):
            mine = {at: turns[turn] for at, turns in steps.items() if turn < len(turns) and at not in plan.refused}
            self._take_turn(plan, documents, values, mine)
        return True

    def _take_turn(
        self, plan: _Plan, documents: Mapping[int, Document], values: LineValues, mine: Mapping[int, LineStep]
    ) -> None:
        """Change one line of some orders, and ask what entering it asks."""
        places: dict[int, LineStep] = {}
        for at, step in mine.items():
            try:
                documents[at].line(step.number)
                self._stages.refuse_closed(documents[at], [step.number])
            except DokimaError as error:
                plan.refused[at] = error
                continue
            places[plan.before.lines_of(at).start + list(documents[at].lines).index(step.number)] = step
            plan.entries[at] = [*plan.entries[at], ("change_line", {"line": step.number, "fields": step.given})]
        before, plan.after = plan.after, values.put(plan.after, places)
        chosen = np.zeros(plan.before.line_count, bool)
        chosen[list(places)] = True
        self._ask(plan, "enter", chosen, sorted({int(plan.before.order_of[place]) for place in places}), before)
        self._stop(plan)

    def _giving(self, plan: _Plan, names: Sequence[str], lines: Mask | None = None) -> Orders:
        """The orders with marks, where some fields are given now; those of which a value is drawn again for it go
        through the editor, which tells of each.

        Args:
            plan: The plan.
            names: The fields, by dotted name: all of the header, or all of lines.
            lines: The lines on which they are given; None if their marks are taken off later.
        """
        for key in self.program.drawn_again(names):
            held = drawn(plan.after, key) | absent(plan.after, key)
            plan.alone |= set((np.flatnonzero(held) if key[0] == "header" else plan.after.order_of[held]).tolist())
        level, fields = names[0].partition(".")[0], [name.partition(".")[2] for name in names]
        if level == "header":
            return given_now(plan.after, level, fields, np.ones(plan.after.count, bool))
        return plan.after if lines is None else given_now(plan.after, level, fields, lines)

    def _drafts(self, orders: Orders) -> Mask:
        """The orders in the first state, that of drafts."""
        first = self.program.definition.lifecycle.first
        return np.array([(state or first) == first for state in texts(orders.header("state")).to_list()], bool)

    # -- what they have in common -------------------------------------------------------------------------------

    @property
    def _stages(self) -> Stages:
        return Stages(self.program.definition.lifecycle)

    def _documents(self, plan: _Plan) -> dict[int, Document]:
        """What the states of orders and lines are asked about, by position."""
        orders = plan.before
        states = texts(orders.header("state")).to_list()
        of_lines, numbers = texts(orders.line("state")).to_list(), orders.line_numbers
        ranges = orders.line_ranges.tolist()
        records = {name: orders.records.get(name) for name in ("payments", "deliveries")}
        found: dict[int, Document] = {}
        for at, number in enumerate(orders.numbers):
            header = {"number": number, "state": states[at]}
            header |= {name: mine[at] for name, mine in records.items() if mine is not None}
            places = range(ranges[at], ranges[at + 1])
            found[at] = Document(header, {numbers[place]: {"state": of_lines[place]} for place in places})
        return found

    def _permitted(self, plan: _Plan, what: Any) -> dict[int, Document]:
        """Those whose state permits an operation; the others are refused."""
        found = self._documents(plan)
        for at, document in list(found.items()):
            try:
                self._stages.permit(document, what)
            except DokimaError as error:
                plan.refused[at] = error
                del found[at]
        return found

    def _lines(self, plan: _Plan, documents: dict[int, Document], wanted: Sequence[str], *, below: bool = True) -> Mask:
        """The lines that are meant: all of those permitted, or those named, with the lines below them."""
        chosen = np.zeros(plan.before.line_count, bool)
        names = [str(each) for each in wanted]
        for at, document in list(documents.items()):
            where = plan.before.lines_of(at)
            if not names:
                chosen[where] = True
                continue
            try:
                for number in names:
                    document.line(number)
            except DokimaError as error:
                plan.refused[at] = error
                del documents[at]
                continue
            mine = {each for number in names for each in (document.below(number) if below else [number])}
            chosen[where] = [number in mine for number in document.lines]
        return chosen

    def _ask(
        self,
        plan: _Plan,
        moment: str,
        lines: Mask | None,
        orders: Sequence[int] | None = None,
        was: Orders | None = None,
    ) -> None:
        """Ask the rules of a moment of the orders that are not refused yet."""
        where = [at for at in (range(len(plan.before)) if orders is None else orders) if at not in plan.refused]
        if not where:
            return
        positions: Integers = np.array(where)
        after, before = plan.after.select(positions), (plan.before if was is None else was).select(positions)
        only = None if lines is None else lines[plan.before.lines_at(positions)]
        by_order(plan.found, plan.after, at_moment(self.program, after, before, moment, self.run, only))

    def _finished(self, plan: _Plan) -> None:
        """An order of which nothing is open any more is finished, if its state leads there."""
        found = {at: move for at, move in enumerate(moves(self.program, plan.after, self.run)) if move is not None}
        if not found:
            return
        moved = np.isin(np.arange(len(plan.after)), list(found))
        for name, values in (
            ("state", {at: move.to for at, move in found.items()}),
            (BEFORE, {at: move.before for at, move in found.items()}),
        ):
            old = texts(plan.after.header(name)).to_list()
            column = column_of("text", [values.get(at, value) for at, value in enumerate(old)])
            plan.after = _with_text(plan.after, "header", name, column, moved)
        for at, move in found.items():
            said = {"state_now": move.to, "because": move.because}
            plan.entries[at] = [(action, {**details, **said}) for action, details in plan.entries[at]]

    def _stop(self, plan: _Plan) -> None:
        """Refuse what findings stop."""
        for at, found in plan.found.items():
            stopping = [each for each in once(found) if (each.stops if plan.stops else each.severity == "error")]
            if at not in plan.refused:
                try:
                    refuse_if_any(stopping, plan.action)
                except DokimaError as error:
                    plan.refused[at] = error

    def _refuse(self, plan: _Plan) -> None:
        """Refuse what findings stop; what an order would have to keep of them, the editor keeps."""
        self._stop(plan)
        kept = {rule.id for rule in self.program.rules if is_kept(rule)}
        for at, found in plan.found.items():
            if any(each.acknowledge and not each.accepted and each.rule in kept for each in found):
                plan.alone.add(at)
        if self.save:
            where = [at for at in range(len(plan.after)) if at not in plan.refused and at not in plan.alone]
            chosen = plan.after.select(np.array(where, np.int64))
            said: dict[int, list[Finding]] = {}
            by_order(said, plan.after, at_moment(self.program, chosen, chosen, "save", self.run))
            for at, found in said.items():
                try:
                    refuse_if_any([each for each in once(found) if each.stops], "saving")
                except DokimaError as error:
                    plan.refused[at] = error

    def _finish(self, plan: _Plan, kept: Sequence[int]) -> list[Outcome]:
        """The orders that were changed, with the terms that they keep."""
        after = plan.after.select(np.array(kept, np.int64))
        after = all_drawn(self.program, after, self.run).orders if self.save else after
        terms = kept_terms(self.program, after, self.run)
        documents = list(after.documents())
        now = self._now()
        found: list[Outcome] = []
        for at, document, mine in zip(kept, documents, terms, strict=True):
            journal = tuple(JournalEntry(action, self.by, now, details) for action, details in plan.entries[at])
            found.append((_order(document, mine), journal))
        return found

    def _now(self) -> datetime.datetime | None:
        return None if self.clock is None else self.clock()


def _with_line_state(orders: Orders, chosen: Mask, state: str) -> Orders:
    states = texts(orders.line("state")).to_list()
    column = column_of("text", [state if mine else old for mine, old in zip(chosen.tolist(), states, strict=True)])
    return _with_text(orders, "line", "state", column, chosen)


def _with_text(orders: Orders, level: str, name: str, column: Any, given: Mask) -> Orders:
    """Orders with another text in a field of some rows; on the others it is as absent as it was."""
    assert isinstance(column, Texts)
    changed = orders.with_columns(*(({name: column}, {}) if level == "header" else ({}, {name: column})))
    there = (orders.headers if level == "header" else orders.lines).keys()
    absent = orders.absent.get((level, name))
    if absent is None:
        absent = np.zeros(len(given), bool) if name in there else np.ones(len(given), bool)
    return replace(changed, absent={**changed.absent, (level, name): absent & ~given})


def _order(document: Mapping[str, Any], terms: Sequence[Mapping[str, Any]] | None) -> Order:
    order = Order()
    order.header = {name: value for name, value in document.items() if name not in ("lines", TERMS)}
    if terms is not None:
        order.header[TERMS] = list(terms)
    order.lines = [Line(line) for line in document["lines"]]
    return order
