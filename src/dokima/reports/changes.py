"""The report of a change order. Every sum in it is read from a calculation or a ledger, never added up again."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from decimal import Decimal
from typing import Any

from dokima.changes.change import ChangeOrder
from dokima.changes.deltas import Delta
from dokima.changes.documents import total
from dokima.changes.history import day_of, last_entry
from dokima.changes.ledger import Ledger, LedgerChange
from dokima.changes.step_moves import lines_with_steps, step_moves
from dokima.changes.variance import COSTS, LineVariance, Variance, for_own_eyes
from dokima.errors import NotFound, nearest
from dokima.exact import Quotient, decimals, to_decimals
from dokima.model.content import HEADER_ASIDE
from dokima.model.fields import Field
from dokima.pricing.calculation.calculation import PricedOrder
from dokima.pricing.calculation.parties import party
from dokima.pricing.program import Program
from dokima.pricing.steps.totals import SUMS
from dokima.reports.formatting import number, signed, step_word, tax_key, tax_words
from dokima.reports.paper import Column, Paper, Row, Section, Side, paper_in
from dokima.reports.translations import Wording

_BOOKKEEPING = ("override_by", "override_time")
"""Fields that say who typed a price and when, which is not for the other party."""
_OF_ITS_OWN = ("item", "description", "unit", "state", "delivered")
"""Fields of a line that comes or goes which have a column, or are no terms of it."""
_NAMED = 5
"""Lines that are named as the cause of what another line does."""
_OPEN = ("draft", "submitted")


def change_paper(
    change: ChangeOrder,
    words: Wording,
    *,
    ledger: Ledger | None = None,
    every: bool = False,
    with_costs: bool = False,
    steps: str = "",
    columns: Sequence[str] = (),
) -> Paper:
    """The report of a change order.

    Args:
        change: The change order.
        words: The words it uses.
        ledger: That of its order, for what was approved before and what the budget leaves; None to leave that out.
        every: Unchanged lines too.
        with_costs: What lines cost us and what they earn, too; never for the other party.
        steps: The line below which the variance of every step stands, or ``all``; blank for none.
        columns: Fields and figures that stand below each line, changed or not.

    Raises:
        NotFound: There is no such line, or no such field or figure; or it is internal, and costs are not asked for.
    """
    variance = change.variance()
    after = PricedOrder(variance.after, 0)
    ((_, totals),) = variance.totals().items()
    hidden = frozenset[str]() if with_costs else variance.after.program.internal
    refuse_unknown_columns(variance.after.program, columns, hidden)
    lines = _lines(change, variance, words, hidden, columns, every=every, steps=lines_with_steps(variance, steps))
    header = _header(variance, words, hidden)
    summary = _summary(variance, totals, words)
    sections = [summary, lines]
    sections += [header] if header.rows else []
    sections += [_costs(variance, words)] if with_costs else []
    earlier = _so_far(change, totals, ledger, words)
    return paper_in(
        words,
        title=f"{words['change_order']} {change.number}",
        subtitle=f"{words['of_order']} {change.order_number}",
        facts=_facts(change, variance, ledger, words),
        sections=[*sections, *([earlier] if earlier else [])],
        currency=after.header("currency") or "",
        places=after.places,
        decision=_decision(after, words) if change.state in _OPEN else (),
        mark=words[change.state],
        watermark=words["draft"] if change.state == "draft" else "",
        headline=_headline(totals["with_tax"], after.header("currency") or "", words),
    )


def _headline(moved: Delta, currency: str, words: Wording) -> str:
    """What a change comes to, in a sentence."""
    if moved.variance is None:
        return words["unknown_total"]
    said = "rises" if moved.variance > 0 else "falls" if moved.variance < 0 else "stays"
    amounts = {"amount": f"{number(abs(moved.variance))} {currency}", "total": f"{number(moved.after)} {currency}"}
    return words.say(said, **amounts)


# -- facts ----------------------------------------------------------------------------------------------------


def _facts(change: ChangeOrder, variance: Variance, ledger: Ledger | None, words: Wording) -> dict[str, Any]:
    """Who, when, why, until when, and what approval will do."""
    after, record = PricedOrder(variance.after, 0), change.record
    ((_, moved),) = variance.headers().items()
    submitted = last_entry(record, "submitted") if record["state"] != "draft" else {}
    facts = {
        words["requested_by"]: record.get("requested_by"),
        words["reason"]: record.get("reason"),
        words["on_approval"]: _on_approval(change, variance, words),
        words["customer"]: "\n".join(party(after, "customer")),
        words["supplier"]: "\n".join(party(after, "supplier")),
        # What does not change is said once; what does stands among the other terms.
        words["ship_to"]: "" if "ship_to" in moved else "\n".join(party(after, "ship_to")),
        words["due_date"]: _due(variance),
        words["order_date"]: after.header("date"),
        words["revision"]: change.baseline.content.get("revision") or 0,
        words["opened"]: _deed(record.get("opened"), record.get("opened_by")),
        words["submitted"]: _deed(submitted.get("time"), submitted.get("by")),
        words["valid_until"]: change.valid_until,
        words["decided"]: _decided(record),
    }
    if ledger is not None and ledger.budget is not None:
        facts[words["budget"]] = ledger.budget
        left = ledger.headroom if change.state == "approved" else _left(ledger, change)
        facts[words["headroom" if change.state == "approved" else "headroom_after"]] = _known(left, words)
    return {label: value for label, value in facts.items() if value not in (None, "")}


def _due(variance: Variance) -> Any:
    """When what was ordered before is to be delivered, where no date changes: the day, or the first and the last."""
    lines = list(variance.lines())
    if any("due_date" in line.fields for line in lines):
        return ""
    added = {line.line for line in lines if line.status == "added"}
    stays = [line for line in PricedOrder(variance.after, 0).lines if not line.is_parent and line.number not in added]
    known = [line.field("due_date") for line in stays]
    days = sorted({day for day in known if day is not None})
    return "" if not days else number(days[0]) if len(days) == 1 else f"{number(days[0])} – {number(days[-1])}"


def _deed(time: Any, by: Any) -> str:
    """When something was done, and by whom."""
    return " ".join(filter(None, [number(day_of(time)), str(by or "")])) if time else ""


def _on_approval(change: ChangeOrder, variance: Variance, words: Wording) -> str:
    """What approval will do with a change that has not been decided."""
    if change.state not in _OPEN:
        return ""
    plan = change.plan(variance=variance)
    lines = plan.separate()
    said = words.say("separates", lines=", ".join(lines)) if lines else words["amends"]
    first, onward = plan.moves_on
    return said if first == onward else f"{said}; {words.say('moves_on', was=first, now=onward)}"


def _decided(record: dict[str, Any]) -> str:
    """When and by whom a change was decided."""
    entry = last_entry(record, "approved", "rejected", "withdrawn")
    told = _deed(entry.get("time"), entry.get("by"))
    return f"{told}: {entry['reason']}" if entry.get("reason") else told


def _left(ledger: Ledger, change: ChangeOrder) -> Decimal | None:
    """What the budget leaves with a change that is pending."""
    mine = next((each for each in ledger.pending if each.number == change.number), None)
    moved = None if mine is None else mine.variance[ledger.budget_of]
    return None if moved is None or ledger.headroom is None else ledger.headroom - moved


def _known(amount: Decimal | None, words: Wording) -> Decimal | str:
    return words["unknown"] if amount is None else amount


def _decision(after: PricedOrder, words: Wording) -> list[Side]:
    """Where both sides decide: the other party, and whoever sends the report."""
    others = [*party(after, "customer")[:1], *party(after, "supplier")[:1]]
    sides = dict.fromkeys([*others, next(iter(words.letterhead.values()), "")])
    fields = [words["name"], words["date"], words["signature"]]
    return [Side(side, [words["approve"], words["reject"]], fields) for side in sides if side]


# -- sums -----------------------------------------------------------------------------------------------------


def _summary(variance: Variance, totals: Mapping[str, Delta], words: Wording) -> Section:
    """The sums: without tax, tax by rate, with tax; before, what changes, after, and by how much of a hundred."""
    columns = [
        Column(""),
        Column(words["before"], "money"),
        Column(words["change"], "variance"),
        Column(words["after"], "money"),
        Column("%", "variance"),
    ]
    rows = [_sum(words["without_tax"], totals["without_tax"])]
    rates = tax_changes(variance)
    rows += [_sum(told, moved) for told, moved in rates.items()]
    if len(rates) != 1:
        rows.append(_sum(words["tax"], totals["tax"]))
    return Section(words["summary"], columns, [*rows, _sum(words["with_tax"], totals["with_tax"], "total")])


def _sum(told: str, moved: Delta, mark: str = "") -> Row:
    return Row([told, moved.before, moved.variance, moved.after, _percent(moved)], mark)


def tax_changes(variance: Variance) -> dict[str, Delta]:
    """The tax of each step, category and rate, before and after; a rate that one side does not have counts 0 there."""
    sides = [PricedOrder(side, 0) for side in (variance.before, variance.after)]
    rows = [side.tax_breakdown for side in sides]
    called = tax_words(*rows, program=variance.after.program)
    found: list[dict[Any, Decimal | None]] = [{tax_key(row): row.tax for row in side} for side in rows]
    nothing = Decimal(0).scaleb(-sides[1].places)
    moves = {}
    for key in called:
        before, after = (side.get(key, nothing) for side in found)
        moves[called[key]] = Delta(before, after, None if before is None or after is None else after - before)
    return moves


def _percent(moved: Delta) -> Decimal | None:
    """A variance in percent of what was before, with one place; None of nothing, or where one of them is unknown."""
    if moved.variance is None or not moved.before:
        return None
    exact = Quotient.of(decimals([moved.variance])).shifted(-2) / decimals([abs(moved.before)])
    (found,) = to_decimals(exact.round(1, "half-up").at(1))
    return found


def _so_far(change: ChangeOrder, totals: Mapping[str, Delta], ledger: Ledger | None, words: Wording) -> Section | None:
    """What was agreed at first, what was approved before this change, this change; None if it is the first one."""
    earlier = [] if ledger is None else _earlier(change, ledger.approved)
    if ledger is None or not earlier:
        return None
    columns = [Column(""), Column(words["reason"], wide=True), *(Column(words[name], "money") for name in SUMS)]
    sums = [Row([words["original"], "", *(ledger.original[name] for name in SUMS)])]
    sums += [Row([each.number, each.reason, *(each.variance[name] for name in SUMS)]) for each in earlier]
    mine = Row([words["this_change"], change.reason, *(totals[name].variance for name in SUMS)], "changed")
    return Section(words["so_far"], columns, [*sums, mine])


def _earlier(change: ChangeOrder, approved: Sequence[LedgerChange]) -> list[LedgerChange]:
    """The changes approved before this one."""
    numbers = [each.number for each in approved]
    return list(approved[: numbers.index(change.number)] if change.number in numbers else approved)


# -- lines ----------------------------------------------------------------------------------------------------


def refuse_unknown_columns(program: Program, columns: Sequence[str], hidden: Collection[str]) -> None:
    """Refuse what is no field or figure of a line, or not for the other party.

    Raises:
        NotFound: Names the nearest.
    """
    known = [*program.definition.fields.line, *program.line_figures]
    for name in columns:
        if name not in known:
            raise NotFound(f"there is no field or figure '{name}' of a line{nearest(name, known)}")
        if f"line.{name}" in hidden:
            raise NotFound(f"'{name}' is internal: only a report with costs shows it (--with-costs)")


def _lines(
    change: ChangeOrder,
    variance: Variance,
    words: Wording,
    hidden: Collection[str],
    asked: Sequence[str],
    *,
    every: bool,
    steps: set[str],
) -> Section:
    """The lines that change: before, after and the effect of each; below them those that do not, and all together."""
    quantity, price, net = words["quantity"], words["unit_price"], words["net"]
    columns = [
        Column(words["line"]),
        Column(words["item"]),
        Column(words["description"], wide=True, spare=3),
        Column(words["unit"], spare=3),
        Column(words["status"]),
        Column(words["before"], "number", group=quantity),
        Column(words["after"], "number", group=quantity),
        Column(words["variance"], "variance", group=quantity, spare=1),
        Column(words["before"], "money", group=price, spare=1),
        Column(words["after"], "money", group=price),
        Column(words["before"], "money", group=net, spare=2),
        Column(words["after"], "money", group=net, spare=2),
        Column(words["variance"], "variance", group=net),
    ]
    changed = list(variance.lines(every=every))
    listed = [line for line in changed if every or not (_is_rounding(line) or _is_cost(line, variance))]
    causes = [line.line for line in changed if line.status != "unchanged" and not line.is_consequence]
    rows = []
    for line in listed:
        rows.append(_line(line, variance, words))
        rows += [_detail(words.say("stands_for", line=at, document=of)) for of, at in change.standing_for(line.line)]
        rows += _asked(line, variance, words, asked)
        rows += _details(line, variance, words, causes, hidden)
        rows += _steps(line, variance) if line.line in steps else ()
    if rows:
        ((_, totals),) = variance.totals().items()
        moved = totals["without_tax"]
        same = [_rest(moved[at], [line.figures["without_tax"][at] for line in listed]) for at in (0, 1)]
        if any(same) or None in same:
            rows.append(Row(["", "", words["lines_same"], *[None] * 7, *same, None], "unchanged"))
        rows.append(Row(["", words["total"], *[None] * 8, moved.before, moved.after, moved.variance], "total"))
    return Section(words["lines_all" if every else "lines_changed"], columns, rows, words["nothing"])


def _rest(whole: Decimal | None, parts: Sequence[Decimal | None]) -> Decimal | None:
    """What a total holds beside some lines; None where one of them is unknown."""
    known = [part for part in parts if part is not None]
    return None if whole is None or len(known) < len(parts) else whole - total(known)


def _steps(line: LineVariance, variance: Variance) -> Iterator[Row]:
    """What every step adds to the variance of a line: what is left out comes to nothing on both sides."""
    for each in step_moves(variance, line):
        if each.moved.before or each.moved.after or None in each.moved:
            yield Row(["", "", step_word(each, variance), *[None] * 7, *each.moved], "step")


def _is_rounding(line: LineVariance) -> bool:
    """Whether nothing of a line moved but its part of a tax that is rounded on the document."""
    return line.is_consequence and not line.figures["without_tax"].variance


def _is_cost(line: LineVariance, variance: Variance) -> bool:
    """Whether nothing of a line moved but what it costs us, which is nobody else's concern."""
    hidden = for_own_eyes(variance.after.program)
    moved = {f"line.{name}" for name, change in line.figures.items() if change.before != change.after}
    moved |= {f"line.{name}" for name in line.fields}
    return line.status == "changed" and bool(moved) and moved <= hidden


def _line(line: LineVariance, variance: Variance, words: Wording) -> Row:
    quantity, price, net = (line.figures[name] for name in ("quantity", "price", "without_tax"))
    said = "follows" if line.is_consequence else line.status
    added, removed = line.status == "added", line.status == "removed"
    values = [
        line.line,
        line.item or "",
        line.description or "",
        _field(line, variance, "unit") or "",
        words[said],
        None if added else quantity.before,
        None if removed else quantity.after,
        quantity.variance or None,
        None if added else price.before,
        None if removed else price.after,
        None if added else net.before,
        None if removed else net.after,
        net.variance,
    ]
    return Row(values, said)


def _field(line: LineVariance, variance: Variance, name: str) -> Any:
    """A field of a line after the change; of a removed line, before it."""
    side = variance.before if line.status == "removed" else variance.after
    return PricedOrder(side, 0).line(line.line).field(name)


def _asked(line: LineVariance, variance: Variance, words: Wording, asked: Sequence[str]) -> Iterator[Row]:
    """The fields and figures that were asked for, in one row below the line; of a removed line as they were."""
    if not asked:
        return
    side = variance.before if line.status == "removed" else variance.after
    mine, fields = PricedOrder(side, 0).line(line.line), variance.after.orders.fields.line
    told = []
    for name in asked:
        value = mine.field(name) if name in fields else mine.figure(name)
        label = words.label(fields[name]) if name in fields else words.figure(name)
        told.append(f"{label}: {_shown(value)}")
    yield _detail("; ".join(told))


def _details(
    line: LineVariance, variance: Variance, words: Wording, causes: Sequence[str], hidden: Collection[str]
) -> Iterator[Row]:
    """Every other field of a line that changes, in a row of its own below it; of a line that follows, why it moves."""
    labels: Mapping[str, Field] = variance.after.orders.fields.line
    aside = _BOOKKEEPING if line.status == "changed" else (*_BOOKKEEPING, *_OF_ITS_OWN)
    fields = {name: moved for name, moved in line.fields.items() if name not in aside}
    fields = {name: moved for name, moved in fields.items() if f"line.{name}" not in hidden}
    reason = fields.pop("override_reason", None) if "price_override" in fields else None
    for name, moved in fields.items():
        told = f"{words.label(labels[name])}: {_moved(moved, line.status)}"
        if name == "price_override" and reason is not None and reason.after:
            told += f" ({reason.after})"
        yield _detail(told)
    if line.is_consequence and (steps := _steps_that_moved(line, variance, words)):
        said = {"steps": ", ".join(steps)}
        if causes:
            yield _detail(words.say("because_lines", lines=_some(causes), **said))
        else:
            ((_, header),) = variance.headers().items()
            yield _detail(words.say("because_terms" if header else "because", **said))


def _detail(told: str) -> Row:
    return Row(["", "", told, *[None] * 10], "detail")


def _some(lines: Sequence[str]) -> str:
    """The numbers of some lines; of many the first."""
    return ", ".join(lines) if len(lines) <= _NAMED else f"{', '.join(lines[:_NAMED])} …"


def _moved(moved: Delta, status: str) -> str:
    if status in ("added", "removed"):
        return _shown(moved.after if status == "added" else moved.before)
    return f"{_shown(moved.before)} → {_shown(moved.after)}"


def _steps_that_moved(line: LineVariance, variance: Variance, words: Wording) -> list[str]:
    """The prices, discounts and charges that moved a line which nobody touched, each with its variance."""
    routine = PricedOrder(variance.after, 0).routine
    names = [step.name for step in routine.steps if step.sign] if routine else []
    moved = [name for name in ("price", *names) if name in line.figures and line.figures[name].variance]
    return [f"{words.figure(name)} {signed(line.figures[name].variance)}" for name in moved]


def _header(variance: Variance, words: Wording, hidden: Collection[str]) -> Section:
    columns = [Column(words["field"]), Column(words["before"]), Column(words["after"])]
    ((_, fields),) = variance.headers().items()
    labels = variance.after.orders.fields.header
    rows = [
        Row([words.label(labels[name]), _shown(moved.before), _shown(moved.after)])
        for name, moved in fields.items()
        if name not in HEADER_ASIDE and f"header.{name}" not in hidden
    ]
    return Section(words["header_changed"], columns, rows)


def _shown(value: Any) -> str:
    return "–" if value is None else number(value)


def _costs(variance: Variance, words: Wording) -> Section:
    """What the lines that change cost and earn, and what that comes to together."""
    lines = list(variance.lines())
    moves = [(name, line.figures[name]) for line in lines for name in COSTS if name in line.figures]
    known = {name for name, change in moves if change.before is not None or change.after is not None}
    names = [name for name in COSTS if name in known]
    parts = ("before", "after", "variance")
    columns = [Column(words["line"]), Column(words["item"])]
    columns += [
        Column(words[part], "variance" if part == "variance" else "money", group=words[name])
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
