"""What rules say to an edit: which are asked about which lines, before and after."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from dokima.checking.asking import ASKS_FOR_PENDING, ASKS_FOR_ROWS, ask_rules, rules_asked
from dokima.checking.pending import PENDING, pending_findings
from dokima.checking.rule_columns import rule_context
from dokima.exact.integers import Mask
from dokima.formulas import BlankSearch
from dokima.model.document import Document
from dokima.model.finding import Finding
from dokima.model.finding_columns import one_by_one
from dokima.model.orders import Orders
from dokima.pricing.defaults.preparing import prepare
from dokima.pricing.names.context import Before, Context
from dokima.pricing.program import Program, Run
from dokima.pricing.running.pricing import failed_defaults
from dokima.pricing.running.required import missing_rows, required_tables
from dokima.rules.rule import Rule
from dokima.tables.table import Table

Asked = Sequence[tuple[Rule, str]]


@dataclass(frozen=True)
class Edit:
    """An edit about to happen.

    Attributes:
        program: The rulebook.
        run: What the caller says about the run.
        before: The document as it is.
        after: The document as it would be.
    """

    program: Program
    run: Run
    before: Document
    after: Document

    def rules_at(self, moment: str, keep: Callable[[Rule], bool] = lambda _: True) -> Asked:
        """The rules of a moment that a test keeps."""
        return [(rule, at) for rule, at in rules_asked(self.program, moment) if keep(rule)]

    def entering(self, numbers: Collection[str]) -> list[Finding]:
        """What the ``enter`` rules say to some lines, and tables they need that have no row."""
        return self._ask(self.rules_at("enter"), numbers, required_tables(self.program), blank_keys=False)

    def editing(self, fields: Collection[str], numbers: Collection[str]) -> list[Finding]:
        """What the ``edit`` rules of some fields (``line.x``, ``header.x``) say to some lines.

        A rule that is undecided only because the line is unfinished stays silent.
        """
        return self._edit_rules(lambda rule: _field(rule) in fields, numbers)

    def header_changed(self, fields: Collection[str]) -> list[Finding]:
        """What the fields' own rules say, and all lines' ``enter`` and ``edit`` rules that read one of them."""

        def reads(rule: Rule) -> bool:
            return bool(self.program.read_by_rules[rule.key] & set(fields)) or rule.definition.python is not None

        every = list(self.after.lines)
        found = self._edit_rules(lambda rule: _field(rule) in fields or reads(rule), every)
        tables = required_tables(self.program, fields)
        return found + self._ask(self.rules_at("enter", reads), every, tables, blank_keys=False)

    def removing(self, numbers: Collection[str]) -> list[Finding]:
        """What the ``remove`` rules say to lines that leave.

        Aggregates see the order without all of them; those over ``leaving`` see nothing else.
        """
        asked = self.rules_at("remove")
        if not asked:
            return []
        orders = prepare(self.program, self.before.orders(self.program.fields), self.run)
        context = self._context(orders, orders, asked)
        leaving = _marked(orders, numbers)
        context.leaving = np.flatnonzero(leaving if orders.leaf is None else leaving & orders.leaf)
        context.leaf = ~leaving & _leaf_without(orders, leaving)
        return ask_rules(context, asked, leaving)

    def at_moment(self, moment: str, numbers: Collection[str] | None = None) -> list[Finding]:
        """What the rules of a moment say to some lines, or to all; required tables included."""
        tables = required_tables(self.program) if moment in ASKS_FOR_ROWS else []
        chosen = self.after.lines if numbers is None else numbers
        found = self._ask(self.rules_at(moment), chosen, tables, blank_keys=moment != "enter")
        return found + self.pending() if moment in ASKS_FOR_PENDING else found

    def pending(self) -> list[Finding]:
        """Warnings of earlier edits that nobody has accepted, about values that stand as they were."""
        if not self.after.header.get(PENDING):
            return []
        orders = prepare(self.program, self.after.orders(self.program.fields), self.run)
        return pending_findings(self.program, orders, self.run)

    # -- asking -----------------------------------------------------------------------------------------------

    def _context(self, orders: Orders, before: Orders | None, asked: Asked) -> Context:
        state = None
        if before is not None:
            state = Before.of_one(before, orders.line_numbers)
        return rule_context(self.program, orders, self.run, [rule for rule, _ in asked], state)

    def _prepared(self, asked: Asked) -> Context:
        fields = self.program.fields
        after = prepare(self.program, self.after.orders(fields), self.run)
        return self._context(after, prepare(self.program, self.before.orders(fields), self.run), asked)

    def _ask(
        self, asked: Asked, numbers: Collection[str], tables: Sequence[Table], *, blank_keys: bool
    ) -> list[Finding]:
        context = self._prepared(asked)
        found = ask_rules(context, asked, _marked(context.orders, numbers))
        lost = [
            *one_by_one(missing_rows(context, tables, blank_keys=blank_keys)),
            *failed_defaults(self.program, context.orders),
        ]
        lost = [finding for finding in lost if not finding.line or finding.line in numbers]
        return found + lost

    def _edit_rules(self, keep: Callable[[Rule], bool], numbers: Collection[str]) -> list[Finding]:
        asked = self.rules_at("edit", keep)
        if not asked:
            return []
        context = self._prepared(asked)
        marked = _marked(context.orders, numbers)
        return [
            finding
            for rule, moment in asked
            for finding in ask_rules(context, [(rule, moment)], marked)
            if not (finding.undecided and _unfinished(rule, finding, context))
        ]


def _field(rule: Rule) -> str:
    """The field a rule is about; one without a level is a line's."""
    field = rule.definition.field
    return field if "." in field else f"line.{field}"


def _unfinished(rule: Rule, finding: Finding, context: Context) -> bool:
    """Whether an undecided rule waits only for a value of the line itself, or of a table found by one."""
    line = context.orders.line_numbers.index(finding.line) if finding.line else None
    for formula in (rule.when, rule.require, rule.valid):
        if formula is None:
            continue
        search = BlankSearch(formula, context)
        at = line if formula.level.name == "LINE" else None
        if search.is_blank(0, at):
            head = search.at(0, at).name.split(".")[0]
            table = context.program.tables.get(head)
            of_line = table is not None and any(name.startswith("line.") for name in table.reads)
            return head in ("line", "parent") or of_line
    return False


def _marked(orders: Orders, numbers: Iterable[str]) -> Mask:
    wanted = set(numbers)
    return np.fromiter((number in wanted for number in orders.line_numbers), bool, orders.line_count)


def _leaf_without(orders: Orders, leaving: Mask) -> Mask:
    """True for lines that have no sub-lines once some lines have left."""
    leaf = np.ones(orders.line_count, bool)
    if orders.parent is not None:
        above = orders.parent[~leaving]
        leaf[above[above >= 0]] = False
    return leaf
