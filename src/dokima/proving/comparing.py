"""Comparing what a case gave with what it expects."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

from dokima.changes.variance import Variance
from dokima.columns.shown import shown
from dokima.errors import DokimaError, nearest
from dokima.explaining.explainer import explain_line
from dokima.model.finding import Finding
from dokima.pricing.calculation.calculation import PricedOrder
from dokima.pricing.calculation.order_amounts import InstalmentRow
from dokima.pricing.program import Program
from dokima.pricing.running.pricing import Pricing
from dokima.pricing.steps.totals import TOTALS
from dokima.proving.cases import ONLY, Case, Expected, as_day, as_number
from dokima.proving.proof import Difference, Outcome, in_words
from dokima.tables.candidates import row_values


@dataclass
class Ran:
    """What running a case gave, before it is compared.

    Attributes:
        order: The priced order; None if it was refused or could not be read.
        pricing: The traced pricing it is in, for rows and explanations.
        findings: What rules and prices said.
        refused: Findings of an edit that was refused; None if none was.
        said: What the refusal said.
        variance: Of a change order.
        program: The rulebook it ran with.
        moved: States the order moved through, from and to.
    """

    order: PricedOrder | None = None
    pricing: Pricing | None = None
    findings: Sequence[Finding] = ()
    refused: Sequence[Finding] | None = None
    said: str = ""
    variance: Variance | None = None
    program: Program | None = None
    moved: list[tuple[str, str]] = field(default_factory=list)


def compared(case: Case, ran: Ran, confirmed: bool) -> Outcome:
    """What came of a case, compared with what it expects; its figures exactly."""
    if not case.expect:
        return Outcome(case, error="it expects nothing, so it proves nothing", is_confirmed=confirmed)
    values: dict[str, Any] = {}
    differences: list[Difference] = []
    for expected in case.expect:
        try:
            got = _value(expected, ran)
        except DokimaError as error:
            differences.append(Difference(expected.path, in_words(expected.value), str(error)))
            continue
        values[expected.path] = got
        if expected.is_open:
            differences.append(Difference(expected.path, "still to be recorded", in_words(got)))
        elif not _is_met(expected, got, ran):
            differences.append(
                Difference(expected.path, _told(expected), _told_got(expected, got), _why(expected, ran))
            )
    differences += _unexpected(case, ran)
    refused = tuple(each.rule for each in ran.refused or () if not each.undecided)
    said = tuple(ran.findings if ran.refused is None else ran.refused)
    return Outcome(case, tuple(differences), "", confirmed, values, tuple(ran.moved), refused, said)


def rules_named(wanted: Any) -> list[str]:
    """The rules that expected findings, or an expected refusal, name, each with its line if it says one."""
    named = []
    for each in _each(wanted[ONLY] if _is_only(wanted) else wanted):
        rule, line = (each["rule"], each.get("line")) if isinstance(each, Mapping) else (each, "")
        named.append(f"{rule}@{line}" if line else str(rule))
    return named


def _is_only(wanted: Any) -> bool:
    """Whether findings are all that there may be."""
    return isinstance(wanted, Mapping) and ONLY in wanted


def _told_got(expected: Expected, got: Any) -> str:
    """What came; of a row only the cells that were named, where that shows what differs."""
    if isinstance(got, Mapping) and isinstance(expected.value, Mapping) and set(expected.value) <= set(got):
        got = {name: got[name] for name in expected.value}
    if isinstance(got, Decimal):
        # 1135.10, and not 1135.1, beside an expectation of two places.
        places = len(str(expected.value).partition(".")[2])
        padded = format(got, f".{places}f")
        return padded if Decimal(padded) == got else in_words(got)
    return in_words(got)


def _told(expected: Expected) -> str:
    about = "" if expected.about is None else f", give or take {shown(expected.about)}"
    return f"{in_words(expected.value)}{about}"


def _value(expected: Expected, ran: Ran) -> Any:
    """What came for an expectation.

    Raises:
        DokimaError: There is no such thing in the result.
    """
    path = expected.path
    if path == "refused":
        return False if ran.refused is None else ([each.rule for each in ran.refused] or ran.said)
    if ran.refused is not None:
        raise DokimaError(f"the edit was refused: {ran.said}")
    if path in ("findings", "no_findings"):
        return [_named(each) for each in ran.findings]
    order = ran.order
    assert order is not None
    head, _, tail = path.partition(".")
    if path == "tax":
        return [
            {"category": t.category, "percent": t.percent, "taxable": t.taxable, "tax": t.tax}
            for t in order.tax_breakdown
        ]
    if path == "instalments":
        return [_of_instalment(each) for each in order.instalments]
    if head == "line" and "." in tail:
        number, _, name = tail.rpartition(".")
        line = order.line(number)
        return getattr(line, name) if _has(line, name) else _no_such(name, path)
    if head == "rows":
        return _row(tail, ran)
    if head == "variance":
        return _of_variance(tail, ran)
    if head == "header":
        return order.figures[tail] if tail in order.figures else order.header(tail)
    if path in TOTALS:
        return getattr(order.totals, path)
    if path in order.figures:
        return order.figures[path]
    steps = [step.name for step in order.routine.steps] if order.routine else []
    if path in steps:
        return order.total(path)
    known = [
        *TOTALS,
        *order.figures,
        *steps,
        "tax",
        "instalments",
        "findings",
        "no_findings",
        "refused",
        "line.10.price",
        "rows.10.table",
    ]
    raise DokimaError(f"there is no '{path}'{nearest(path, known)}")


def _has(line: Any, name: str) -> bool:
    figures, fields = line.order.calculation.figures, line.order.calculation.orders.fields.line
    return name in figures or name in fields


def _no_such(name: str, path: str) -> Any:
    raise DokimaError(f"there is no '{path}': no figure or field is called {name}")


def _row(tail: str, ran: Ran) -> dict[str, Any] | None:
    """The cells of the row of a table that won for a line: ``10.agreed``, or ``agreed`` for the first line."""
    number, _, table = tail.rpartition(".")
    order, pricing, program = ran.order, ran.pricing, ran.program
    assert order is not None
    assert pricing is not None
    assert program is not None
    if table not in program.tables:
        raise DokimaError(f"there is no table '{table}'{nearest(table, program.tables)}")
    line = order.line(number) if number else order.lines[0]
    found = pricing.trace_of(order.position)
    if found is None or found[0].context is None:
        raise DokimaError("no routine fits the order, so no row won")
    context = found[0].context
    at = found[0].lines.tolist().index(line.position)
    row = context.row_at(table, int(context.order_of[at]), at)
    return row_values(program.tables[table], row) if row >= 0 else None


def _of_variance(tail: str, ran: Ran) -> Any:
    if ran.variance is None:
        raise DokimaError("there is no variance: the case changes no order ('change')")
    number, _, name = tail.rpartition(".")
    if not number:
        (totals,) = ran.variance.totals().values()
        if name not in totals:
            raise DokimaError(f"there is no 'variance.{name}'{nearest(name, totals)}")
        return totals[name].variance
    lines = {line.line: line for line in ran.variance.lines(every=True)}
    if number not in lines:
        raise DokimaError(f"there is no line {number} in the variance{nearest(number, lines)}")
    if name not in lines[number].figures:
        raise DokimaError(f"there is no 'variance.{number}.{name}'{nearest(name, lines[number].figures)}")
    return lines[number].figures[name].variance


def _is_met(expected: Expected, got: Any, ran: Ran) -> bool:
    wanted, path = expected.value, expected.path
    if path == "refused":
        if isinstance(wanted, bool):
            return bool(got) == wanted
        return bool(got) and all(_refusal_met(each, got, ran.refused or ()) for each in _each(wanted))
    if path == "findings":
        only = _is_only(wanted)
        named = _each(wanted[ONLY] if only else wanted)
        if not all(any(_is_finding(each, finding) for finding in ran.findings) for each in named):
            return False
        rules = {str(each) for each in named if not isinstance(each, Mapping)}  # nearly always all of them
        rest = [each for each in ran.findings if not {each.rule, _named(each)} & rules] if only else []
        return all(any(_is_finding(each, finding) for each in named) for finding in rest)
    if path == "no_findings":
        if isinstance(wanted, list | tuple):
            return not {each.partition("@")[0] for each in got} & set(map(str, wanted))
        return not got
    if path in ("tax", "instalments"):
        return len(wanted) == len(got) and all(_like(mine, theirs) for mine, theirs in zip(wanted, got, strict=True))
    if path.startswith("rows."):
        return got is None if wanted is None else got is not None and _like(wanted, got)
    return _same(wanted, got, expected.about)


def _each(wanted: Any) -> Sequence[Any]:
    return wanted if isinstance(wanted, list | tuple) else [wanted]


def _refusal_met(wanted: Any, got: Any, findings: Sequence[Finding]) -> bool:
    """Whether an edit was refused by a rule, or with words."""
    if isinstance(wanted, Mapping):
        return any(_is_finding(wanted, finding) for finding in findings)
    return any(str(wanted) == rule or str(wanted) in str(rule) for rule in (got if isinstance(got, list) else [got]))


def _is_finding(wanted: Any, finding: Finding) -> bool:
    """Whether a finding has all the facts that are named: its rule, its rule and its line, or more of it."""
    if not isinstance(wanted, Mapping):
        return str(wanted) in (finding.rule, f"{finding.rule}@{finding.line}")
    return all(_same(value, getattr(finding, name), None) for name, value in wanted.items())


def _of_instalment(row: InstalmentRow) -> dict[str, Any]:
    """What a case may expect of an instalment."""
    found = {"label": row.label, "due": row.due, "amount": row.amount}
    for name in ("by", "percent", "discount", "amount") if row.early is not None else ():
        found[f"early_{name}"] = getattr(row.early, name)
    return found


def _named(finding: Finding) -> str:
    return f"{finding.rule}@{finding.line}" if finding.line else finding.rule


def _like(wanted: Mapping[str, Any], got: Mapping[str, Any]) -> bool:
    """Whether all that is named is as it was expected."""
    return all(name in got and _same(None if value == "" else value, got[name], None) for name, value in wanted.items())


def _same(wanted: Any, got: Any, about: Decimal | None) -> bool:
    if wanted is None or got is None:
        return wanted is None and got is None
    if isinstance(got, bool):
        return str(wanted).lower() == str(got).lower()
    if isinstance(got, datetime.date):
        return as_day(wanted) == got
    if isinstance(got, Decimal | int):
        number = as_number(wanted)
        return number is not None and abs(Decimal(got) - number) <= (about or 0)
    return str(wanted) == str(got)


def _unexpected(case: Case, ran: Ran) -> list[Difference]:
    """Errors, and refusals, that nobody expected."""
    if ran.refused is not None:
        known = any(each.path == "refused" for each in case.expect)
        return [] if known else [Difference("refused", "no refusal", ran.said)]
    named: set[str] = set()
    for each in case.expect:
        if each.path == "findings":
            named |= set(rules_named(each.value))
    lost = [
        each for each in ran.findings
        if each.severity == "error" and not {each.rule, f"{each.rule}@{each.line}"} & named
    ]  # fmt: skip
    return [
        Difference(f"finding {each.rule}{f'@{each.line}' if each.line else ''}", "no error", str(each.message))
        for each in lost
    ]


def _why(expected: Expected, ran: Ran) -> str:
    """How a figure of a line came about, in a line of its explanation."""
    head, _, tail = expected.path.partition(".")
    number, _, name = tail.rpartition(".")
    if head != "line" or ran.order is None or ran.pricing is None or not ran.pricing.parts:
        return ""
    figure = "price" if name in ("price", "amount") else name
    try:
        explanation = explain_line(ran.pricing, ran.order.number, number, figure)
    except DokimaError:
        return ""
    for step in explanation.steps:
        if figure in (step.name, step.kind) or len(explanation.steps) == 1:
            answer = next((each for each in step.answers if each.row is not None and not each.is_master), None)
            said = str(step.source) or ", ".join(map(str, step.counted.values()))
            return f"{said}; {answer.label} {answer.terms} ({answer.place})" if answer else said
    return ""
