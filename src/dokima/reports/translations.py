"""The words of papers: ours in the language of reports, or what the rulebook puts in their place."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from dokima.errors import DokimaError, nearest
from dokima.model.fields import HEADER_FIELDS, LINE_FIELDS, Field
from dokima.pricing.program import Program, ProgramDefinition
from dokima.reports.formatting import figure_word
from dokima.reports.language import N_, _, language

WORDS: Mapping[str, str] = {
    # what a paper is
    "change_order": N_("Change order"),
    "change_orders": N_("Change orders"),
    "of_order": N_("of order"),
    "ledger_of": N_("Ledger of order"),
    "page": N_("Page"),
    "of": N_("of"),
    # states of a change order
    "draft": N_("draft"),
    "submitted": N_("submitted"),
    "approved": N_("approved"),
    "rejected": N_("rejected"),
    "withdrawn": N_("withdrawn"),
    # facts
    "state": N_("state"),
    "reason": N_("reason"),
    "requested_by": N_("requested by"),
    "customer": N_("customer"),
    "supplier": N_("supplier"),
    "ship_to": N_("ship to"),
    "due_date": N_("due date"),
    "order_date": N_("date of the order"),
    "revision": N_("revision"),
    "currency": N_("currency"),
    "opened": N_("opened"),
    "decided": N_("decided"),
    "valid_until": N_("valid until"),
    "on_approval": N_("on approval"),
    "separates": N_("what is new (line {lines}) becomes an order of its own; the rest amends this one"),
    "amends": N_("this order is amended"),
    "moves_on": N_("the order goes from {was} to {now}"),
    "budget": N_("budget"),
    "headroom": N_("left of the budget"),
    "headroom_after": N_("left of the budget with this change"),
    "headroom_pending": N_("left if all pending changes are approved"),
    # what a change comes to
    "rises": N_("The total with tax rises by {amount} to {total}."),
    "falls": N_("The total with tax falls by {amount} to {total}."),
    "stays": N_("The total with tax stays {total}."),
    "unknown_total": N_("What the order comes to with this change is unknown."),
    "summary": N_("What it comes to"),
    "so_far": N_("The order so far"),
    "lines_changed": N_("What changes"),
    "lines_all": N_("All lines"),
    "header_changed": N_("Other terms"),
    "costs": N_("Costs and margin, for our own eyes"),
    "nothing": N_("Nothing changes."),
    "no_costs": N_("None is known."),
    # columns
    "before": N_("before"),
    "after": N_("after"),
    "variance": N_("variance"),
    "change": N_("change"),
    "field": N_("field"),
    "line": N_("line"),
    "item": N_("item"),
    "description": N_("description"),
    "unit": N_("unit"),
    "status": N_("status"),
    "quantity": N_("quantity"),
    "unit_price": N_("unit price"),
    "net": N_("without tax"),
    "unit_cost": N_("unit cost"),
    "cost": N_("cost"),
    "margin": N_("margin"),
    "party": N_("party"),
    "waits": N_("waits, days"),
    # what became of a line, and why
    "added": N_("added"),
    "removed": N_("removed"),
    "changed": N_("changed"),
    "unchanged": N_("unchanged"),
    "follows": N_("changed by another line"),
    "because": N_("because of {steps}"),
    "because_lines": N_("because line {lines} changed: {steps}"),
    "because_terms": N_("because other terms changed: {steps}"),
    "stands_for": N_("line {line} of {document}"),
    "lines_same": N_("lines that do not change"),
    "price_override": N_("manual price"),
    "price_base": N_("price base"),
    "override_reason": N_("reason of the manual price"),
    "tax_category": N_("tax category"),
    # sums
    "without_tax": N_("total without tax"),
    "tax": N_("tax"),
    "with_tax": N_("total with tax"),
    "total": N_("total"),
    # ledger
    "movements": N_("From the original to now"),
    "by_line": N_("By line, without tax"),
    "original": N_("original"),
    "current": N_("current"),
    "pending": N_("pending"),
    "this_change": N_("this change"),
    "with_change": N_("with this change"),
    "tax_rounding": N_("tax rounding"),
    "direct_edit": N_("direct edit"),
    "cancelled": N_("cancelled"),
    "unbalanced": N_("does not balance"),
    "unknown": N_("unknown"),
    "document": N_("document"),
    # decision, list
    "name": N_("name"),
    "date": N_("date"),
    "signature": N_("signature"),
    "approve": N_("approve"),
    "reject": N_("reject"),
    "waiting_first": N_("Those that wait longest first"),
    "no_changes": N_("There are none."),
    # lists
    "order": N_("order"),
    "orders": N_("Orders"),
    "lines": N_("Lines"),
    "kind": N_("kind"),
    "delivered": N_("delivered"),
    "open": N_("open"),
    "history": N_("History"),
    "time": N_("time"),
    "by": N_("by"),
    "event": N_("event"),
    "from": N_("from"),
    "to": N_("to"),
    "not_changed": N_("Not changed"),
    "outcome": N_("outcome"),
    "why": N_("why"),
}
"""Our words by key; a rulebook puts its own in their place under ``[texts]``."""


@dataclass(frozen=True)
class Wording:
    """The words of a paper.

    Attributes:
        own: Words of the rulebook, by key.
        letterhead: Name, address, contact and whatever else the rulebook says, in its order.
        program: The rulebook, for labels of its fields and steps; None for none.
    """

    own: Mapping[str, str] = field(default_factory=dict)
    letterhead: Mapping[str, str] = field(default_factory=dict)
    program: Program | None = None

    @classmethod
    def of(cls, program: Program) -> Wording:
        """The words of a rulebook's papers.

        Raises:
            DokimaError: The rulebook has a text of its own for something that is never said; names the nearest.
        """
        definition: ProgramDefinition = program.definition
        unknown = next((key for key in definition.texts if key not in WORDS), None)
        if unknown is not None:
            raise DokimaError(f"texts.{unknown}: there is no such text in a report{nearest(unknown, WORDS)}")
        return cls(definition.texts, definition.letterhead, program)

    def say(self, key: str, **facts: str) -> str:
        """A sentence with its facts.

        Raises:
            DokimaError: A sentence of the rulebook has other facts in braces than there are.
        """
        try:
            return self[key].format(**facts)
        except (KeyError, IndexError, ValueError, AttributeError):
            known = ", ".join(f"{{{name}}}" for name in facts)
            raise DokimaError(f"texts.{key}: expected only {known} in braces (got '{self[key]}')") from None

    @property
    def language(self) -> str:
        """Code of the language of reports."""
        return language()

    @property
    def page_words(self) -> tuple[str, str]:
        """The words for "page" and "of"."""
        return self["page"], self["of"]

    def label(self, field_: Field) -> str:
        """The label of a field: the rulebook's own, or that of a standard field in our language."""
        standard = next((each for each in (*HEADER_FIELDS, *LINE_FIELDS) if each.name == field_.name), None)
        is_own = standard is None or standard.label != field_.label
        return field_.shown if is_own or field_.name not in WORDS else self[field_.name]

    def figure(self, name: str) -> str:
        """The word for a figure of a line."""
        return figure_word(self.program, name)

    def __getitem__(self, key: str) -> str:
        return self.own.get(key) or _(WORDS[key])
