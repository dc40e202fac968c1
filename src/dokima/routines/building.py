"""From a definition to a `Routine`: the sequence of steps, their settings, and what each may read."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from dokima.errors import FormulaError, RulebookError, RulebookProblem, listed, nearest
from dokima.formulas import NUMBERS, Formula, FormulaKind, Level, Name, Names, compile_formula
from dokima.formulas.money import is_money
from dokima.routines.definition import RESERVED, RoutineDefinition, StepDefinition
from dokima.routines.instalments import Instalment
from dokima.routines.routine import Option, Routine, Step

NamesWith = Callable[[Mapping[str, Name]], Names]
"""The names of a rulebook with the figures that exist so far."""

_NUMBER: Sequence[FormulaKind] = tuple(sorted(NUMBERS))
_ORDER = ("where", "share")
"""Settings of a step that is worked out once for the order."""
_TAKES: Mapping[str, Sequence[str]] = {
    "price": ("options", "places", "rounding"),
    "discount": (
        "percent",
        "amount",
        "per_unit",
        "of",
        "when",
        "cap",
        "keep_above",
        "best_of",
        "places",
        "rounding",
        *_ORDER,
    ),
    "charge": ("percent", "amount", "per_unit", "of", "when", "cap", "best_of", "places", "rounding", *_ORDER),
    "subtotal": (),
    "figure": ("value", "places", "rounding"),
    "tax": ("percent", "category", "reason", "when", "on_top_of", "rounding"),
    "advance": ("percent", "of", "when", "rounding"),
}
_SETTINGS = (
    "options",
    "percent",
    "amount",
    "per_unit",
    "of",
    "value",
    "when",
    "cap",
    "keep_above",
    "best_of",
    "where",
    "share",
    "places",
    "rounding",
    "category",
    "reason",
    "on_top_of",
)
_FORMULAS = (
    "percent", "amount", "per_unit", "value", "when", "cap", "keep_above", "where", "share", "category", "reason",
)  # fmt: skip
_ONCE = ("percent", "amount", "when", "cap")
"""What a step of the order or the parent works out once for it."""
_LAST = ("tax", "figure", "advance")
_KINDS: Mapping[str, Sequence[FormulaKind]] = {
    "when": ("flag",),
    "where": ("flag",),
    "category": ("text",),
    "reason": ("text",),
}
_PRICE = Name("decimal", Level.LINE, "unit price", money=True)


def build_routine(definition: RoutineDefinition, names_with: NamesWith) -> Routine:
    """Check a routine. A figure can be read only after its step.

    Raises:
        RulebookError: With every problem of its steps.
    """
    return _Builder(definition, names_with).build()


class _Builder:
    def __init__(self, definition: RoutineDefinition, names_with: NamesWith) -> None:
        self.definition = definition
        self.names_with = names_with
        self.problems: list[RulebookProblem] = []
        self.path = f"routine.{definition.name}"
        self.figures: dict[str, Name] = {}
        self.amounts: list[str] = []

    def build(self) -> Routine:
        when = None
        if self.definition.when is not None:
            when = self._formula(f"{self.path}.when", self.definition.when, ("flag",), Level.HEADER)
        includes = None
        if self.definition.prices_include_tax is not None:
            path = f"{self.path}.prices_include_tax"
            includes = self._formula(path, self.definition.prices_include_tax, ("flag",), Level.HEADER)
        self._check_sequence()
        self._check_rivals()
        steps = [self._step(at, step) for at, step in enumerate(self.definition.steps)]
        instalments = self._instalments()
        if self.problems:
            raise RulebookError(self.problems)
        return Routine(self.definition, when, steps, includes, instalments, dict(self.figures))

    def _instalments(self) -> list[Instalment]:
        """How what is to be paid is split; its shares must be there before any order is."""
        path, of = f"{self.path}.instalments", self.definition.instalments_of
        if of != "with_tax" and of not in self.amounts:
            self._problem(f"{path}_of", f"expected an amount figure (got '{of}'{nearest(of, self.amounts)})")
        found = []
        for at, each in enumerate(self.definition.instalments):
            share = self._formula(f"{path}.{at}.share", each.share, _NUMBER, Level.HEADER)
            due = None
            if each.due is not None:
                due = self._formula(f"{path}.{at}.due", each.due, ("date",), Level.HEADER)
            if share is not None:
                found.append(Instalment(each.label, share, due))
        return found

    def _problem(self, path: str, message: str) -> None:
        self.problems.append(RulebookProblem("", path, message))

    def _formula(
        self, path: str, source: object, expect: Sequence[FormulaKind], most: Level = Level.LINE
    ) -> Formula | None:
        try:
            return compile_formula(source, self.names_with(self.figures), expect, most, f"'{path.rsplit('.', 1)[-1]}'")
        except FormulaError as error:
            self._problem(path, error.pointed())
            return None

    def _check_sequence(self) -> None:
        kinds = [step.kind for step in self.definition.steps]
        if kinds.count("price") != 1 or kinds[0] != "price":
            self._problem(f"{self.path}.step", "expected exactly one step of kind 'price', and that one first")
        if "tax" in kinds:
            after = [step for step in self.definition.steps[kinds.index("tax") :] if step.kind not in _LAST]
            for step in after:
                self._problem(
                    f"{self.path}.step.{step.name}",
                    f"expected only tax, figure and advance steps after a tax (got '{step.kind}')",
                )

    def _check_rivals(self) -> None:
        """Steps with one ``best_of`` compete on the same amount, so they stand together and are of one kind."""
        seen: dict[str, StepDefinition] = {}
        last: StepDefinition | None = None
        for step in self.definition.steps:
            name = step.best_of
            if name is not None and name in seen:
                path = f"{self.path}.step.{step.name}.best_of"
                if last is None or last.best_of != name:
                    self._problem(path, f"steps that compete stand together (another '{name}' stands further up)")
                elif step.kind != seen[name].kind:
                    self._problem(path, f"steps that compete are of one kind (got {seen[name].kind} and {step.kind})")
                elif step.over != seen[name].over:
                    both = f"{seen[name].over} and {step.over}"
                    self._problem(path, f"steps that compete are all worked out for one, line or order (got {both})")
            if name is not None:
                seen.setdefault(name, step)
            last = step

    def _step(self, at: int, definition: StepDefinition) -> Step:
        path = f"{self.path}.step.{definition.name or at}"
        self._check_name(path, definition)
        self._check_settings(path, definition)
        parts: dict[str, Formula] = {}
        for key in _FORMULAS:
            source = getattr(definition, key)
            if source is not None and key in _TAKES[definition.kind]:
                expect = _KINDS.get(key, _NUMBER if key != "value" else ())
                order = definition.over == "order" or definition.kind == "advance"
                once = order and key in (("when",) if definition.kind == "advance" else _ONCE)
                formula = self._formula(f"{path}.{key}", source, expect, Level.HEADER if once else Level.LINE)
                if formula is not None:
                    parts[key] = formula
                    self._check_parent(f"{path}.{key}", definition, key, formula)
        options = [self._option(f"{path}.options.{n}", option) for n, option in enumerate(definition.options)]
        step = Step(
            definition,
            definition.rounding or self.definition.rounding,
            parts,
            [option for option in options if option is not None],
            max(Level.HEADER, parts["value"].level) if "value" in parts else Level.LINE,
        )
        self._leave(step)
        return step

    def _option(self, path: str, definition: object) -> Option | None:
        keys = ("value", "amount", "base", "factor")
        sources = {key: getattr(definition, key) for key in keys if getattr(definition, key) is not None}
        formulas = {key: self._formula(f"{path}.{key}", source, _NUMBER) for key, source in sources.items()}
        value = formulas.get("value") or formulas.get("amount")
        if value is None:
            return None
        return Option(value, formulas.get("base"), formulas.get("factor"), "amount" in formulas)

    def _check_parent(self, path: str, definition: StepDefinition, key: str, formula: Formula) -> None:
        """What is worked out once for a parent line reads that parent line, not the lines below it."""
        if definition.over != "parent" or key not in _ONCE:
            return
        for name, level in formula.reads.items():
            if level is Level.LINE and not name.startswith("parent."):
                self._problem(
                    path, f"a step of the parent reads parent.x here, once for each parent line (got '{name}')"
                )

    def _check_name(self, path: str, definition: StepDefinition) -> None:
        name = definition.name
        if not name.isidentifier():
            self._problem(path, f"expected a step name of letters, digits and '_' (got '{name}')")
        elif name in RESERVED and not (name == "price" and definition.kind == "price"):
            self._problem(path, f"'{name}' is a figure every routine leaves; choose another name for this step")
        elif f"line.{name}" in self.figures or f"header.{name}" in self.figures:
            self._problem(path, f"expected each step name once in a routine (got '{name}' again)")

    def _check_settings(self, path: str, definition: StepDefinition) -> None:
        kind = definition.kind
        for key in _SETTINGS:
            given = getattr(definition, key)
            if given not in (None, (), []) and key not in _TAKES[kind]:
                takes = listed(_TAKES[kind]) or "no settings"
                self._problem(f"{path}.{key}", f"{_a(kind)} step takes {takes} (got '{key}')")
        if kind in ("discount", "charge"):
            ways = [key for key in ("percent", "amount", "per_unit") if getattr(definition, key) is not None]
            if len(ways) != 1:
                self._problem(path, f"expected one of percent, amount, per_unit (got {listed(ways) or 'none'})")
            if definition.of is not None and definition.percent is None:
                self._problem(f"{path}.of", "'of' says what a percent is taken of; this step has none")
        over = definition.over
        if over != "line" and kind not in ("discount", "charge"):
            only = f"only discounts and charges are worked out for the {over}"
            self._problem(f"{path}.over", f"{only} (got {_a(kind)})")
        if over == "parent" and definition.best_of is not None:
            self._problem(f"{path}.best_of", "steps of the parent do not compete; those of the line or the order do")
        for key in _ORDER:
            if definition.over == "line" and getattr(definition, key) is not None:
                self._problem(f"{path}.{key}", f"'{key}' goes with over = 'order' or 'parent'")
        if definition.share is not None and definition.amount is None:
            self._problem(f"{path}.share", "'share' says how an amount is shared; this step has none")
        taxes = [step.name for step in self.definition.steps if step.kind == "tax"]
        earlier = taxes[: taxes.index(definition.name)] if definition.name in taxes else []
        for name in definition.on_top_of:
            if name not in earlier:
                hint = nearest(name, earlier)
                self._problem(f"{path}.on_top_of", f"expected an earlier tax step (got '{name}'{hint})")
        needed = {"price": "options", "figure": "value", "tax": "percent", "advance": "percent"}.get(kind)
        if needed and not getattr(definition, needed) and getattr(definition, needed) != 0:
            self._problem(f"{path}.{needed}", f"{_a(kind)} step needs '{needed}'")
        of = definition.of
        if of is not None and of != "amount" and of not in self.amounts:
            later = [step.name for step in self.definition.steps]
            why = "its step comes later" if of in later else f"there is no such step{nearest(of, self.amounts)}"
            self._problem(f"{path}.of", f"expected an amount figure of an earlier step (got '{of}': {why})")

    def _leave(self, step: Step) -> None:
        """The figures that can be read from here on."""
        if step.kind == "price":
            self.figures["line.price"] = _PRICE
            for running in ("amount", "net", "without_tax"):
                self._leave_amount(running)
        if step.kind == "figure":
            level = "header" if step.level is Level.HEADER else "line"
            kind = step.parts["value"].kind if "value" in step.parts else "decimal"
            money = "value" in step.parts and is_money(step.parts["value"].root)
            self.figures[f"{level}.{step.name}"] = Name(kind, step.level, step.definition.shown, money=money)
        elif step.is_amount:
            self._leave_amount(step.name, step.definition.shown)
        if step.kind == "tax":
            self._leave_amount("tax")
            self._leave_amount("with_tax")

    def _leave_amount(self, name: str, label: str = "") -> None:
        self.figures[f"line.{name}"] = Name("decimal", Level.LINE, label, money=True)
        self.figures[f"header.{name}"] = Name("decimal", Level.HEADER, label, money=True)
        self.amounts.append(name)


def _a(kind: str) -> str:
    """``a price``, ``an advance``."""
    return f"an {kind}" if kind[0] in "aeiou" else f"a {kind}"
