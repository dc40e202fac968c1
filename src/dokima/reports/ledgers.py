"""The report of a ledger: from the original order to what it comes to now, and by line."""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal

from dokima.changes.ledger import DirectEdit, Ledger, LedgerChange
from dokima.pricing.steps.totals import SUMS
from dokima.reports.language import told
from dokima.reports.paper import Column, Paper, Row, Section, paper_in
from dokima.reports.translations import Wording


def ledger_paper(ledger: Ledger, words: Wording) -> Paper:
    """The report of a ledger."""
    columns = [Column(""), Column(words["reason"], wide=True), *(Column(words[name], "money") for name in SUMS)]
    rows = [Row([words["original"], None, *(ledger.original[name] for name in SUMS)])]
    for change in ledger.approved:
        rows += [_direct_edit(edit, words) for edit in ledger.direct if edit.before == change.number]
        rows += _movement(change, ledger, words)
    rows += [_direct_edit(edit, words) for edit in ledger.direct if not edit.before]
    if not ledger.is_balanced:
        rows.append(Row([words["unbalanced"], None, *(ledger.imbalance[name] for name in SUMS)], "removed"))
    if any(ledger.cancelled.values()):
        rows.append(Row([words["cancelled"], None, *(_negative(ledger.cancelled[name]) for name in SUMS)], "removed"))
    rows.append(Row([words["current"], ", ".join(ledger.documents), *(ledger.current[name] for name in SUMS)], "total"))
    sections = [Section(words["movements"], columns, rows)]
    if ledger.pending:
        pending = [row for change in ledger.pending for row in _movement(change, ledger, words)]
        sections.append(Section(words["pending"], columns, pending))
    by_line = _lines(ledger, words)
    facts = {
        words["budget"]: ledger.budget,
        words["headroom"]: _known(ledger.headroom, ledger, words),
        words["headroom_pending"]: _known(ledger.headroom_pending, ledger, words) if ledger.pending else None,
        **{f"{document} {words['unknown']}": why for document, why in ledger.unknown.items()},
    }
    return paper_in(
        words,
        title=f"{words['ledger_of']} {ledger.number}",
        facts={label: value for label, value in facts.items() if value is not None},
        sections=[*sections, by_line],
        currency=ledger.currency,
        places=ledger.places,
    )


def _negative(amount: Decimal | None) -> Decimal | None:
    return None if amount is None else -amount


def _known(amount: Decimal | None, ledger: Ledger, words: Wording) -> Decimal | str | None:
    """What is left of a budget; said to be unknown where there is a budget and something cannot be priced."""
    return words["unknown"] if amount is None and ledger.budget is not None else amount


def _direct_edit(edit: DirectEdit, words: Wording) -> Row:
    told = f"{edit.document}, {words['revision']} {edit.revision}"
    return Row([words["direct_edit"], told, *(edit.variance[name] for name in SUMS)], "changed")


def _movement(change: LedgerChange, ledger: Ledger, words: Wording) -> Iterator[Row]:
    unknown = f"{words['unknown']}: {told(change.unknown)}" if change.unknown else ""
    said = " · ".join(
        filter(None, [change.state and words[change.state], change.reason, told(change.decided), unknown])
    )
    yield Row([change.number, said, *(change.variance[name] for name in SUMS)], "changed")
    if change.tax_rounding:
        yield Row([words["tax_rounding"], None, *(ledger.rounding(change, name) for name in SUMS)])


def _lines(ledger: Ledger, words: Wording) -> Section:
    columns = [
        Column(words["line"]),
        Column(words["item"]),
        Column(words["original"], "money"),
        *(Column(change.number, "variance") for change in ledger.approved),
        *([Column(words["direct_edit"], "variance")] if ledger.direct else []),
        *([Column(words["cancelled"], "variance")] if any(ledger.cancelled.values()) else []),
        Column(words["current"], "money"),
    ]
    rows = []
    for line in ledger.lines:
        moves = [line.changes.get(change.number) for change in ledger.approved]
        moves += [line.rest or None] if ledger.direct else []
        moves += [_negative(line.cancelled or None)] if any(ledger.cancelled.values()) else []
        rows.append(Row([line.number, line.item, line.original, *moves, line.current]))
        for document, number in line.places:
            told = words.say("stands_for", line=number, document=document)
            rows.append(Row(["", told, None, *[None] * len(moves), None], "detail"))
    return Section(words["by_line"], columns, rows)
