"""Every command: where it lives and what it does in a line, in groups, in the order of work."""

from __future__ import annotations

from typing import NamedTuple


class Listed(NamedTuple):
    """A command as ``dokima --help`` lists it.

    Attributes:
        place: Module and function, imported when the command is asked for, so that each starts quickly.
        says: What it does.
    """

    place: str
    says: str


GROUPS: dict[str, dict[str, Listed]] = {
    "Begin": {
        "init": Listed("dokima.cli.beginning:init", "Begin a rulebook, or propose one for your own files."),
        "schema": Listed("dokima.cli.schemas:schema", "Print the JSON Schema of a rulebook, or of its orders."),
    },
    "Check and price orders": {
        "check": Listed("dokima.cli.checking:check", "Ask the rules about orders."),
        "price": Listed("dokima.cli.pricing:price", "Price orders: every step of every line, tax, totals."),
        "explain": Listed("dokima.cli.explaining:explain", "Say where the figures of a line came from."),
        "paper": Listed("dokima.cli.papers:write_papers", "Write a quotation or another paper about orders."),
        "prices": Listed("dokima.cli.price_lists:prices", "Show every price and discount that applies."),
        "eval": Listed("dokima.cli.evaluating:evaluate", "Work a formula out."),
    },
    "Change orders": {
        "edit": Listed("dokima.cli.editing:edit", "Change orders by the rules."),
        "variance": Listed("dokima.cli.variances:variance", "Compare two states of orders, line by line."),
        "change": Listed("dokima.cli.changing:change", "Change orders: open, edit, submit, approve, ledger ..."),
    },
    "Keep orders": {
        "store": Listed("dokima.cli.stores:store", "A store in a database: create, load, history, feed ..."),
        "orders": Listed("dokima.cli.listings:orders", "List orders with their totals and states."),
        "lines": Listed("dokima.cli.listings:lines", "List the lines of an item over all orders."),
    },
    "Prove a rulebook": {
        "prove": Listed("dokima.cli.proving:prove", "Run the worked examples in cases/."),
        "audit": Listed("dokima.cli.auditing:audit", "Read tables and rules, and say what is odd."),
        "compare": Listed("dokima.cli.comparing:compare", "Say what changed between two versions, and what it moves."),
        "spec": Listed("dokima.cli.specifying:spec", "Say what a rulebook says, in plain words."),
    },
}
"""The commands in groups. `dokima --help` reads this and imports none of them."""


def commands() -> dict[str, Listed]:
    """All commands by their names."""
    return {name: listed for group in GROUPS.values() for name, listed in group.items()}
