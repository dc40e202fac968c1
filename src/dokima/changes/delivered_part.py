"""What counts of a document that has ended: of each line what was delivered, with its part of every figure."""

from __future__ import annotations

from dataclasses import replace
from decimal import Decimal

from dokima.changes.documents import has_ended, leaves, state_of, total
from dokima.changes.restating import restated
from dokima.columns.column import value_at
from dokima.exact import decimals, share, to_decimals
from dokima.model.agreed_terms import AgreedLine
from dokima.model.content import plain
from dokima.model.document import Document
from dokima.pricing.defaults.preparing import prepare
from dokima.pricing.program import Program, Run
from dokima.pricing.steps.results import LINE_AMOUNT
from dokima.pricing.steps.routine import Routine


def counted_part(program: Program, document: Document) -> Document:
    """What counts of a document of a family: all of one that lives, of one that has ended what was delivered.

    A finished order of which a line states nothing about deliveries was carried out without records of them: that line
    counts whole.

    Args:
        program: The rulebook.
        document: The document, with its terms.
    """
    if not has_ended(program, document):
        return document
    is_finished = state_of(program, document) == program.definition.lifecycle.finished
    orders = prepare(program, document.orders(program.fields), Run())
    at = {number: place for place, number in enumerate(orders.line_numbers)}
    lines, terms = dict(document.lines), document.terms
    agreed = {} if terms is None else dict(terms.lines)
    places = program.definition.minor_units.get(str(value_at(orders.header("currency"), 0) or ""), 0)
    for number in leaves(document):
        quantity, delivered = (value_at(orders.line(name), at[number]) for name in ("quantity", "delivered"))
        if is_finished and (delivered is None or not quantity):
            continue
        counted = _counted(quantity, delivered)
        if counted and counted == quantity:
            continue
        if not counted:
            lines.pop(number)
            agreed.pop(number, None)
            continue
        lines[number] = {**lines[number], "quantity": counted}
        if number in agreed:
            agreed[number] = _part_of(program, agreed[number], counted, quantity, places)
    parents = {number.rpartition("/")[0] for number in lines} | set(leaves(document))
    lines = {number: fields for number, fields in lines.items() if number in parents}
    if lines == document.lines:
        return document
    part = Document(document.header, lines)
    if terms is None:
        return part
    emptied = terms.emptied if lines else terms.emptied or state_of(program, document)
    return restated(program, part.with_terms(replace(terms, emptied=emptied, lines=agreed)), "ended")


def _counted(quantity: Decimal | None, delivered: Decimal | None) -> Decimal | None:
    """What was delivered of a quantity: never beyond it, and nothing in the other direction."""
    if quantity is None:
        return None
    if not delivered or (delivered > 0) != (quantity > 0):
        return Decimal(0)
    return delivered if abs(delivered) < abs(quantity) else quantity


def _part_of(program: Program, line: AgreedLine, counted: Decimal, quantity: Decimal | None, places: int) -> AgreedLine:
    """The terms of a line with the part of its figures that belongs to a part of its quantity."""
    signs = amount_signs(program, line)
    rest = total([quantity or counted, -counted])
    figures = {}
    for name in signs:
        known = line.figures.get(name)
        if known is not None:
            parts = to_decimals(share(decimals([Decimal(known)]), decimals([counted, rest]), places))
            known = plain(parts[0])
        figures[name] = known
    if "without_tax" in line.figures and None not in figures.values():
        left = [Decimal(value) * signs[name] for name, value in figures.items() if value is not None]
        figures["without_tax"] = plain(total(left))
    return line.with_figures({"price": line.figures.get("price"), **figures})


def amount_signs(program: Program, line: AgreedLine) -> dict[str, int]:
    """The amounts that a line keeps, and whether each adds to what it comes to or takes from it."""
    signs = {LINE_AMOUNT: 1}
    for routine in program.routines:
        signs |= {name: sign for name, sign in signs_of(routine).items() if name in line.figures}
    return signs


def signs_of(routine: Routine | None) -> dict[str, int]:
    """The amounts of a routine: what the price comes to, and every discount and charge, with their signs."""
    steps = () if routine is None else routine.steps
    return {LINE_AMOUNT: 1, **{step.name: step.sign for step in steps if step.sign}}
