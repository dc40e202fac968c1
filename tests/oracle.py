"""A small, slow calculation of orders with fractions, one line at a time, that knows nothing of the engine."""

from __future__ import annotations

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

Values = dict[str, Any]


@dataclass(frozen=True)
class Number:
    """A number: its value, and whether a division by something else than a power of ten is in it; None is a blank."""

    value: Fraction
    quotient: bool = False


def number(text: Any) -> Number | None:
    """A number as it is written; None for a blank."""
    return None if text is None else Number(Fraction(str(text)))


def written(formula: Any) -> str:
    """A formula as a rulebook has it."""
    if isinstance(formula, tuple):
        sign, left, right = formula
        return f"({written(left)} {sign} {written(right)})"
    return str(formula)


def worked_out(formula: Any, values: Values) -> Number | None:
    """A formula's value; blank where a part of it is, or where it divides by zero."""
    if not isinstance(formula, tuple):
        return values[formula] if isinstance(formula, str) and formula in values else number(formula)
    sign, left, right = formula
    a, b = worked_out(left, values), worked_out(right, values)
    if a is None or b is None or (sign == "/" and b.value == 0):
        return None
    if sign != "/":
        found = {"+": a.value + b.value, "-": a.value - b.value, "*": a.value * b.value}[sign]
        return Number(found, a.quotient or b.quotient)
    return Number(a.value / b.value, a.quotient or b.quotient or not moves_the_point(b.value))


def moves_the_point(value: Fraction) -> bool:
    """Whether a number is 1, 10, 0.01 ..., so that dividing by it is no quotient."""
    whole = abs(value) if value.denominator == 1 else 1 / abs(value)
    return whole.denominator == 1 and str(whole.numerator).rstrip("0") == "1"


def holds(test: Any, values: Values) -> bool | None:
    """``name > number``; None where the name is blank."""
    if test is None:
        return True
    left, right = worked_out(test[0], values), number(test[1])
    return None if left is None else left.value > right.value


def rounded(value: Fraction, places: int, mode: str) -> Fraction:
    """Rounded to decimal places in a mode of Python's decimal, or to keep a quotient (``05up``)."""
    scaled = abs(value) * 10**places
    whole = math.floor(scaled)
    rest, half = scaled - whole, Fraction(1, 2)
    up = {
        "half-up": rest >= half,
        "half-down": rest > half,
        "half-even": rest > half or (rest == half and whole % 2 == 1),
        "up": rest > 0,
        "down": False,
        "ceiling": rest > 0 and value > 0,
        "floor": rest > 0 and value < 0,
        "05up": rest > 0 and whole % 5 == 0,
    }[mode]
    return Fraction(whole + up, 10**places) * (-1 if value < 0 else 1)


def apportioned(parts: Sequence[Fraction], total: Fraction, places: int) -> list[Fraction]:
    """Parts cut toward zero; units that are missing go to the largest remainders, those too many to the smallest."""
    unit = Fraction(1, 10**places)
    short = [rounded(part, places, "down") for part in parts]
    left = int((total - added(short)) / unit)
    sign = -1 if left < 0 else 1
    order = sorted(range(len(parts)), key=lambda at: (-sign * (parts[at] - short[at]), at))
    for at in order[: abs(left)]:
        short[at] += sign * unit
    return short


def shared(amount: Fraction, weights: Sequence[Fraction], places: int) -> list[Fraction] | None:
    """An amount by weights; None where they have both signs, or where there is nothing to share it by."""
    if amount == 0:
        return [Fraction(0)] * len(weights)
    whole = added(weights)
    if any(w > 0 for w in weights) and any(w < 0 for w in weights):
        return None
    return None if whole == 0 else apportioned([amount * w / whole for w in weights], amount, places)


def added(values: Any) -> Fraction:
    """The exact sum."""
    return sum(values, Fraction(0))


def limited(value: Fraction, cap: Fraction) -> Fraction:
    """The value, its magnitude no more than that of the cap."""
    return value if abs(value) <= abs(cap) else abs(cap) * (-1 if value < 0 else 1)


def cut(figure: Fraction, running: Fraction, least: Fraction) -> Fraction:
    """A discount that leaves at least so much, never turned into a charge."""
    most = rounded(running - least, 2, "down")
    return min(figure, max(most, Fraction(0))) if figure >= 0 else max(figure, min(most, Fraction(0)))


class Priced:
    """One order, priced by a routine: ``error`` if a step came out blank, else ``lines`` (their figures) and ``totals``."""

    def __init__(self, steps: Sequence[Values], settings: Values, header: Values, lines: Sequence[Values]) -> None:
        self.mode, self.inclusive = settings["rounding"], settings["inclusive"]
        self.per_line = settings["tax_per"] == "line"
        self.header = {f"header.{name}": number(value) for name, value in header.items()}
        self.values = [{**self.header, **{f"line.{n}": number(v) for n, v in line.items()}} for line in lines]
        self.lines: list[Values] = [{} for _ in lines]
        self.running = [Fraction(0)] * len(lines)
        self.net = [Fraction(0)] * len(lines)
        self.of_order = {"discount": Fraction(0), "charge": Fraction(0)}
        self.own: list[tuple[int, Values, Fraction, Fraction]] = []  # line, tax of its own, amount, percent
        self.taxes: dict[str, list[Fraction]] = {}
        self.steps = steps
        self.error = False
        for _, group in itertools.groupby(steps, key=lambda step: step.get("best_of") or id(step)):
            if not self.error:
                self._run(list(group))
        if not self.error:
            self._total()

    def _run(self, group: list[Values]) -> None:
        kind = group[0]["kind"]
        if kind == "price":
            self._price(group[0])
        elif kind == "figure":
            for at, values in enumerate(self.values):
                found = worked_out(group[0]["value"], values)
                kept = found and found.quotient and Number(rounded(found.value, 12, "05up"))
                self._leave(group[0]["name"], at, kept or found)
        elif kind == "tax":
            self._tax()
        else:
            self._compete(group)

    def _leave(self, name: str, at: int, value: Number | None) -> None:
        self.values[at][f"line.{name}"] = value
        self.lines[at][name] = None if value is None else value.value

    def _price(self, step: Values) -> None:
        for at, values in enumerate(self.values):
            value, base = worked_out(step["value"], values), worked_out(step.get("base", 1), values)
            quantity = values["line.quantity"]
            if value is None or base is None or base.value == 0 or quantity is None:
                self.error = True
                return
            unit = value.value / base.value
            unit = unit if step.get("places") is None else rounded(unit, step["places"], self.mode)
            self.running[at] = self.net[at] = rounded(quantity.value * unit, 2, self.mode)

    def _compete(self, group: list[Values]) -> None:
        by_order = group[0].get("over") == "order"
        figures = [self._of_order(step) if by_order else self._of_lines(step) for step in group]
        self.error = any(figure is None for figure in figures)
        if self.error:
            return
        sums = [[added(f)] * len(f) for f in figures] if by_order else figures
        for at in range(len(self.lines)):
            best = max(range(len(group)), key=lambda place: (abs(sums[place][at]), -place))
            for place, step in enumerate(group):
                self._leave(step["name"], at, Number(figures[place][at] if place == best else Fraction(0)))
            figure, own = figures[best][at], group[best].get("tax")
            moved = figure * (-1 if group[0]["kind"] == "discount" else 1)
            self.running[at] += moved
            if by_order or own:
                self.of_order[group[0]["kind"]] += figure
            else:
                self.net[at] += moved
            if own and moved:
                percent = worked_out(own["percent"], self.values[at])
                if percent is None:
                    self.error = True
                    return
                self.own.append((at, own, moved, percent.value))

    def _exact(self, step: Values, at: int) -> Fraction | None:
        values = self.values[at]
        key = next(key for key in ("percent", "amount", "per_unit") if key in step)
        found = worked_out(step[key], values)
        if found is None or key == "percent":
            return None if found is None else self.running[at] * found.value / 100
        return found.value * (values["line.quantity"].value if key == "per_unit" else 1)

    def _of_lines(self, step: Values) -> list[Fraction] | None:
        figures = []
        for at, values in enumerate(self.values):
            applies = holds(step.get("when"), values)
            exact, cap = self._exact(step, at), worked_out(step.get("cap", 0), values)
            least = worked_out(step.get("keep_above", 0), values)
            if applies is False:
                figures.append(Fraction(0))
                continue
            if None in (applies, exact, cap, least):
                return None
            figure = rounded(limited(exact, cap.value) if "cap" in step else exact, 2, self.mode)
            figures.append(cut(figure, self.running[at], least.value) if "keep_above" in step else figure)
        return figures

    def _of_order(self, step: Values) -> list[Fraction] | None:
        if (applies := holds(step.get("when"), self.header)) is not True:
            return None if applies is None else [Fraction(0)] * len(self.lines)
        inside = [holds(step.get("where"), values) for values in self.values]
        cap = worked_out(step.get("cap", 0), self.header)
        if None in inside or cap is None:
            return None
        mine, figures = [at for at, found in enumerate(inside) if found], [Fraction(0)] * len(self.lines)
        way = self._order_amount if "amount" in step else self._order_parts
        if (parts := way(step, mine, cap.value)) is None:
            return None
        for at, part in zip(mine, parts, strict=True):
            least = worked_out(step.get("keep_above", 0), self.values[at])
            if least is None:
                return None
            figures[at] = cut(part, self.running[at], least.value) if "keep_above" in step else part
        return figures

    def _order_amount(self, step: Values, mine: Sequence[int], cap: Fraction) -> list[Fraction] | None:
        amount = worked_out(step["amount"], self.header)
        by = step.get("share")
        weights = [Number(self.running[at]) if by is None else worked_out(by, self.values[at]) for at in mine]
        if amount is None or None in weights:
            return None
        total = limited(amount.value, cap) if "cap" in step else amount.value
        return shared(rounded(total, 2, self.mode), [weight.value for weight in weights], 2)

    def _order_parts(self, step: Values, mine: Sequence[int], cap: Fraction) -> list[Fraction] | None:
        if "percent" in step and worked_out(step["percent"], self.header) is None:
            return None
        parts = [self._exact(step, at) for at in mine]
        if None in parts:
            return None
        whole = added(parts)
        most = limited(whole, cap) if "cap" in step else whole
        if most != whole:
            parts = [part * most / whole for part in parts]
        return apportioned(parts, rounded(most, 2, self.mode), 2)

    def _tax(self) -> None:
        """Every amount that is taxed by itself: that of each line, and after them those with a tax of their own."""
        if self.taxes:
            return
        steps = [step for step in self.steps if step["kind"] == "tax"]
        terms = [{step["name"]: self._rate(step, at) for step in steps} for at in range(len(self.lines))]
        if any("blank" in rates.values() for rates in terms):
            self.error = True
            return
        amounts = list(self.running)
        for at, _, moved, _ in self.own:
            amounts[at] -= moved
        entries = [(at, amount, rates) for at, (amount, rates) in enumerate(zip(amounts, terms, strict=True))]
        for at, own, moved, percent in self.own:
            joined, *follow = own.get("step") or [steps[0]["name"]]
            entries.append((at, moved, {joined: (percent, own.get("category")), **{n: terms[at][n] for n in follow}}))
        found: dict[str, list[Fraction]] = {}
        for step in steps if len(self.lines) else []:
            parts = found[step["name"]] = self._tax_parts(step, steps, entries, found)
            lines = self.taxes[step["name"]] = [Fraction(0)] * len(self.lines)
            for (at, _, _), part in zip(entries, parts, strict=True):
                lines[at] += part
            for at, part in enumerate(lines):
                self._leave(step["name"], at, Number(part))

    def _rate(self, step: Values, at: int) -> Any:
        """Percent and category on a line; None where the step does not apply there."""
        applies, percent = holds(step.get("when"), self.values[at]), worked_out(step["percent"], self.values[at])
        known = applies is not None and percent is not None
        return None if applies is False else (percent.value, step.get("category")) if known else "blank"

    def _tax_parts(self, step: Values, steps: Sequence[Values], entries: Any, before: Any) -> list[Fraction]:
        name = step["name"]
        exact: list[Fraction] = []
        for place, (_, amount, terms) in enumerate(entries):
            rates = {other: term[0] for other, term in terms.items() if term is not None}
            below = added(before[other][place] for other in step.get("on_top_of", ()))
            part = (amount + below) * rates.get(name, 0) / 100
            if self.inclusive:
                inside: dict[str, Fraction] = {}
                for other in steps:
                    under = 1 + added(inside[each] for each in other.get("on_top_of", ()))
                    inside[other["name"]] = rates.get(other["name"], 0) * under / 100
                part = amount * inside[name] / (1 + added(inside.values()))
            exact.append(part)
        groups: dict[Any, dict[int, list[int]]] = {}
        for place, (at, _, terms) in enumerate(entries):
            if terms.get(name) is not None:
                groups.setdefault(terms[name], {}).setdefault(at, []).append(place)
        parts = [Fraction(0)] * len(exact)
        for lines in groups.values():
            mine = [lines[at] for at in sorted(lines)]
            wholes = [added(exact[place] for place in places) for places in mine]
            if self.per_line:
                shares = [rounded(whole, 2, self.mode) for whole in wholes]
            else:
                shares = apportioned(wholes, rounded(added(wholes), 2, self.mode), 2)
            for places, share in zip(mine, shares, strict=True):
                for place, part in zip(places, apportioned([exact[p] for p in places], share, 2), strict=True):
                    parts[place] = part
        return parts

    def _total(self) -> None:
        for at, line in enumerate(self.lines):
            tax = added(parts[at] for parts in self.taxes.values())
            below, above = (tax, 0) if self.inclusive else (0, tax)
            ends = {"without_tax": self.running[at] - below, "with_tax": self.running[at] + above}
            line |= {"net": self.net[at], "tax": tax, **ends}
        whole = {name: added(line[name] for line in self.lines) for name in ("without_tax", "tax", "with_tax")}
        self.totals = {
            "line_net": added(self.net), "allowances": self.of_order["discount"], "charges": self.of_order["charge"],
            **whole, "payable": whole["with_tax"],
        }  # fmt: skip
