"""Explaining: asks a traced pricing where each figure of a line came from."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from decimal import Decimal
from typing import Any

import numpy as np

from dokima.columns.column import value_at
from dokima.columns.shown import shown
from dokima.compiling.scope import Scope
from dokima.errors import NotFound, nearest
from dokima.exact import Quotient, decimals, to_decimals
from dokima.explaining.explanation import ContextRows, Explanation, Operand, StepExplanation
from dokima.explaining.table_answers import TableAnswers
from dokima.explaining.written_formulas import Counted, Traced, named_values, with_labels, with_values
from dokima.formulas import Formula, Level, Name
from dokima.formulas.operators import numbers
from dokima.model.said import Said, listing
from dokima.pricing.calculation.amounts import amount_at
from dokima.pricing.calculation.calculation import PricedLine, amount_figures
from dokima.pricing.program import Program
from dokima.pricing.running.pricing import Part, Pricing
from dokima.pricing.steps.results import OVERRIDE, StepTrace
from dokima.pricing.steps.routine import Step
from dokima.tables.assembly import Node
from dokima.tables.table import Table


def explain_line(pricing: Pricing, order: str, line: str, figure: str | None = None) -> Explanation:
    """Explain the figures of a line.

    Args:
        pricing: A traced pricing.
        order: Order number.
        line: Line number.
        figure: Only this figure: a step, or ``price``; all steps if None.

    Raises:
        NotFound: There is no such order, line or figure.
    """
    priced = pricing.calculation[order].line(line)
    found = pricing.trace_of(priced.order.position)
    steps: list[StepExplanation] = []
    context: Sequence[ContextRows] = ()
    if found is not None and not priced.is_parent:
        part, trace = found
        program = pricing.calculation.program
        position = int(np.flatnonzero(part.lines == priced.position)[0])
        explainer = _Explainer(program, part, priced, position)
        steps = [explainer.step(each) for each in _wanted(trace, figure)]
        context = explainer.answers.beside()
    title = " ".join(str(value) for name in ("item", "description") if (value := priced.field(name)) is not None)
    routine = priced.order.routine
    figures = pricing.calculation.figures
    return Explanation(
        order=order,
        line=priced.number,
        title=title,
        currency=priced.order.header("currency") or "",
        routine=routine.name if routine else "",
        quantity=priced.field("quantity"),
        price=priced.figure("price") if "price" in figures else None,
        net=priced.figure("net") if "net" in figures else None,
        steps=steps,
        findings=tuple(pricing.calculation.findings.of(order, priced.number)),
        context=context,
    )


_WHOLE = ("amount", "net", "without_tax", "with_tax")


def _wanted(trace: Sequence[StepTrace], figure: str | None) -> list[StepTrace]:
    if figure is None or figure in _WHOLE:
        return list(trace)
    wanted = [each for each in trace if figure in (each.step.name, each.step.kind)]
    if not wanted:
        names = [each.step.name for each in trace]
        raise NotFound(f"there is no figure '{figure}' to explain{nearest(figure, [*names, *_WHOLE])}")
    return wanted


class _Explainer:
    def __init__(self, program: Program, part: Part, line: PricedLine, position: int) -> None:
        self.program = program
        self.part = part
        assert part.context is not None
        self.context = part.context
        self.line = line
        self.position = position
        self.order = int(self.context.order_of[position])
        self.answers = TableAnswers(program, self.context, self.order, position)

    @property
    def _figures(self) -> Mapping[str, Name]:
        """The figures of the line's routine."""
        routine = self.line.order.routine
        return {} if routine is None else routine.figures

    def step(self, trace: StepTrace) -> StepExplanation:
        step = trace.step
        values = {name: self._value(trace, name) for name in trace.columns}
        chosen = int(self.part.result.options[self.position])
        formulas = list(step.formulas())
        if step.way.is_price:
            formulas = [each for each in formulas if each[0].startswith(f"options.{chosen - 1}.")] if chosen > 0 else []
        read = {name for _, formula in formulas for name in formula.reads}
        figure = "amount" if step.name == "price" else step.name
        if step.way.is_price:
            read |= {"line.quantity"} | ({"line.price_override", "line.price_base"} if chosen == OVERRIDE else set())
            value = self._price_amount()
        elif step.level is Level.HEADER and not step.way.is_amount:
            value = self.line.order.figures.get(step.name)
        else:
            value = self.line.figure(figure)
        if step.definition.of:
            read.add(f"line.{step.definition.of}")
        operands = [Operand(name, self.program.label(name), values[name]) for name in values if name in read]
        frame = Traced(self.context, trace.columns)
        scope = Scope(self.program.definition, self.program.tables.get, self._figures)
        named = [each for _, f in formulas for each in named_values(f, scope, frame, self.order, self.position)]
        values |= {each.name: each.value for each in named}
        asked = [each for each in formulas if each[0] not in ("when", "valid")]
        if step.way.is_price:  # the options before the one that had a price say why they had none
            later = tuple(f"options.{at}." for at in range(chosen, len(step.options))) if chosen > 0 else ()
            asked = [each for each in trace.step.formulas() if not each[0].startswith(later)]
        tables, path = self._tables([name for _, formula in asked for name in formula.reads], trace)
        return StepExplanation(
            name=step.name,
            label=step.definition.shown,
            kind=step.kind,
            value=value,
            source=self._source(step.options, chosen, trace) if step.way.is_price else self._beaten_by(step),
            formulas=[
                (key, formula.written or formula.source, with_values(formula, values)) for key, formula in formulas
            ],
            counted={key: self._counted(formula, trace) for key, formula in formulas},
            skipped=self._skipped(step, trace),
            operands=operands,
            named=list({each.name: each for each in named}.values()),
            answers=[
                self.answers.answer(
                    table,
                    int(self._at(trace, table)),
                    is_path=table in path,
                    tree=self._tree(self.program.tables[table], read),
                )
                for table in tables
            ],
            over="order" if step.way.of_order else step.definition.over,
            symbol=step.way.symbol,
            moves=step.way.is_price or step.sign != 0,
            base=self._base(step, values),
        )

    def _skipped(self, step: Step, trace: StepTrace) -> str:
        """Why a step does not apply to this line, blank where it does: what its condition comes to here."""
        frame = Traced(self.context, trace.columns)
        valid = step.definition.valid
        if valid is not None and (day := self._value(trace, "header.date")) is not None and day not in valid:
            return Said("does not apply: it is valid {days}, not on {day}", days=valid.said, day=shown(day))
        for key in ("when", "where"):
            formula = step.parts.get(key)
            if formula is None:
                continue
            column = formula.evaluate(frame)
            at = 0 if len(column) == 1 else self.position if formula.level is Level.LINE else self.order
            if len(column) and value_at(column, at) is False:
                values = [(name, self._value(trace, name)) for name in formula.reads if name not in formula.gathered]
                facts = [Said("{name} {value}", name=self.program.label(n), value=shown(value)) for n, value in values]
                condition = with_labels(formula, self.program.label)
                why = Said("{condition} ({facts})", condition=condition, facts=listing(facts)) if facts else condition
                if key == "when":
                    return Said("does not apply: {why}", why=why)
                return Said("leaves this line out: {why}", why=why)
        return ""

    def _base(self, step: Step, values: Mapping[str, Any]) -> Operand | None:
        """What a percentage of a discount or charge is taken of."""
        name = f"line.{step.definition.of or 'amount'}"
        if not step.sign or "percent" not in step.parts or name not in values:
            return None
        return Operand(name, self.program.label(name) if step.definition.of else "", values[name])

    def _counted(self, formula: Formula, trace: StepTrace) -> Said:
        """What counted in a formula on this line."""
        frame = Traced(self.context, trace.columns)
        return Counted(formula, frame, self.order, self.position, self.program.label).text()

    def _tables(self, names: Sequence[str], trace: StepTrace) -> tuple[list[str], set[str]]:
        """The tables behind names, in the order they are read, and which of them are hops on a path of records."""
        tables: list[str] = []
        path: set[str] = set()
        for table in dict.fromkeys(name.split(".")[0] for name in names):
            if table not in trace.rows:
                continue
            hops = self.answers.hops(table) if self._is_path(table) else [table]
            path |= set(hops) if len(hops) > 1 else set()
            rates = [name.split(".")[0] for f in self.program.tables[table].factors.values() for name in f.reads]
            tables += [*hops, *(rate for rate in rates if rate in trace.rows)]
        return list(dict.fromkeys(tables)), path

    def _is_path(self, table: str) -> bool:
        """Whether a table is found by a key that another table gives."""
        return self.program.tables[table].definition.is_key and len(self.context.behind([table])) > 1

    def _tree(self, table: Table, read: Collection[str]) -> Sequence[Node]:
        """The tree of the line's item, if an assembly's value was read."""
        columns = [name.partition(".")[2] for name in read if name.startswith(f"{table.name}.")]
        if table.assemblies is None or not columns:
            return ()
        (formula,) = table.conditions.values()
        item = value_at(
            formula.evaluate(self.context, table.level), 0 if table.level is Level.CONSTANT else self.position
        )
        rolled = [column for column in columns if column in table.assemblies.values]
        return table.assemblies.tree(rolled[0], item) if rolled and item in table.assemblies.parts else ()

    def _price_amount(self) -> Any:
        """The amount the price step left: what the first figure after it started from."""
        quantity, price = self.line.field("quantity"), self.part.result.lines["price"]
        if quantity is None or bool(price.is_missing()[self.position]):
            return None
        routine = self.line.order.routine
        assert routine is not None
        one = price.take(np.array([self.position]))
        amount = Quotient.of(decimals([quantity])) * numbers(one)
        return to_decimals(amount.round(self.line.order.places, routine.steps[0].rounding).at(self.line.order.places))[
            0
        ]

    def _value(self, trace: StepTrace, name: str) -> Any:
        column = trace.columns[name]
        head, _, tail = name.partition(".")
        table = self.program.tables.get(head)
        by_order = head == "header" or (table is not None and table.level is Level.HEADER)
        position = 0 if len(column) == 1 else self.order if by_order else self.position
        if head in ("header", "line") and tail in amount_figures(self.line.order.routine):
            return amount_at(column, position, self.line.order.places)
        return value_at(column, position)

    def _at(self, trace: StepTrace, table: str) -> int:
        rows = trace.rows[table]
        level = self.program.tables[table].level
        return int(rows[self.order if level is Level.HEADER else self.position])

    def _beaten_by(self, step: Step) -> str:
        """For a step that competed and lost, the step that won."""
        winners, routine = self.part.result.winners.get(step.name), self.line.order.routine
        if winners is None or routine is None or winners[self.position] < 0:
            return ""
        rivals = [each for each in routine.steps if each.definition.best_of == step.definition.best_of]
        winner = rivals[int(winners[self.position])]
        return "" if winner is step else Said("beaten by {step}", step=winner.definition.shown)

    def _source(self, options: Sequence[Any], chosen: int, trace: StepTrace) -> str:
        if chosen < 0:
            return Said("no price")
        if chosen == OVERRIDE:
            reason = self.line.field("override_reason")
            return Said("manual price ({reason})", reason=reason) if reason else Said("manual price")
        option = options[chosen - 1]
        said = with_labels(option.value, self.program.label).replace("*", "×")
        base: str = "1" if option.base is None else self._counted(option.base, trace)
        factor: str = "1" if option.factor is None else self._counted(option.factor, trace)
        # A price for one is told by the calculation; one for a hundred, or for another unit, is not.
        parts: list[str] = [said]
        if not base == factor == "1":
            parts += [" ", self._counted(option.value, trace)]
        if base != "1":
            parts.append(Said(" per {base}", base=base))
        if factor != "1":
            parts.append(Said(", times {factor}", factor=factor))
        return listing(parts, "")


def quantities_worth_asking(explanation: Explanation) -> list[Decimal]:
    """The line's own quantity and every break of a row that could apply to it, in ascending order."""
    found = {explanation.quantity} if explanation.quantity else set()
    for step in explanation.steps:
        for answer in step.answers:
            for candidate in answer.candidates:
                if candidate.reason not in ("match", "window"):
                    found |= {candidate.cells[name] for name in answer.breaks if candidate.cells.get(name)}
    return sorted(found)
