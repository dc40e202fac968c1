"""An example for every command, shown below its help; the tests run each of them on the demo."""

from __future__ import annotations

from collections.abc import Mapping

EXAMPLES: Mapping[str, str] = {
    "init": "dokima init myrules --from export.csv",
    "demo": "dokima demo",
    "check": "dokima check orders --at save",
    "price": "dokima price orders/SQ-2041.json",
    "paper": "dokima paper quotation orders/SQ-2041.json",
    "prices": "dokima prices --customer FERNHOLT --date 2026-03-02",
    "explain": "dokima explain orders/SQ-2041.json 10 price",
    "eval": 'dokima eval "item.weight * line.quantity" orders/SQ-2041.json 10',
    "variance": "dokima variance orders/SQ-2041.json changed/SQ-2041.json",
    "prove": "dokima prove --coverage",
    "audit": "dokima audit",
    "compare": "dokima compare . ../rulebook-next --orders orders",
    "edit": "dokima edit orders/SQ-2041.json --set 10.quantity=40 --dry-run",
    "spec": "dokima spec --out spec.html",
    "schema": "dokima schema order",
    "orders": "dokima orders --customer FERNHOLT",
    "lines": "dokima lines --orders orders --item PANE-T6 --open",
    "change open": 'dokima change open SQ-2041 --reason "more panes"',
    "change edit": "dokima change edit SQ-2041-C1 --set 10.quantity=40",
    "change show": "dokima change show SQ-2041-C1",
    "change submit": "dokima change submit SQ-2041-C1",
    "change approve": "dokima change approve SQ-2041-C1 --by Ben",
    "change reject": 'dokima change reject SQ-2041-C1 --reason "too dear"',
    "change withdraw": "dokima change withdraw SQ-2041-C1",
    "change rebase": "dokima change rebase SQ-2041-C1",
    "change list": "dokima change list",
    "change ledger": "dokima change ledger SQ-2041",
    "store create": "dokima store create --store sqlite:///orders.db",
    "store load": "dokima store load orders --store sqlite:///orders.db",
    "store history": "dokima store history SQ-2041 --store sqlite:///orders.db",
    "store feed": "dokima store feed --store sqlite:///orders.db --after 0",
    "store upgrade": "dokima store upgrade --store sqlite:///orders.db --dry-run",
    "store check": "dokima store check --store sqlite:///orders.db",
    "store sql": "dokima store sql --dialect postgresql",
    "store refresh": "dokima store refresh --store sqlite:///orders.db",
    "store trim": "dokima store trim --store sqlite:///orders.db --before 3",
}
"""The example of each command, by the words that name it."""
