"""Pricing: which routine fits each order, running it, and putting the results of all routines together."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal

import numpy as np

from dokima.columns.column import Column, blanks, value_at
from dokima.columns.lazy import LazyColumns
from dokima.columns.shown import shown
from dokima.columns.texts import Texts
from dokima.errors import listed, nearest
from dokima.exact import Decimals, decimals, stored, total
from dokima.exact.integers import Integers, Mask, either, everywhere, range_of
from dokima.exact.ranking import distinct
from dokima.formulas import Formula, FormulaKind, Level
from dokima.formulas.failures import first_of
from dokima.formulas.operators import alike, compared, flags, numbers, pick
from dokima.model.finding import Finding
from dokima.model.finding_columns import FEW, Found, OneMessage, Refusals
from dokima.model.findings import Findings
from dokima.model.orders import Orders, texts
from dokima.model.said import Said
from dokima.pricing.calculation.amounts import amount_at
from dokima.pricing.calculation.calculation import Calculation, amount_figures
from dokima.pricing.calculation.joining import joined
from dokima.pricing.defaults.preparing import prepared_context
from dokima.pricing.names.agreed_columns import KeptOrder, agreed_columns, kept_orders
from dokima.pricing.names.context import Context
from dokima.pricing.names.parent_lines import priced_parents, summed_into_parents
from dokima.pricing.program import Program, Run
from dokima.pricing.running.beside_totals import instalments, reported
from dokima.pricing.running.required import missing_rows
from dokima.pricing.running.stated_figures import compare_stated
from dokima.pricing.running.threads import PIECE, on_threads
from dokima.pricing.steps.instalments import InstalmentPlan
from dokima.pricing.steps.results import BlankStep, RoutineResult, StepTrace, TaxTerms
from dokima.pricing.steps.routine import Routine
from dokima.pricing.steps.running import run_routine
from dokima.pricing.steps.taxing import TaxGroups
from dokima.pricing.steps.totals import TOTALS, Terms, total_up


@dataclass(frozen=True)
class Part:
    """The orders of one routine and one minor unit, priced.

    Attributes:
        orders: Their positions.
        lines: Positions of their lines without sub-lines.
        result: What the routine left.
        totals: Their totals.
        findings: What is wrong with them.
        context: The columns it worked with, kept only if traced.
        plan: Their instalments; None if the routine has none.
        reporting: Rate and totals in the reporting currency, by name; empty without one.
        worked_out: Fields that are always worked out, as (level, field), from the answers that orders keep.
    """

    orders: Integers
    lines: Integers
    result: RoutineResult
    totals: Mapping[str, Decimals]
    findings: Sequence[Found]
    context: Context | None
    plan: InstalmentPlan | None = None
    reporting: Mapping[str, Decimals] = field(default_factory=dict)
    worked_out: Mapping[tuple[str, str], Column] = field(default_factory=dict)


@dataclass
class Pricing:
    """A calculation, and for explanations the parts it was put together from."""

    calculation: Calculation
    parts: list[Part] = field(default_factory=list)

    def trace_of(self, order: int) -> tuple[Part, Sequence[StepTrace]] | None:
        """The part an order was priced in and what its steps saw; None if no routine fits it."""
        for part in self.parts:
            if order in part.orders:
                return part, part.result.trace
        return None


def price_orders(
    program: Program,
    orders: Orders,
    run: Run,
    *,
    traced: bool = False,
    workers: int = 1,
    context: Context | None = None,
) -> Pricing:
    """Price orders, piece by piece; what is wrong becomes findings, never an exception.

    Args:
        program: The rulebook.
        orders: The orders.
        run: What the caller says about the run.
        traced: Keep what each step saw, for explanations.
        workers: Threads that share the pieces; the result is the same for any number.
        context: What `prepared_context` gives, if rules have been asked in it already.
    """
    context = prepared_context(program, orders, run) if context is None else context
    orders = context.orders
    unpriced: list[Finding] = []
    places, routine_of, jobs = _jobs(context, unpriced, traced)
    parts = on_threads(lambda job: _price_part(job, context), jobs, workers)
    findings: list[Found] = [*unpriced, *(each for part in parts for each in part.findings)]
    findings += failed_defaults(program, orders)
    findings += priced_parents(orders)
    # Whoever reads a default of a few orders next finds its tables searched; those of many would fill the memory.
    kept = context if orders.line_count <= PIECE else None
    calculation = _put_together(
        program, _as_agreed(orders, parts), parts, routine_of, np.where(places >= 0, places, 2), kept
    )
    findings += compare_stated(calculation)
    found = Findings.sorted(findings, lambda: texts(orders.header("number")))
    return Pricing(calculation.with_findings(found), parts)


def figures_of(program: Program, orders: Orders, run: Run, names: Collection[str]) -> dict[str, Column]:
    """Some figures of orders by dotted name, worked out with no more steps than they need.

    Args:
        program: The rulebook.
        orders: The orders, defaults filled in.
        run: What the caller says about the run.
        names: Figures wanted; ``header.x`` of a line amount is left to the sum over the lines.
    """
    lines: list[tuple[Integers, Mapping[str, Column]]] = []
    headers: list[tuple[Integers, Mapping[str, Column]]] = []
    context = Context(program, orders, run)
    for job in _jobs(context, [], traced=False)[2]:
        first = job.routine.steps_for(names)
        if first:
            result, where = _run_job(job, context, first)[1:3]
            known = {f"line.{name}": column for name, column in result.lines.items()}
            lines.append((where, known))
            headers.append((job.mine + job.piece[0], {f"header.{n}": c for n, c in result.headers.items()}))
    wanted = {*names, *(f"line.{name.split('.')[1]}" for name in names)}
    by_line, by_order = joined(lines, orders.line_count), joined(headers, orders.count)
    amounts = {f"line.{name}" for routine in program.routines for name in amount_figures(routine)}
    found = {n: summed_into_parents(by_line[n], orders) if n in amounts else by_line[n] for n in by_line if n in wanted}
    found |= {name: by_order[name] for name in by_order if name in wanted}
    # What no order has, since no routine or currency is theirs, is unknown.
    for figure in {name.partition(".")[2] for name in names}:
        if figure in program.line_figures:
            found.setdefault(f"line.{figure}", blanks(program.line_figures[figure], orders.line_count))
        elif figure in program.header_figures:
            found.setdefault(f"header.{figure}", blanks(program.header_figures[figure], orders.count))
    return found


def _jobs(context: Context, findings: list[Finding], traced: bool) -> tuple[Integers, Integers, list[_Job]]:
    """Minor unit and routine of each order, and the work that follows from them."""
    program, orders, run = context.program, context.orders, context.run
    places = _minor_units(program, orders, findings)
    routine_of = _routines(context, findings)
    kept = kept_orders(program, orders, run)
    batch = np.where((places >= 0) & (routine_of >= 0), routine_of * 100 + places, -1)
    jobs: list[_Job] = []
    for start, stop in orders.pieces(PIECE):
        for key in distinct(batch[start:stop]).tolist():
            if key >= 0:
                mine = (batch[start:stop] == key).nonzero()[0]
                theirs = None if kept is None else [kept[at] for at in (mine + start).tolist()]
                routine, piece = program.routines[key // 100], (start, stop)
                jobs.append(_Job(program, routine, key % 100, run, traced, piece, mine, theirs))
    return places, routine_of, jobs


@dataclass(frozen=True)
class _Job:
    """The orders of a piece (a range of positions) that one routine prices in currencies of one minor unit."""

    program: Program
    routine: Routine
    places: int
    run: Run
    traced: bool
    piece: tuple[int, int]
    mine: Integers
    kept: Sequence[KeptOrder | None] | None = None


# -- which routine, which currency ----------------------------------------------------------------------------


def _minor_units(program: Program, orders: Orders, findings: list[Finding]) -> Integers:
    """Decimal places of each order's currency, -1 where that is blank or unknown."""
    known = program.definition.minor_units
    column = orders.header("currency")
    assert isinstance(column, Texts)
    places = np.array([known.get(word, -1) for word in column.words.items] + [-1], np.int64)[column.codes]
    said: dict[str | None, Said] = {}  # to find the nearest code takes half a millisecond
    for at in (places < 0).nonzero()[0].tolist():
        code = value_at(column, at)
        message = said.get(code)
        if message is None:
            came = Said("got '{code}'{hint}", code=code, hint=nearest(code, known)) if code else Said("it is blank")
            message = said[code] = Said("expected a currency code of ISO 4217, such as EUR ({came})", came=came)
        findings.append(Finding("currency", "error", message, orders.numbers[at], field="currency"))
    return places


def _routines(context: Context, findings: list[Finding]) -> Integers:
    """For each order the one routine whose ``when`` holds, -1 where that is not exactly one."""
    program, orders = context.program, context.orders
    broken: Texts | None = None
    fits: list[Mask] = []
    unknown: Mask | None = None
    chosen, count = np.full(orders.count, -1, np.int64), np.zeros(orders.count, np.int64)
    for place, routine in enumerate(program.routines):
        fit = everywhere(orders.count)
        if routine.when is not None:
            verdict = flags(routine.when.evaluate(context, Level.HEADER))
            failed = routine.when.failures(context, Level.HEADER)
            if failed is not None:
                broken = first_of(broken, failed)
                verdict = verdict.without(failed.codes >= 0)
            fit, unknown = verdict.is_true(), either(unknown, verdict.missing)
        fits.append(fit)
        count = count + fit
        chosen[fit] = place
    decided = count == 1 if unknown is None else (count == 1) & ~unknown
    if np.count_nonzero(decided) == orders.count:
        return chosen
    chosen[~decided] = -1
    for at in np.flatnonzero(~decided).tolist():
        names = [routine.name for routine, fit in zip(program.routines, fits, strict=True) if fit[at]]
        every = listed(routine.name for routine in program.routines) or "none"
        if unknown is not None and unknown[at]:
            why = (None if broken is None else value_at(broken, at)) or Said("a value is blank")
            message = Said("which routine fits could not be decided: {why} (there are: {every})", why=why, every=every)
        elif names:
            message = Said("expected exactly one routine to fit (these do: {names})", names=listed(names))
        else:
            message = Said("expected exactly one routine to fit (none does; there are: {every})", every=every)
        findings.append(Finding("routine", "error", message, orders.numbers[at]))
    return chosen


# -- one part -------------------------------------------------------------------------------------------------


def _run_job(job: _Job, every: Context, first: int | None = None) -> tuple[Orders, RoutineResult, Integers, Context]:
    """The orders of a job, what its routine left, where their lines stand among all, and the columns it worked with.

    Args:
        job: The job.
        every: The context of all orders; a job that has all of them to itself works in it.
        first: Run only so many of the first steps.
    """
    orders = every.orders
    start, stop = job.piece
    piece = orders.part(start, stop)
    selected = piece.select(job.mine)
    leaves, kept = selected.leaves()
    if leaves is orders and job.kept is None:
        context = every
    else:
        terms = None if job.kept is None else agreed_columns(job.program, leaves, job.kept)
        context = Context(job.program, leaves, job.run, selected, kept, terms=terms)
    result = run_routine(job.routine, context, job.places, traced=job.traced, first=first)
    where = piece.lines_at(job.mine)
    lines = (where if kept is None else where[kept]) + orders.lines_of(start).start
    return selected, result, lines, context


def _price_part(job: _Job, every: Context) -> Part:
    selected, result, lines, context = _run_job(job, every)
    leaves = context.orders
    definition = job.routine.definition
    cash = Decimal(str(definition.payable_step)) if definition.payable_step is not None else None
    terms = Terms(selected.count, job.places, _prepaid(selected), cash, definition.rounding)
    totals = total_up(result, leaves.by_order, terms)
    plan, no_plan = instalments(job.routine, context, job.places, totals, result)
    reporting, no_rate = reported(job.routine, context, totals)
    return Part(
        orders=job.mine + job.piece[0],
        lines=lines,
        result=result,
        totals=totals,
        findings=[
            *_blank_findings(job.routine, leaves, [*result.blank_steps, *result.failed_figures]),
            *_failed_of_orders(job, context),
            *missing_rows(context),
            *_not_reproduced(job.program, leaves, result),
            *_other_taxes(leaves, result),
            *no_plan,
            *no_rate,
        ],
        context=context if job.traced else None,
        plan=plan,
        reporting=reporting,
        worked_out={} if job.kept is None else _worked_out(job.program, context),
    )


def _worked_out(program: Program, context: Context) -> dict[tuple[str, str], Column]:
    """The fields that are always worked out from tables, with the answers that orders keep."""
    levels = {"header": Level.HEADER, "line": Level.LINE}
    return {
        (level, name): formula.evaluate(context, levels[level])
        for level, name, formula in program.defaults
        if (level, name) in program.fields.computed
        and any(each.split(".")[0] in program.tables for each in formula.reads)
    }


def _as_agreed(orders: Orders, parts: Sequence[Part]) -> Orders:
    """The orders with the fields that are always worked out as those that keep answers have them."""
    columns: dict[str, dict[str, Column]] = {"header": {}, "line": {}}
    for part in parts:
        for (level, name), column in part.worked_out.items():
            size, at = (orders.count, part.orders) if level == "header" else (orders.line_count, part.lines)
            where, place = np.zeros(size, bool), np.zeros(size, np.int64)
            where[at], place[at] = True, np.arange(len(at))
            old = columns[level].get(name) or (orders.header(name) if level == "header" else orders.line(name))
            if len(at):
                columns[level][name] = pick(where, column.take(place), old)
    if not (columns["header"] or columns["line"]):
        return orders
    return orders.with_columns(columns["header"], columns["line"], unfilled=orders.unfilled)


def _blank_findings(routine: Routine, orders: Orders, blanks: Sequence[BlankStep]) -> Iterator[Found]:
    """A finding for each step that came out blank; those of many lines or orders for one reason as columns."""
    alike: dict[tuple[str, str, bool], list[BlankStep]] = {}
    for blank in blanks:
        alike.setdefault((blank.step.name, blank.reason, blank.line < 0), []).append(blank)
    for (_, _, of_order), some in alike.items():
        if len(some) <= FEW:
            yield from (_blank_finding(routine, orders, blank) for blank in some)
            continue
        first = _blank_finding(routine, orders, some[0])
        common = replace(first, order="", line="", message="")
        lines = None if of_order else np.array([blank.line for blank in some])
        places = np.array([blank.order for blank in some]) if lines is None else orders.order_of[lines]
        yield Refusals.of(common, orders, places, lines, OneMessage(first.message))


def _blank_finding(routine: Routine, orders: Orders, blank: BlankStep) -> Finding:
    at = blank.order if blank.line < 0 else int(orders.order_of[blank.line])
    order = value_at(orders.header("number"), at) or ""
    line = "" if blank.line < 0 else value_at(orders.line("number"), blank.line)
    message = Said("no {step}: {reason}", step=blank.step.definition.shown, reason=blank.reason)
    return Finding(f"{routine.name}.{blank.step.name}", "error", message, order, line, blank.step.name)


def _other_taxes(orders: Orders, result: RoutineResult) -> list[Finding]:
    """A finding for each line that the rulebook of today would tax otherwise than it was agreed."""
    findings: list[Finding] = []
    for each in result.other_taxes:
        for line in each.lines.tolist():
            kept, today = _taxed_with(each.kept, line), _taxed_with(each.today, line)
            facts = {"step": each.step.definition.shown, "kept": kept, "today": today}
            message = Said("{step} {kept} was agreed; the rulebook of today says {today}", **facts)
            place = (orders.numbers[int(orders.order_of[line])], orders.line_numbers[line], each.step.name)
            values = {"agreed": kept, "today": today}
            findings.append(Finding("agreed-terms", "warning", message, *place, values=values))
    return findings


def _taxed_with(terms: TaxTerms, line: int) -> str:
    """Rate and category of a line in words."""
    if not terms.included[line]:
        return Said("nothing")
    percent, category = value_at(terms.percent, line), value_at(terms.category, line)
    return f"{shown(percent)} %{f' {category}' if category else ''}"


def _failed_of_orders(job: _Job, context: Context) -> list[Finding]:
    """A finding for each order whose instalments or rate of the reporting currency a failed function leaves unknown."""
    formulas: list[tuple[str, Formula | None]] = [
        ("instalments", each) for part in job.routine.instalments for each in part.formulas()
    ]
    formulas.append(("reporting", job.program.reporting_rate))
    return [finding for rule, formula in formulas for finding in failed_findings(context, rule, formula)]


def failed_findings(context: Context, rule: str, formula: Formula | None) -> list[Finding]:
    """A finding for each order on which a formula of header level depends on an own function that failed."""
    if formula is None or not context.has_own_functions:
        return []
    formula.evaluate(context, Level.HEADER)
    failed = formula.failures(context, Level.HEADER)
    places = [] if failed is None else np.flatnonzero(failed.codes >= 0).tolist()
    return [Finding(rule, "error", value_at(failed, at), context.orders.numbers[at]) for at in places]  # type: ignore[arg-type]


def failed_defaults(program: Program, orders: Orders) -> list[Finding]:
    """A finding for each order or line on which the default of a field gives what it cannot hold, or depends on an own
    function that failed."""
    findings = _given_otherwise(program, orders)
    if not program.may_fail:
        return findings
    for level, name, formula in program.defaults:
        field = (program.fields.header if level == "header" else program.fields.line)[name]
        may_fail = formula.root.calls_own or field.places is not None or field.choices
        if (level, name) not in (orders.unfilled or orders).absent or not may_fail:
            continue
        _ = orders.header(name) if level == "header" else orders.line(name)
        failed = orders.failures(level, name)
        for at in [] if failed is None else np.flatnonzero(failed.codes >= 0).tolist():
            order = at if level == "header" else int(orders.order_of[at])
            line = "" if level == "header" else orders.line_numbers[at]
            why = value_at(failed, at)  # type: ignore[arg-type]
            message = Said("no default for {field}: {why}", field=program.label(f"{level}.{name}"), why=why)
            findings.append(Finding(f"{level}.{name}", "error", message, orders.numbers[order], line, name))
    return findings


def _given_otherwise(program: Program, orders: Orders) -> list[Finding]:
    """A finding for each field that is always worked out, and was given as something else."""
    findings: list[Finding] = []
    raw = orders.unfilled or orders
    for level, name in sorted(program.fields.computed):
        columns = raw.headers if level == "header" else raw.lines
        if name not in columns:
            continue
        given, value = columns[name], orders.header(name) if level == "header" else orders.line(name)
        same = compared(*alike(given, value), "==").is_true()
        for at in np.flatnonzero(~given.is_missing() & ~same).tolist():
            order = at if level == "header" else int(orders.order_of[at])
            line = "" if level == "header" else orders.line_numbers[at]
            facts = {"field": program.label(f"{level}.{name}"), "given": shown(value_at(given, at))}
            message = Said(
                "{field} is given as {given} and worked out as {value}", **facts, value=shown(value_at(value, at))
            )
            findings.append(Finding(f"{level}.{name}", "error", message, orders.numbers[order], line, name))
    return findings


def _not_reproduced(program: Program, orders: Orders, result: RoutineResult) -> list[Finding]:
    """A finding for each line whose agreed figures are not what the formulas of today give: the first such step."""
    findings: dict[int, Finding] = {}
    for each in result.not_reproduced:
        for line in each.lines.tolist():
            at = int(orders.order_of[line])
            places = program.definition.minor_units.get(value_at(orders.header("currency"), at) or "", 0)
            kept, computed = (amount_at(column, line, places) for column in (each.kept, each.computed))
            facts = {"step": each.step.definition.shown, "kept": kept, "today": computed}
            message = Said("{step} {kept} was agreed; the formulas of today give {today}", **facts)
            values = {"agreed": kept, "today": computed}
            place = (orders.numbers[at], orders.line_numbers[line], each.step.name)
            findings.setdefault(line, Finding("agreed-terms", "warning", message, *place, values=values))
    return list(findings.values())


def _prepaid(orders: Orders) -> Decimals:
    payments = orders.records.get("payments")
    if payments is None or not any(payments):
        return Decimals.zeros(orders.count)
    return Decimals.concat([total(decimals(payment["amount"] for payment in row)) for row in payments])


# -- all parts together ---------------------------------------------------------------------------------------


def _figures_asked(
    program: Program, routine_of: Integers, parts: Sequence[Part]
) -> tuple[Mapping[str, FormulaKind], Mapping[str, FormulaKind]]:
    """The figures of lines and of headers that may be asked for: of every routine where no order could be priced."""
    if not parts:
        return program.line_figures, program.header_figures
    theirs = [program.routines[at] for at in distinct(routine_of).tolist() if at >= 0]
    of_lines = {name: program.line_figures[name] for each in theirs for name in each.line_figures}
    return of_lines, {name: kind for each in theirs for name, kind in each.header_figures.items()}


def _or_blank(found: Mapping[str, Column], asked: Mapping[str, FormulaKind], count: int) -> Mapping[str, Column]:
    """Figures with a blank column for each that may be asked for and of which none could be worked out."""
    lost = {name: blanks(kind, count) for name, kind in asked.items() if name not in found}
    return {**found, **lost} if lost else found


def _put_together(
    program: Program,
    orders: Orders,
    parts: Sequence[Part],
    routine_of: Integers,
    places: Integers,
    context: Context | None,
) -> Calculation:
    of_lines, of_headers = _figures_asked(program, routine_of, parts)
    lines = _or_blank(
        joined([(part.lines, part.result.lines) for part in parts], orders.line_count), of_lines, orders.line_count
    )
    headers = _or_blank(
        joined([(part.orders, part.result.headers) for part in parts], orders.count), of_headers, orders.count
    )
    totals = joined([(part.orders, part.totals) for part in parts], orders.count)
    reported = joined([(part.orders, part.reporting) for part in parts], orders.count)
    reporting = {name: stored(numbers(reported[name])) for name in reported}
    options = np.full(orders.line_count, -1, np.int16)
    taxes: list[TaxGroups] = []
    inclusive = np.zeros(orders.count, bool)
    for part in parts:
        if part.result.inclusive.any():
            inclusive[part.orders] = part.result.inclusive
        options[range_of(part.lines)] = part.result.options
        taxes += [
            groups if len(part.orders) == orders.count else replace(groups, order=part.orders[groups.order])
            for groups in part.result.taxes
        ]
    figures: Mapping[str, Column] = lines
    if orders.parent is not None:
        amounts = {name for routine in program.routines for name in amount_figures(routine)}
        figures = {
            name: summed_into_parents(column, orders) if name in amounts else column for name, column in lines.items()
        }
    # What was paid was paid, whether or not anything else of the order is known.
    paid = None if parts and sum(len(part.orders) for part in parts) == orders.count else _prepaid(orders)

    def of_total(name: str) -> Decimals:
        if name == "prepaid" and paid is not None:
            return paid
        return stored(numbers(totals[name])) if name in totals else Decimals.blanks(orders.count)

    whole = parts[0].totals if len(parts) == 1 and totals is parts[0].totals else None  # nothing is to be put together
    return Calculation(
        program=program,
        orders=orders,
        figures=figures,
        order_figures=headers,
        totals=LazyColumns(TOTALS, of_total, whole),
        options=options,
        routine_of=routine_of,
        minor_units=places,
        inclusive=inclusive,
        taxes=taxes,
        reporting=reporting,
        plans=[replace(part.plan, orders=part.orders) for part in parts if part.plan is not None],
        context=context,
    )
