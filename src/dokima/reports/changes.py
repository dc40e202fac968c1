"""Reports of a change order and of a ledger. Every sum in them is read from a calculation, never added up again."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal
from typing import Any

from dokima.changes.change import ChangeOrder
from dokima.changes.history import day_of, last_entry
from dokima.changes.ledger import DirectEdit, Ledger, LedgerChange
from dokima.changes.listing import ChangeEntry
from dokima.changes.variance import COSTS, Change, LineVariance, Variance
from dokima.engine.calculation import PricedOrder
from dokima.exact import Quotient, decimals, to_decimals
from dokima.model.content import HEADER_ASIDE
from dokima.model.fields import Field
from dokima.reports.paper import Column, Paper, Row, Section, Side
from dokima.reports.texts import Wording
from dokima.reports.words import number
from dokima.routines.totals import SUMS

_BOOKKEEPING = ("override_by", "override_time")
"""Fields that say who typed a price and when, which is not for the other party."""


def change_paper(change: ChangeOrder, words: Wording, *, every: bool = False, with_costs: bool = False) -> Paper:
    """The report of a change order.

    Args:
        change: The change order.
        words: The words it uses.
        every: Unchanged lines too.
        with_costs: What lines cost us and what they earn, too; never for the other party.
    """
    variance = change.variance()
    after = PricedOrder(variance.after, 0)
    ((_, totals),) = variance.totals().items()
    record = change.record
    facts = {
        words["state"]: words[change.state],
        words["customer"]: after.header("customer"),
        words["supplier"]: after.header("supplier"),
        words["order_date"]: after.header("date"),
        words["revision"]: change.baseline.content.get("revision") or 0,
        words["reason"]: record.get("reason"),
        words["requested_by"]: record.get("requested_by"),
        words["opened"]: _deed(record.get("opened"), record.get("opened_by")),
        words["submitted"]: _submitted(record),
        words["decided"]: _decided(record),
        words["on_approval"]: _on_approval(change, variance, words),
    }
    sections = [_summary(totals, words), _lines(variance, words, every=every)]
    if with_costs:
        sections.append(_costs(variance, words))
    header = _header(variance, words)
    return Paper(
        title=f"{words['change_order']} {change.number}",
        subtitle=f"{words['of_order']} {change.order_number}",
        facts={label: value for label, value in facts.items() if value not in (None, "")},
        sections=[*sections, *([header] if header.rows else [])],
        currency=after.header("currency") or "",
        places=after.places,
        language=words.language,
        letterhead=words.letterhead,
        page_words=(words["page"], words["of"]),
        decision=_decision(after, words) if change.state in ("draft", "submitted") else (),
    )


def _deed(time: Any, by: Any) -> str:
    """When something was done, and by whom."""
    return " ".join(filter(None, [number(day_of(time)), str(by or "")])) if time else ""


def _submitted(record: dict[str, Any]) -> str:
    """When and by whom a change was submitted last; blank for a draft."""
    entry = last_entry(record, "submitted") if record["state"] != "draft" else {}
    return _deed(entry.get("time"), entry.get("by"))


def _decision(after: PricedOrder, words: Wording) -> list[Side]:
    """Where both sides decide: the other party, and whoever sends the report."""
    parties = [after.header("customer") or after.header("supplier") or "", next(iter(words.letterhead.values()), "")]
    fields = [words["name"], words["date"], words["signature"]]
    return [Side(party, [words["approve"], words["reject"]], fields) for party in parties if party]


def _on_approval(change: ChangeOrder, variance: Variance, words: Wording) -> str:
    """What approval will do with a change that has not been decided."""
    if change.state not in ("draft", "submitted"):
        return ""
    lines = change.ordered_separately(variance=variance)
    return words["separates"].format(lines=", ".join(lines)) if lines else words["amends"]


def _decided(record: dict[str, Any]) -> str:
    """When and by whom a change was decided."""
    entry = last_entry(record, "approved", "rejected", "withdrawn")
    told = _deed(entry.get("time"), entry.get("by"))
    return f"{told}: {entry['reason']}" if entry.get("reason") else told


def changes_paper(entries: Sequence[ChangeEntry], words: Wording) -> Paper:
    """The list of change orders of a store."""
    columns = [
        Column(words["change_order"]),
        Column(words["party"]),
        Column(words["state"]),
        Column(words["without_tax"], "variance"),
        Column(words["currency"]),
        Column(words["opened"]),
        Column(words["submitted"]),
        Column(words["waits"], "number"),
        Column(words["reason"], wide=True),
    ]
    rows = [
        Row([
            entry.number, entry.party, words[entry.state], entry.without_tax, entry.currency,
            f"{number(entry.opened)} {entry.opened_by}" if entry.opened else "",
            f"{number(entry.submitted)} {entry.submitted_by}" if entry.submitted else "",
            entry.waits, entry.reason,
        ])
        for entry in entries
    ]  # fmt: skip
    return Paper(
        title=words["change_orders"],
        subtitle="",
        facts={},
        sections=[Section(words["waiting_first"], columns, rows, words["no_changes"])],
        currency="",
        places=0,
        language=words.language,
        letterhead=words.letterhead,
        page_words=(words["page"], words["of"]),
    )


def _summary(totals: Any, words: Wording) -> Section:
    columns = [
        Column(""),
        Column(words["before"], "money"),
        Column(words["after"], "money"),
        Column(words["variance"], "variance"),
        Column("%", "variance"),
    ]
    rows = []
    for name in SUMS:
        moved: Change = totals[name]
        values = [words[name], moved.before, moved.after, moved.variance, _percent(moved)]
        rows.append(Row(values, "total" if name == "with_tax" else ""))
    return Section(words["summary"], columns, rows)


def _percent(moved: Change) -> Decimal | None:
    """A variance in percent of what was before, with one place; None of nothing, or where one of them is unknown."""
    if moved.variance is None or not moved.before:
        return None
    exact = Quotient.of(decimals([moved.variance])).shifted(-2) / decimals([abs(moved.before)])
    (found,) = to_decimals(exact.round(1, "half-up").at(1))
    return found


def _lines(variance: Variance, words: Wording, *, every: bool) -> Section:
    """The lines that change: before, after and the effect of each; below them what they come to together."""
    columns = [
        Column(words["line"]),
        Column(words["item"]),
        Column(words["description"], wide=True),
        Column(words["status"]),
        Column(f"{words['quantity']} {words['before']}", "number"),
        Column(f"{words['quantity']} {words['after']}", "number"),
        Column(f"{words['quantity']} {words['variance']}", "variance"),
        Column(f"{words['unit_price']} {words['before']}", "money", wide=True),
        Column(f"{words['unit_price']} {words['after']}", "money"),
        Column(words["net"], "variance"),
    ]
    listed = (line for line in variance.lines(every=every) if every or not (_is_rounding(line) or _is_cost(line)))
    labels = variance.after.orders.fields.line
    rows = [row for line in listed for row in (_line(line, words), *_fields(line, labels, words))]
    if rows:
        ((_, totals),) = variance.totals().items()
        together = ["", words["without_tax"], None, "", *[None] * 5, totals["without_tax"].variance]
        rows.append(Row(together, "total"))
    return Section(words["lines_all" if every else "lines_changed"], columns, rows, words["nothing"])


def _is_rounding(line: LineVariance) -> bool:
    """Whether nothing of a line moved but its part of a tax that is rounded on the document."""
    return line.is_consequence and not line.figures["without_tax"].variance


def _is_cost(line: LineVariance) -> bool:
    """Whether nothing of a line moved but what it costs us, which is nobody else's concern."""
    moved = {name for name, change in line.figures.items() if change.before != change.after}
    return line.status == "changed" and not line.fields and bool(moved) and moved <= {*COSTS}


def _costs(variance: Variance, words: Wording) -> Section:
    """What the lines that change cost and earn, and what that comes to together."""
    lines = list(variance.lines())
    moves = [(name, line.figures[name]) for line in lines for name in COSTS if name in line.figures]
    known = {name for name, change in moves if change.before is not None or change.after is not None}
    names = [name for name in COSTS if name in known]
    parts = ("before", "after", "variance")
    columns = [Column(words["line"]), Column(words["item"])]
    columns += [
        Column(f"{words[name]} {words[part]}", "variance" if part == "variance" else "money")
        for name in names
        for part in parts
    ]
    rows = [
        Row([line.line, line.item or "", *(getattr(line.figures[n], part) for n in names for part in parts)], "changed")
        for line in (lines if names else ())
    ]
    ((_, totals),) = variance.totals().items()
    if rows and any(name in totals for name in names):
        together = [getattr(totals[n], part) if n in totals else None for n in names for part in parts]
        rows.append(Row(["", words["lines_all"], *together], "total"))
    return Section(words["costs"], columns, rows, words["no_costs"])


def _line(line: LineVariance, words: Wording) -> Row:
    quantity, price = line.figures["quantity"], line.figures["price"]
    mark = line.status
    said: str = mark
    if line.is_consequence:
        said = "follows"
    added, removed = mark == "added", mark == "removed"
    values = [
        line.line,
        line.item or "",
        line.description or "",
        words[said],
        None if added else quantity.before,
        None if removed else quantity.after,
        quantity.variance or None,
        price.before,
        price.after,
        line.figures["without_tax"].variance,
    ]
    return Row(values, said)


def _fields(line: LineVariance, labels: Mapping[str, Field], words: Wording) -> Iterator[Row]:
    """Every other field of a line that changes, in a row of its own below it."""
    for name, moved in line.fields.items():
        if name not in _BOOKKEEPING:
            told = f"{words.label(labels[name])}: {_shown(moved.before)} → {_shown(moved.after)}"
            yield Row(["", "", told, "", *[None] * 6], "detail")


def _header(variance: Variance, words: Wording) -> Section:
    columns = [Column(words["field"]), Column(words["before"]), Column(words["after"])]
    ((_, fields),) = variance.headers().items()
    labels = variance.after.orders.fields.header
    rows = [
        Row([words.label(labels[name]), _shown(moved.before), _shown(moved.after)])
        for name, moved in fields.items()
        if name not in HEADER_ASIDE
    ]
    return Section(words["header_changed"], columns, rows)


def _shown(value: Any) -> str:
    return "–" if value is None else number(value)


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
    rows.append(Row([words["current"], ", ".join(ledger.documents), *(ledger.current[name] for name in SUMS)], "total"))
    sections = [Section(words["movements"], columns, rows)]
    if ledger.pending:
        pending = [row for change in ledger.pending for row in _movement(change, ledger, words)]
        sections.append(Section(words["pending"], columns, pending))
    sections.append(_ledger_lines(ledger, words))
    facts = {
        words["budget"]: ledger.budget,
        words["headroom"]: _known(ledger.headroom, ledger, words),
        words["headroom_pending"]: _known(ledger.headroom_pending, ledger, words) if ledger.pending else None,
        **{f"{document} {words['unknown']}": why for document, why in ledger.unknown.items()},
    }
    return Paper(
        title=f"{words['ledger_of']} {ledger.number}",
        subtitle="",
        facts={label: value for label, value in facts.items() if value is not None},
        sections=sections,
        currency=ledger.currency,
        places=ledger.places,
        language=words.language,
        letterhead=words.letterhead,
        page_words=(words["page"], words["of"]),
    )


def _known(amount: Decimal | None, ledger: Ledger, words: Wording) -> Decimal | str | None:
    """What is left of a budget; said to be unknown where there is a budget and something cannot be priced."""
    return words["unknown"] if amount is None and ledger.budget is not None else amount


def _direct_edit(edit: DirectEdit, words: Wording) -> Row:
    told = f"{edit.document}, {words['revision']} {edit.revision}"
    return Row([words["direct_edit"], told, *(edit.variance[name] for name in SUMS)], "changed")


def _movement(change: LedgerChange, ledger: Ledger, words: Wording) -> Iterator[Row]:
    unknown = f"{words['unknown']}: {change.unknown}" if change.unknown else ""
    told = " · ".join(filter(None, [words[change.state], change.reason, change.decided, unknown]))
    yield Row([change.number, told, *(change.variance[name] for name in SUMS)], "changed")
    if change.tax_rounding:
        yield Row([words["tax_rounding"], None, *(ledger.rounding(change, name) for name in SUMS)])


def _ledger_lines(ledger: Ledger, words: Wording) -> Section:
    columns = [
        Column(words["line"]),
        Column(words["item"]),
        Column(words["original"], "money"),
        *(Column(change.number, "variance") for change in ledger.approved),
        *([Column(words["direct_edit"], "variance")] if ledger.direct else []),
        Column(words["current"], "money"),
    ]
    rows = [
        Row([
            line.number, line.item, line.original,
            *(line.changes.get(change.number) for change in ledger.approved),
            *([line.rest or None] if ledger.direct else []), line.current,
        ])
        for line in ledger.lines
    ]  # fmt: skip
    return Section(words["by_line"], columns, rows)
