"""An explanation for the terminal: each step, its figure, and how it came about."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from rich.console import Group, RenderableType
from rich.table import Table
from rich.text import Text

from dokima.engine.explaining import Explanation, Rung, StepExplanation, TableAnswer
from dokima.model.columns import shown
from dokima.reports.findings import finding_lines
from dokima.reports.words import SIGNS, number
from dokima.tables.losing import Candidate


def explanation_report(
    explanation: Explanation, rungs: Sequence[Rung] = (), *, technical: bool = False
) -> RenderableType:
    """Where the figures of a line came from.

    Args:
        explanation: The explanation.
        rungs: What the line costs at other quantities.
        technical: Add formulas and names.
    """
    head = Text(f"{explanation.order} line {explanation.line}   {explanation.title}", style="bold")
    quantity, price, net = (number(v) for v in (explanation.quantity, explanation.price, explanation.net))
    sums = Text(f"{quantity} at {price} makes {net} {explanation.currency} net")
    table = Table.grid(padding=(0, 2))
    table.add_column(no_wrap=True)
    table.add_column(justify="right", no_wrap=True)
    table.add_column(overflow="fold")
    for step in explanation.steps:
        # The rows that lost stand in a table of their own, where every price and discount is shown side by side.
        label = Text(f"{SIGNS.get(step.kind, ''):1} {step.label}")
        table.add_row(
            label, Text(number(step.value), style="bold"), _how(step, explanation, technical, losers=not rungs)
        )
    if not explanation.steps:
        said = "a parent line: its amounts are the sums of its sub-lines" if explanation.routine else "no routine fits"
        return Group(head, Text(said), *([finding_lines(tuple(explanation.findings))] if explanation.findings else []))
    parts: list[RenderableType] = [head, sums, Text(""), table]
    if rungs:
        parts += [Text(""), _could_apply(explanation), Text(""), _ladder(rungs, explanation)]
    if explanation.findings:
        parts += [Text(""), finding_lines(tuple(explanation.findings))]
    return Group(*parts)


def _could_apply(explanation: Explanation) -> Table:
    """Every row of prices, discounts and charges that could apply, side by side; the winner of each table marked."""
    table = Table.grid(padding=(0, 2))
    for _ in range(4):
        table.add_column(overflow="fold")
    table.add_row(*(Text(word, style="dim") for word in ("could apply", "row", "gives", "")))
    for step in explanation.steps:
        for answer in step.answers if step.kind in ("price", "discount", "charge") else ():
            read = [o.name.split(".")[1] for o in step.operands if o.name.startswith(f"{answer.table}.")]
            for candidate in answer.candidates:
                won = candidate.reason == "won"
                given = ", ".join(f"{name} {shown(candidate.cells[name])}" for name in read if name in candidate.cells)
                cells = (answer.label, str(candidate.number), given, "wins" if won else f"not: {candidate.detail}")
                table.add_row(*cells, style="bold" if won else "dim")
    return table


def _ladder(rungs: Sequence[Rung], explanation: Explanation) -> Table:
    """What the line costs at each quantity that matters, its own one marked."""
    table = Table.grid(padding=(0, 3))
    for _ in range(4):
        table.add_column(justify="right")
    table.add_column()
    table.add_row(*(Text(word, style="dim") for word in ("quantity", "unit price", "net", "net each")))
    for rung in rungs:
        own = rung.quantity == explanation.quantity
        cells = (number(value) for value in (rung.quantity, rung.price, rung.net, rung.net_each))
        table.add_row(*cells, "asked for" if own else "", style="bold" if own else "")
    return table


def _how(step: StepExplanation, explanation: Explanation, technical: bool, *, losers: bool) -> Group:
    lines: list[RenderableType] = list(_said(step, explanation))
    for answer in step.answers:
        lost = answer.row is None and (answer.is_required or step.value is None)
        if technical or not answer.is_key or answer.is_path or answer.agreed or lost:
            lines += _answered(answer, step, technical, losers=losers)
        lines += _components(answer)
    if technical:
        for key, source, values in step.formulas:
            lines.append(Text(f"{key} = {source}", style="cyan"))
            if values != source:
                lines.append(Text(f"{' ' * len(key)} = {values}", style="cyan"))
    return Group(*lines)


def _said(step: StepExplanation, explanation: Explanation) -> Iterator[Text]:
    """The step in one sentence."""
    read = {operand.name: operand for operand in step.operands}
    formulas = step.counted
    if step.kind == "price":
        known = explanation.price is not None
        yield Text(
            f"{step.source}: {number(explanation.quantity)} × {number(explanation.price)}" if known else step.source
        )
    elif step.source:
        yield Text(f"0, {step.source}")
    elif "percent" in formulas:
        base = next((operand for name, operand in read.items() if name.startswith("line.")), None)
        of = f" of {base.label} {number(base.value)}" if base is not None and step.kind != "tax" else ""
        yield Text(f"{formulas['percent']} %{of}")
        if "category" in formulas:
            category = formulas["category"].strip("'")
            yield Text(f"tax category {category}, rounded on the document and shared over the lines")
    elif step.kind != "subtotal":
        for key, values in formulas.items():
            if key != "when":
                yield Text(values)
    if step.over != "line":
        yield Text(
            f"for the {'parent line' if step.over == 'parent' else 'order'}; this line bears {number(step.value)}"
        )


def _answered(answer: TableAnswer, step: StepExplanation, technical: bool, *, losers: bool) -> Iterator[Text]:
    """The row that answered and, where rows compete for a price or discount, those it beat."""
    if technical:
        asked = ", ".join(f"{name} {shown(value)}" for name, value in answer.asked.items())
        yield Text(f"{answer.table} asked for {asked}", style="cyan")
    if answer.agreed or answer.agreed_place:
        kept = ", ".join(f"{name.replace('_', ' ')} {shown(value)}" for name, value in answer.agreed.items())
        yield Text(f"agreed when the order left draft: {kept} ({answer.agreed_place or 'no row'})")
        if all(answer.cells.get(name) == value for name, value in answer.agreed.items()) and answer.row:
            yield Text(f"  the {answer.label} say the same today", style="dim")
            return
        today = ", ".join(f"{name.replace('_', ' ')} {shown(answer.cells.get(name))}" for name in answer.agreed)
        yield Text(f"  the {answer.label} say today: {today} ({answer.place})" if answer.row else "  no row fits today")
        return
    if answer.row is None:
        asked = ", ".join(f"{name.replace('_', ' ')} {shown(value)}" for name, value in answer.asked.items())
        required = ", and one is required" if answer.is_required else ""
        found = f"no row of the {answer.label} for {asked}" if answer.is_key else f"no row of the {answer.label} fits"
        yield Text(found + required, style="bold red" if answer.is_required else "dim")
    elif answer.is_path:
        key, given = set(answer.asked), {name: value for name, value in answer.cells.items() if value is not None}
        found = ", ".join(
            f"{name.replace('_', ' ')} {shown(value)}" for name, value in given.items() if name not in key
        )
        yield Text(f"{answer.label} {answer.terms}: {found} ({answer.place})")
        return
    else:
        yield Text(f"{answer.label} {answer.terms} ({answer.place})")
    read = [operand.name.split(".")[1] for operand in step.operands if operand.name.startswith(f"{answer.table}.")]
    if losers and step.kind in ("price", "discount", "charge"):
        for candidate in answer.candidates:
            if candidate.reason != "won":
                yield _beaten(candidate, read)


def _components(answer: TableAnswer) -> Iterator[Text]:
    """An assembly's tree: each component below what it goes into, with its quantity and value."""
    for node in answer.tree[1:]:
        scrap = f" + {number(node.scrap)} % scrap" if node.scrap else ""
        says = f"{number(node.quantity)}{scrap} × {number(node.each)} = {number(node.value)}"
        yield Text(f"{'  ' * node.depth}{node.item}: {says}", style="dim" if node.depth > 1 else "")


def _beaten(candidate: Candidate, columns: list[str]) -> Text:
    line = Text(f"  not row {candidate.number}", style="dim")
    values = ", ".join(f"{name} {shown(value)}" for name, value in candidate.cells.items() if name in columns)
    line.append(f" ({values})" if values else "")
    line.append(f": {candidate.detail}")
    return line
