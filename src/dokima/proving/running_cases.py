"""Running cases: those that only price and check all at once, those that edit one by one."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from dokima.changes.baseline import Baseline
from dokima.changes.change import ChangeOrder
from dokima.checking.asking import check_orders
from dokima.columns.shown import shown
from dokima.editing.editor import Editor
from dokima.errors import DocumentError, DokimaError, Refused, nearest
from dokima.model.document import Document
from dokima.model.finding import Finding
from dokima.model.intake import read_documents
from dokima.model.order import Order
from dokima.model.orders import Orders
from dokima.pricing.program import Program, Run
from dokima.pricing.running.pricing import Pricing, price_orders
from dokima.pricing.running.whatif import with_values
from dokima.proving.cases import Case
from dokima.proving.comparing import Ran, compared
from dokima.proving.proof import Outcome

MOST = 2_000
"""Cases that are run together."""


@dataclass(frozen=True)
class Batch:
    """Cases that ran together.

    Attributes:
        cases: The cases, by number of their order.
        program: The rulebook they ran with.
        orders: Their orders.
        pricing: The traced pricing.
        moments: The moment whose rules were asked, blank for none.
        run: What the caller said.
        also: Moments whose rules the editor asked on the way.
        was: The order before its edits, None where it was not edited.
    """

    cases: Mapping[str, Case]
    program: Program
    orders: Orders
    pricing: Pricing
    moment: str
    run: Run
    also: Sequence[str] = ()
    was: Orders | None = None


ProgramOf = Callable[[Case], Program]
"""Gives the rulebook of a case: with the tables that it pins."""


def run_cases(
    cases: Sequence[Case], program_of: ProgramOf, pinned: Callable[[Case], Mapping[str, str]]
) -> tuple[list[Outcome], list[Batch]]:
    """Run cases.

    Args:
        cases: The cases, their orders as plain data.
        program_of: Gives the rulebook of a case.
        pinned: Gives the content of the tables that a case pins.

    Returns:
        An outcome for each case, and the batches that ran, for coverage.
    """
    ran: dict[int, Ran | DokimaError] = {}
    batches: list[Batch] = []
    groups: dict[tuple[Any, ...], list[int]] = {}
    for at, case in enumerate(cases):
        if case.edit or case.change or case.set:
            try:
                ran[at], batch = _alone(case, program_of(case))
                batches += batch
            except DokimaError as error:
                ran[at] = error
        else:
            groups.setdefault((id(program_of(case)), case.at, case.today, case.by), []).append(at)
    for mine in groups.values():
        for together in _distinct(cases, mine):
            batches += _together(cases, together, program_of, ran)
    outcomes = []
    for at, case in enumerate(cases):
        found = ran[at]
        confirmed = case.is_confirmed(pinned(case))
        if isinstance(found, DokimaError):
            said = str(found) or type(found).__name__
            outcomes.append(Outcome(case, error=said, is_confirmed=confirmed))
        else:
            outcomes.append(compared(case, found, confirmed))
    return outcomes, batches


def _distinct(cases: Sequence[Case], places: Sequence[int]) -> Iterator[list[int]]:
    """Cases in sets in which every order number is there once."""
    left = list(places)
    while left:
        seen: set[str] = set()
        now: list[int] = []
        later: list[int] = []
        for at in left:
            number = number_of(cases[at])
            if number in seen or len(now) == MOST:
                later.append(at)
            else:
                seen.add(number)
                now.append(at)
        yield now
        left = later


def number_of(case: Case) -> str:
    """The number of a case's order: its own, or the name of the case."""
    order = case.order if isinstance(case.order, Mapping) else {}
    return str(order.get("number") or case.name)


def _order(case: Case) -> Order:
    if not isinstance(case.order, Mapping) or not case.order:
        raise DokimaError("expected an order: a document, or the name of a file")
    document = {**case.order, "number": number_of(case)}
    return Order.from_dict(document)


def _together(
    cases: Sequence[Case], places: Sequence[int], program_of: ProgramOf, ran: dict[int, Ran | DokimaError]
) -> list[Batch]:
    """Price and check cases at once."""
    made: dict[int, Order] = {}
    for at in places:
        try:
            made[at] = _order(cases[at])
        except DokimaError as error:
            ran[at] = error
    if not made:
        return []
    first = cases[next(iter(made))]
    program, run = program_of(first), Run(first.today, first.by)
    orders = read_documents(list(made.values()), program.fields)
    wrong: dict[str, list[Any]] = {}
    for problem in orders.problems:
        wrong.setdefault(problem.order, []).append(problem)
    pricing = price_orders(program, orders, run, traced=True)
    findings = list(pricing.calculation.findings)
    if first.at:
        findings = _beyond(list(check_orders(program, orders, first.at, run)), findings)
    of: dict[str, list[Finding]] = {}
    for finding in findings:
        of.setdefault(finding.order, []).append(finding)
    for at, order in made.items():
        if order.number in wrong:
            ran[at] = DocumentError(wrong[order.number])
            continue
        priced = pricing.calculation[order.number]
        ran[at] = Ran(priced, pricing, of.get(order.number, []), program=program)
    named = {order.number: cases[at] for at, order in made.items()}
    return [Batch(named, program, orders, pricing, first.at, run)]


def _beyond(found: list[Finding], more: Sequence[Finding]) -> list[Finding]:
    """Findings, and those of others that say something else."""
    known = {(each.rule, each.order, each.line, each.message) for each in found}
    return found + [each for each in more if (each.rule, each.order, each.line, each.message) not in known]


def _alone(case: Case, program: Program) -> tuple[Ran, list[Batch]]:
    """Run a case that sets, edits or changes something."""
    order = _order(case)
    orders = read_documents([order], program.fields)
    if orders.problems:
        raise DocumentError(orders.problems)
    if case.set:
        orders = with_values(orders, {name: "" if value is None else shown(value) for name, value in case.set.items()})
    document = Document.from_columns(orders)
    was = orders if case.edit else None
    run = Run(case.today, case.by)
    ran = Ran(program=program)
    if case.edit:
        editor = Editor(program, document, case.by, None, case.today)
        refused = _operate(editor, case.edit, ran)
        if refused is not None:
            return refused, []
        document = editor.document
    if case.change:
        return _changed(case, program, document, ran)
    orders = document.orders(program.fields)
    pricing = price_orders(program, orders, run, traced=True)
    findings = list(pricing.calculation.findings)
    if case.at:
        findings = _beyond(list(check_orders(program, orders, case.at, run)), findings)
    number = orders.numbers[0]
    ran.order, ran.pricing, ran.findings = pricing.calculation[number], pricing, findings
    also = ("edit", "enter") if case.edit else ()
    return ran, [Batch({number: case}, program, orders, pricing, case.at, run, also, was)]


def _changed(case: Case, program: Program, document: Document, ran: Ran) -> tuple[Ran, list[Batch]]:
    """Open a change order, do what the case says, and take its variance; it may be submitted and approved too."""
    run = Run(case.today, case.by)
    baseline = Baseline.take(program, [document], run)
    first = case.change[0] if case.change[0]["do"] == "open" else {}
    opened = {name: str(value) for name, value in first.items() if name in ("requested_by", "reason")}
    change = ChangeOrder(
        program, f"{baseline.number}-C1", baseline, None, _midnight(case.today), {"opened_by": case.by, **opened}
    )
    edits = [each for each in case.change if each["do"] not in DECISIONS]
    if edits and _operate(change.edit(case.by, today=case.today), edits, ran) is not None:
        return ran, []
    ran.variance = change.variance()
    after = ran.variance.after
    ran.order, ran.pricing = after[after.orders.numbers[0]], Pricing(after)
    ran.findings = list(after.findings)
    batches: list[Batch] = []
    try:
        for each in [each for each in case.change if each["do"] in ("submit", "approve")]:
            by = str(each.get("by", case.by))
            if each["do"] == "submit":
                change.submit(by)
                continue
            orders, told = change.at_approval(by, [document], today=case.today)
            batches = [Batch({orders.numbers[0]: case}, program, orders, Pricing(after), "approve", told)]
            change.approve(by, [document], today=case.today, accept=each.get("accept"))
    except Refused as error:
        ran.refused, ran.said = list(error.findings), str(error)
    return ran, batches


DECISIONS = ("open", "submit", "approve")
"""What a case may say of a change order beside its edits: who asked for it, and who decides."""


def _midnight(day: datetime.date | None) -> Callable[[], datetime.datetime]:
    """A case has no clock: its day begins, and stands still."""
    known = day or datetime.date(2000, 1, 1)
    return lambda: datetime.datetime(known.year, known.month, known.day, tzinfo=datetime.UTC)


def _operate(editor: Editor, operations: Sequence[Mapping[str, Any]], ran: Ran) -> Ran | None:
    """Do operations of the editor; what was refused, None for nothing.

    Raises:
        DokimaError: There is no such operation, or it takes other arguments.
    """
    for each in operations:
        name = str(each["do"])
        given = {key: value for key, value in each.items() if key not in ("do", "line")}
        work = getattr(editor, name, None)
        if name.startswith("_") or name not in OPERATIONS:
            raise DokimaError(f"there is no operation '{name}' of the editor{nearest(name, OPERATIONS)}")
        state = editor.state
        try:
            assert work is not None
            work(*([str(each["line"])] if "line" in each else []), **given)
        except TypeError as error:
            raise DokimaError(f"'{name}': {str(error).partition(') ')[2] or error}") from None
        except Refused as error:
            ran.refused, ran.said = list(error.findings), str(error)
            return ran
        except DokimaError as error:
            ran.refused, ran.said = [], str(error)
            return ran
        if editor.state != state:
            ran.moved.append((state, editor.state))
    return None


OPERATIONS = (
    "add_line", "insert_line", "copy_line", "change_line", "remove_line", "remove_lines", "change_header",
    "override_price", "reprice_line", "close_line", "close_lines", "reopen_line", "move_to", "record_payment",
    "record_delivery", "renumber_lines", "explode_line", "undo", "redo", "save",
)  # fmt: skip
"""Operations of the editor that a case may do."""
