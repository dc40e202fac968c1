"""An explanation for the terminal: each step, its figure, and how it came about."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal
from typing import Any

from rich.console import Group, RenderableType
from rich.table import Table
from rich.text import Text

from dokima.columns.shown import shown
from dokima.explaining.explanation import ContextRows, Explanation, QuantityPrice, StepExplanation, TableAnswer
from dokima.pricing.steps.routine import OWN_TAX
from dokima.reports.findings import finding_lines
from dokima.reports.formatting import number
from dokima.reports.language import _, told
from dokima.tables.candidates import Candidate


def explanation_report(
    explanation: Explanation, rungs: Sequence[QuantityPrice] = (), *, technical: bool = False
) -> RenderableType:
    """Where the figures of a line came from.

    Args:
        explanation: The explanation.
        rungs: What the line costs at other quantities.
        technical: Add formulas and names.
    """
    place = _("{order} line {line}").format(order=explanation.order, line=explanation.line)
    head = Text(f"{place}   {explanation.title}", style="bold")
    names = ("quantity", "price", "net")
    facts = {name: number(getattr(explanation, name)) for name in names}
    sums = Text(_("{quantity} at {price} makes {net} {currency} net").format(currency=explanation.currency, **facts))
    table = Table.grid(padding=(0, 2))
    table.add_column(no_wrap=True)
    table.add_column(justify="right", no_wrap=True)
    table.add_column(overflow="fold")
    for step in explanation.steps:
        # The rows that lost stand in a table of their own, where every price and discount is shown side by side.
        label = Text(f"{step.symbol:1} {step.label}")
        table.add_row(
            label,
            Text(number(step.value), style="bold"),
            _how(step, explanation, technical=technical, losers=not rungs),
        )
    if not explanation.steps:
        parent = _("a parent line: its amounts are the sums of its sub-lines")
        said = parent if explanation.routine else _("no routine fits")
        return Group(head, Text(said), *([finding_lines(tuple(explanation.findings))] if explanation.findings else []))
    parts: list[RenderableType] = [head, sums, Text(""), table]
    if rungs:
        parts += [Text(""), _could_apply(explanation), Text(""), _ladder(rungs, explanation)]
    for each in explanation.context:
        parts += [Text(""), _beside(each)]
    if explanation.findings:
        parts += [Text(""), finding_lines(tuple(explanation.findings))]
    return Group(*parts)


def _beside(context: ContextRows) -> Table:
    """Rows of a table that stand beside the line and are no figures of it."""
    table = Table.grid(padding=(0, 3))
    for _column in (*context.columns, ""):
        table.add_column()
    table.add_row(Text(context.label, style="bold"))
    table.add_row(*(Text(name.replace("_", " "), style="dim") for name in context.columns))
    for row, values in context.rows:
        place = _("row {row}").format(row=row)
        where = Text(f"({f'{context.file} {place}'.strip()})", style="dim")
        table.add_row(*("" if value is None else number(value) for value in values), where)
    if not context.rows:
        table.add_row(Text(_("no row"), style="dim"))
    return table


def _could_apply(explanation: Explanation) -> Table:
    """Every row of prices, discounts and charges that could apply, side by side; the winner of each table marked."""
    table = Table.grid(padding=(0, 2))
    for _column in range(4):
        table.add_column(overflow="fold")
    table.add_row(*(Text(word, style="dim") for word in (_("could apply"), _("row"), _("gives"), "")))
    for step in explanation.steps:
        for answer in step.answers if step.moves else ():
            read = [o.name.split(".")[1] for o in step.operands if o.name.startswith(f"{answer.table}.")]
            for candidate in answer.candidates:
                won = candidate.reason == "won"
                given = ", ".join(f"{name} {_value(candidate.cells[name])}" for name in read if name in candidate.cells)
                said = _("wins") if won else _("not: {why}").format(why=told(candidate.detail))
                table.add_row(answer.label, str(candidate.number), given, said, style="bold" if won else "dim")
    return table


def _ladder(rungs: Sequence[QuantityPrice], explanation: Explanation) -> Table:
    """What the line costs at each quantity that matters, its own one marked."""
    table = Table.grid(padding=(0, 3))
    for _column in range(4):
        table.add_column(justify="right")
    table.add_column()
    table.add_row(*(Text(word, style="dim") for word in (_("quantity"), _("unit price"), _("net"), _("net each"))))
    for rung in rungs:
        own = rung.quantity == explanation.quantity
        cells = (number(value) for value in (rung.quantity, rung.price, rung.net, rung.net_each))
        table.add_row(*cells, _("asked for") if own else "", style="bold" if own else "")
    return table


def _how(step: StepExplanation, explanation: Explanation, *, technical: bool, losers: bool) -> Group:
    lines: list[RenderableType] = list(_said(step, explanation))
    for each in step.named if technical else ():
        lines.append(Text(f"{each.label}: {shown(each.value)} ({each.source})", style="dim"))
    for answer in step.answers:
        lost = answer.row is None and (answer.is_required or step.value is None)
        if technical or not answer.is_master or answer.is_path or answer.agreed or lost:
            lines += _answered(answer, step, technical, losers=losers)
        lines += _components(answer)
    if technical:
        for key, source, values in step.formulas:
            lines.append(Text(f"{key} = {source}", style="cyan"))
            if values != source:
                lines.append(Text(f"{' ' * len(key)} = {values}", style="cyan"))
    return Group(*lines)


def step_lines(step: StepExplanation, explanation: Explanation) -> list[str]:
    """How a step came about, line by line."""
    how = _how(step, explanation, technical=False, losers=True)
    return [each.plain for each in how.renderables if isinstance(each, Text)]


def _said(step: StepExplanation, explanation: Explanation) -> Iterator[Text]:
    """The step in one sentence."""
    formulas = step.counted
    if step.skipped:
        yield Text(told(step.skipped))
        return
    if step.kind == "price":
        known = explanation.price is not None
        times = f": {number(explanation.quantity)} × {number(explanation.price)}" if known else ""
        yield Text(told(step.source) + times + _read_from(step))
    elif step.source:
        yield Text(f"0, {told(step.source)}")
    elif "percent" in formulas:
        of = ""
        if step.base is not None:
            base = f"{step.base.label} {number(step.base.value)}".strip()
            of = " " + _("of {base}").format(base=base)
        yield Text(f"{told(formulas['percent'])} %{of}")
        if "category" in formulas:
            category = formulas["category"].strip("'")
            said = _("tax category {category}, rounded on the document and shared over the lines")
            yield Text(said.format(category=category))
    elif step.kind != "subtotal":
        for key, values in formulas.items():
            if key not in ("when", "valid") and not key.startswith(OWN_TAX):
                yield Text(told(values))
    if step.over != "line":
        whole = _("for the parent line; this line bears {share}")
        whole = whole if step.over == "parent" else _("for the order; this line bears {share}")
        yield Text(whole.format(share=number(step.value)))
    if f"{OWN_TAX}percent" in formulas and step.value:
        category = formulas.get(f"{OWN_TAX}category", "").strip("'")
        said = _("a tax of its own: {percent} %, tax category {category}")
        said = said if category else _("its own tax: {percent} %")
        yield Text(said.format(percent=told(formulas[f"{OWN_TAX}percent"]), category=category))


def _read_from(step: StepExplanation) -> str:
    """Where a price stands that is no answer of rows that compete, in brackets; blank for any other."""
    heads = {each.name.partition(".")[0] for each in step.operands}
    places = [
        told(each.place)
        for each in step.answers
        if each.is_master and each.table in heads and each.row is not None and not (each.agreed or each.is_path)
    ]
    return f" ({', '.join(places)})" if places else ""


def _answered(answer: TableAnswer, step: StepExplanation, technical: bool, *, losers: bool) -> Iterator[Text]:
    """The row that answered and, where rows compete for a price or discount, those it beat."""
    if technical:
        asked = ", ".join(f"{name} {_value(value)}" for name, value in answer.asked.items())
        yield Text(_("{table} asked for {asked}").format(table=answer.table, asked=asked), style="cyan")
    if answer.agreed or answer.agreed_place:
        yield from _agreed(answer)
        return
    terms, place = told(answer.terms), told(answer.place)
    if answer.row is None:
        facts = {"table": answer.label, "asked": _named(answer.asked)}
        found = _("no row of the {table} for {asked}") if answer.is_key else _("no row of the {table} fits")
        required = _(", and one is required") if answer.is_required else ""
        near = f" ({told(answer.near)})" if answer.near else ""
        yield Text(found.format(**facts) + near + required, style="bold red" if answer.is_required else "dim")
    elif answer.is_path:
        given = {n: value for n, value in answer.cells.items() if value is not None and n not in answer.asked}
        yield Text(f"{answer.label} {terms}: {_named(given)} ({place})")
        return
    else:
        yield Text(f"{answer.label} {terms} ({place})")
    read = [operand.name.split(".")[1] for operand in step.operands if operand.name.startswith(f"{answer.table}.")]
    if losers and step.moves:
        for candidate in answer.candidates:
            if candidate.reason != "won":
                yield _beaten(candidate, read)


def _agreed(answer: TableAnswer) -> Iterator[Text]:
    """What the order keeps of a table, and what the table says today."""
    facts = {"kept": _named(answer.agreed), "place": told(answer.agreed_place) or _("no row"), "table": answer.label}
    yield Text(_("agreed when the order left draft: {kept} ({place})").format(**facts))
    if all(answer.cells.get(name) == value for name, value in answer.agreed.items()) and answer.row:
        yield Text("  " + _("the {table} say the same today").format(**facts), style="dim")
    elif answer.row:
        facts["today"], facts["place"] = _named({n: answer.cells.get(n) for n in answer.agreed}), told(answer.place)
        yield Text("  " + _("the {table} say today: {today} ({place})").format(**facts))
    else:
        yield Text("  " + _("no row fits today"))


def _named(values: Mapping[str, Any]) -> str:
    """Values with their names: ``percent 10, min quantity 24``."""
    return ", ".join(f"{name.replace('_', ' ')} {_value(value)}" for name, value in values.items())


def _value(value: Any) -> str:
    """A value without idle zeros."""
    return _("blank") if value is None else number(Decimal(shown(value)) if isinstance(value, Decimal) else value)


def _components(answer: TableAnswer) -> Iterator[Text]:
    """An assembly's tree: each component below what it goes into, with its quantity and value."""
    for node in answer.tree[1:]:
        scrap = " + " + _("{percent} % scrap").format(percent=number(node.scrap)) if node.scrap else ""
        says = f"{number(node.quantity)}{scrap} × {number(node.each)} = {number(node.value)}"
        yield Text(f"{'  ' * node.depth}{node.item}: {says}", style="dim" if node.depth > 1 else "")
        if node.beyond:
            yield Text(_("and {count} more components").format(count=number(node.beyond)))


def _beaten(candidate: Candidate, columns: list[str]) -> Text:
    line = Text("  " + _("not row {row}").format(row=candidate.number), style="dim")
    values = ", ".join(f"{name} {_value(value)}" for name, value in candidate.cells.items() if name in columns)
    line.append(f" ({values})" if values else "")
    line.append(f": {told(candidate.detail)}")
    return line
