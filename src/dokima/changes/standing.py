"""Standing figures: a change moves the figures of the lines that come out otherwise with it than without it."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

from dokima.changes.delivered_part import signs_of
from dokima.changes.dividing import figure_of, has_line
from dokima.changes.documents import leaves, priced_as_agreed
from dokima.model.agreed_terms import AgreedLine, AgreedTerms
from dokima.model.content import plain
from dokima.model.document import Document
from dokima.pricing.calculation.calculation import PricedOrder
from dokima.pricing.program import Program


def with_standing_figures(program: Program, before: Document, after: Document, over: Collection[str] = ()) -> Document:
    """An order with a change, of which every line that the change does not move keeps the figures it had.

    The figures of a baseline are those that its documents keep: each was rounded, shared or edited by itself, so that
    the formulas of today need not give the same sum. What the formulas make of a line before and after the change
    therefore decides: only where that differs, the line has the figures of today.

    Args:
        program: The rulebook.
        before: The order before the change.
        after: The order with the change.
        over: Lines that stand on nothing but documents that have ended: as long as their quantity stays, no change of
            anything else moves them.
    """
    old, new = before.terms, after.terms
    if old is None or new is None or new.digest == old.digest:
        return after
    sides = [priced_as_agreed(program, [_without_figures(each)])[0] for each in (before, after)]
    lines = dict(new.lines)
    for number in leaves(after):
        agreed, kept = new.lines.get(number), old.lines.get(number)
        if agreed is None or kept is None or not kept.figures:
            continue
        quantities = [plain(side.lines[number].get("quantity")) for side in (before, after)]
        if number in over and quantities[0] == quantities[1]:
            lines[number] = _as_it_was(old, new, kept, agreed)
            continue
        if not _same(sides[0], sides[1], number):
            continue
        names = {"price", *signs_of(sides[1].routine), *([] if sides[1].prices_include_tax else ["without_tax"])}
        lines[number] = agreed.with_figures({name: value for name, value in kept.figures.items() if name in names})
    return after.with_terms(replace(new, settled=old.settled or new.settled, lines=lines))


def _as_it_was(old: AgreedTerms, new: AgreedTerms, kept: AgreedLine, agreed: AgreedLine) -> AgreedLine:
    """The terms of a line with all that it had agreed, also where the header has come to say something else."""
    own = {name: value for name, value in old.answers.items() if plain(new.answers.get(name)) != plain(value)}
    return replace(kept, answers={**own, **kept.answers}, basis=agreed.basis, asks=agreed.asks)


def _without_figures(document: Document) -> Document:
    terms = document.terms
    if terms is None:
        return document
    bare = {number: line.with_figures({}) for number, line in terms.lines.items()}
    return document.with_terms(replace(terms, lines=bare))


def _same(before: PricedOrder, after: PricedOrder, number: str) -> bool:
    """Whether a line comes to the same price and the same amounts on both sides."""
    if before.routine is not after.routine or not has_line(before, number) or not has_line(after, number):
        return False
    if before.line(number).figure("price") != after.line(number).figure("price"):
        return False
    return all(figure_of(before, number, name) == figure_of(after, number, name) for name in signs_of(after.routine))
