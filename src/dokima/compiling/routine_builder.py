"""From a definition to a `Routine`: the sequence of steps, their settings, and what each may read."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from dokima.columns.column import value_at
from dokima.errors import FormulaError, RulebookError, RulebookProblem, listed, nearest
from dokima.formulas import Formula, FormulaKind, Level, Name, Names, compile_formula
from dokima.formulas.money import is_money
from dokima.formulas.tree import LITERAL, Node
from dokima.pricing.kinds import BUILT_IN, kinds_by_name
from dokima.pricing.kinds.kind import NUMBER, Setting, StepKind
from dokima.pricing.steps.definition import RESERVED, EarlyDefinition, RoutineDefinition, StepDefinition
from dokima.pricing.steps.instalments import EarlyTerms, Instalment
from dokima.pricing.steps.routine import OWN_TAX, Option, Routine, Step

NamesWith = Callable[[Mapping[str, Name]], Names]
"""The names of a rulebook with the figures that exist so far."""

_SETTINGS = tuple(dict.fromkeys(key for kind in BUILT_IN for key in kind.settings))
"""Settings that some built-in kind takes; where and share belong to ``over``, which says what is wrong with them."""
_ALWAYS = ("name", "kind", "label", "over")
"""What every step may say."""
_PRICE = Name("decimal", Level.LINE, "unit price", money=True)


def build_routine(
    definition: RoutineDefinition, names_with: NamesWith, kinds: Mapping[str, StepKind] | None = None
) -> Routine:
    """Check a routine. A figure can be read only after its step.

    Args:
        definition: What the rulebook says.
        names_with: The names of the rulebook with the figures that exist so far.
        kinds: Kinds of steps by name; those that are built in if None.

    Raises:
        RulebookError: With every problem of its steps.
    """
    return _Builder(definition, names_with, kinds or kinds_by_name()).build()


class _Builder:
    def __init__(self, definition: RoutineDefinition, names_with: NamesWith, kinds: Mapping[str, StepKind]) -> None:
        self.definition = definition
        self.kinds = kinds
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
        self._check_kinds()
        if self.problems:
            raise RulebookError(self.problems)
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
            share = self._formula(f"{path}.{at}.share", each.share, NUMBER, Level.HEADER)
            due = None
            if each.due is not None:
                due = self._formula(f"{path}.{at}.due", each.due, ("date",), Level.HEADER)
            if share is not None:
                found.append(Instalment(each.label, share, due, self._early(f"{path}.{at}.early", each.early)))
        return found

    def _early(self, path: str, early: EarlyDefinition | None) -> EarlyTerms | None:
        """What may be deducted from an instalment that is paid early; a share of it, and never more than all."""
        if early is None:
            return None
        percent = self._formula(f"{path}.percent", early.percent, NUMBER, Level.HEADER)
        by = self._formula(f"{path}.by", early.by, ("date",), Level.HEADER)
        if percent is not None and not _may_be_share(percent.root):
            self._problem(f"{path}.percent", f"expected 0 to 100 (got {early.percent})")
        return None if percent is None or by is None else EarlyTerms(percent, by)

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

    def _check_kinds(self) -> None:
        for at, step in enumerate(self.definition.steps):
            if step.kind not in self.kinds:
                came = f"got '{step.kind}'{nearest(step.kind, self.kinds)}"
                said = f"expected a kind of step: {listed(self.kinds)} ({came})"
                self._problem(f"{self.path}.step.{step.name or at}.kind", said)

    def _check_sequence(self) -> None:
        ways = [self.kinds[step.kind] for step in self.definition.steps]
        if [way.is_price for way in ways] != [True, *[False] * (len(ways) - 1)]:
            self._problem(f"{self.path}.step", "expected exactly one step of kind 'price', and that one first")
        taxed = False
        for step, way in zip(self.definition.steps, ways, strict=True):
            taxed = taxed or way.is_tax
            if taxed and not way.after_tax:
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
        way = self.kinds[definition.kind]
        self._check_name(path, definition, way)
        self._check_settings(path, definition, way)
        parts: dict[str, Formula] = {}
        if definition.valid is not None:
            parts["valid"] = compile_formula(
                definition.valid.formula, self.names_with(self.figures), ("flag",), Level.HEADER
            )
        for key, setting in way.settings.items():
            source = definition.setting(key)
            if source is not None and setting.gives is not None:
                once = setting.once and (definition.over == "order" or way.of_order)
                formula = self._formula(f"{path}.{key}", source, setting.gives, Level.HEADER if once else Level.LINE)
                if formula is not None:
                    parts[key] = formula
                    self._check_parent(f"{path}.{key}", definition, setting, formula)
        parts |= self._own_tax(f"{path}.tax", definition)
        options = [self._option(f"{path}.options.{n}", option) for n, option in enumerate(definition.options)]
        step = Step(
            definition,
            definition.rounding or self.definition.rounding,
            way,
            parts,
            [option for option in options if option is not None],
            max(Level.HEADER, parts["value"].level) if "value" in parts and not way.is_amount else Level.LINE,
            self._joined(definition),
        )
        self._leave(step)
        return step

    def _own_tax(self, path: str, definition: StepDefinition) -> dict[str, Formula]:
        """The formulas of a tax that a discount or charge has of its own."""
        own, parts = definition.tax, dict[str, Formula]()
        if own is None:
            return parts
        taxes = self._taxes()
        if not taxes:
            self._problem(path, "a tax of its own joins a tax step (this routine has none)")
        elif not own.step and len(taxes) > 1:
            self._problem(path, f"expected 'step', the tax that it joins: one of {listed(taxes)} (got none)")
        for at, name in enumerate(own.step):
            above = taxes if not at else [other for other in taxes if own.step[0] in taxes[other].on_top_of]
            if name not in above or name in own.step[:at]:
                wanted = "a tax step" if not at else f"a tax step on top of '{own.step[0]}', once"
                self._problem(f"{path}.step", f"expected {wanted} (got '{name}'{nearest(name, above)})")
        for key, expect in (("percent", NUMBER), ("category", ("text",)), ("reason", ("text",))):
            source = getattr(own, key)
            formula = None if source is None else self._formula(f"{path}.{key}", source, expect)
            if formula is not None:
                parts[f"{OWN_TAX}{key}"] = formula
        return parts

    def _taxes(self) -> dict[str, StepDefinition]:
        return {step.name: step for step in self.definition.steps if self.kinds[step.kind].is_tax}

    def _joined(self, definition: StepDefinition) -> Sequence[str]:
        """The tax steps that take the amount of a step with a tax of its own."""
        return () if definition.tax is None else tuple(definition.tax.step or list(self._taxes())[:1])

    def _option(self, path: str, definition: object) -> Option | None:
        keys = ("value", "amount", "base", "factor")
        sources = {key: getattr(definition, key) for key in keys if getattr(definition, key) is not None}
        formulas = {key: self._formula(f"{path}.{key}", source, NUMBER) for key, source in sources.items()}
        value = formulas.get("value") or formulas.get("amount")
        if value is None:
            return None
        return Option(value, formulas.get("base"), formulas.get("factor"), "amount" in formulas)

    def _check_parent(self, path: str, definition: StepDefinition, setting: Setting, formula: Formula) -> None:
        """What is worked out once for a parent line reads that parent line, not the lines below it."""
        if definition.over != "parent" or not setting.once:
            return
        for name, level in formula.reads.items():
            if level is Level.LINE and not name.startswith("parent."):
                self._problem(
                    path, f"a step of the parent reads parent.x here, once for each parent line (got '{name}')"
                )

    def _check_name(self, path: str, definition: StepDefinition, way: StepKind) -> None:
        name = definition.name
        if not name.isidentifier():
            self._problem(path, f"expected a step name of letters, digits and '_' (got '{name}')")
        elif name in RESERVED and not (name == "price" and way.is_price):
            self._problem(path, f"'{name}' is a figure every routine leaves; choose another name for this step")
        elif f"line.{name}" in self.figures or f"header.{name}" in self.figures:
            self._problem(path, f"expected each step name once in a routine (got '{name}' again)")

    def _check_settings(self, path: str, definition: StepDefinition, way: StepKind) -> None:
        for key in _SETTINGS:
            if getattr(definition, key) not in (None, (), []) and key not in way.settings:
                takes = listed(way.settings, 20) or "no settings"
                self._problem(f"{path}.{key}", f"{way.article} step takes {takes} (got '{key}')")
        for key in definition.own:
            if key not in way.settings:
                hint = nearest(key, [*way.settings, *_SETTINGS, *_ALWAYS])
                self._problem(f"{path}.{key}", f"expected a known key (got '{key}'{hint})")
        for key, message in way.check(definition):
            self._problem(f"{path}.{key}" if key else path, message)
        taxes = list(self._taxes())
        earlier = taxes[: taxes.index(definition.name)] if definition.name in taxes else []
        for name in definition.on_top_of:
            if name not in earlier:
                hint = nearest(name, earlier)
                self._problem(f"{path}.on_top_of", f"expected an earlier tax step (got '{name}'{hint})")
        needed = definition.setting(way.needs) if way.needs else None
        if way.needs and not needed and needed != 0:
            self._problem(f"{path}.{way.needs}", f"{way.article} step needs '{way.needs}'")
        of = definition.of
        if of is not None and of != "amount" and of not in self.amounts:
            later = [step.name for step in self.definition.steps]
            why = "its step comes later" if of in later else f"there is no such step{nearest(of, self.amounts)}"
            self._problem(f"{path}.of", f"expected an amount figure of an earlier step (got '{of}': {why})")

    def _leave(self, step: Step) -> None:
        """The figures that can be read from here on."""
        if step.way.is_price:
            self.figures["line.price"] = _PRICE
        if not step.way.is_amount:
            level = "header" if step.level is Level.HEADER else "line"
            kind = step.parts["value"].kind if "value" in step.parts else "decimal"
            money = "value" in step.parts and is_money(step.parts["value"].root)
            self.figures[f"{level}.{step.name}"] = Name(kind, step.level, step.definition.shown, money=money)
        for name in step.way.leaves_amounts(step.name):
            self._leave_amount(name, step.definition.shown if name == step.name else "")

    def _leave_amount(self, name: str, label: str = "") -> None:
        self.figures[f"line.{name}"] = Name("decimal", Level.LINE, label, money=True)
        self.figures[f"header.{name}"] = Name("decimal", Level.HEADER, label, money=True)
        self.amounts.append(name)


def _may_be_share(node: Node) -> bool:
    """Whether a percentage is 0 to 100, as far as it is written down."""
    if node.role == "-" and len(node.operands) == 1:
        return node.operands[0].role != LITERAL
    value = None if node.role != LITERAL or node.value is None else value_at(node.value, 0)
    return value is None or value <= 100
