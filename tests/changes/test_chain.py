"""Chains of change orders over documents that are edited in between: what a change does not move stays as it is."""

from __future__ import annotations

import contextlib
import datetime
import json
from collections import Counter
from decimal import Decimal as D

import hypothesis.strategies as st
import pytest
from hypothesis import given, settings

import dokima
from dokima.changes.delivered_part import counted_part
from dokima.changes.documents import as_document, has_ended, priced_as_agreed, with_terms
from dokima.changes.ledger import ledger_of
from dokima.model.links import given_numbers
from dokima.pricing.program import Run

ITEMS = [
    {"item": "A", "price": "4.6994", "rate": "21"},
    {"item": "B", "price": "100", "rate": "21"},
    {"item": "C", "price": "1.05", "rate": "9"},
    {"item": "F", "price": "10", "rate": "0"},
    {"item": "KIT", "price": "30", "rate": "21"},
]
PARTS = [{"item": "KIT", "component": "A", "quantity": 2}, {"item": "KIT", "component": "C", "quantity": 1}]
LANDS = [{"country": "NL", "rebate": "0", "of_order": "2.5"}, {"country": "BE", "rebate": "10", "of_order": "4"}]
BANDS = [{"item": None, "least": None, "percent": "1"}, {"item": None, "least": "20", "percent": "3.5"}]
STEPS = {
    "bands": {"name": "off", "kind": "discount", "percent": "bands.percent", "of": "goods"},
    "land": {"name": "land_off", "kind": "discount", "percent": "land.rebate"},
    "fee": {"name": "fee", "kind": "charge", "amount": "5"},
    "each": {"name": "each", "kind": "charge", "per_unit": "0.37"},
    "order": {"name": "rebate", "kind": "discount", "over": "order", "percent": "land.of_order"},
    "better": {"name": "better", "kind": "discount", "percent": "bands.percent", "best_of": "deal"},
    "club": {"name": "club", "kind": "discount", "per_unit": "0.11", "cap": "1.5", "best_of": "deal"},
    "freight": {"name": "freight", "kind": "charge", "over": "order", "amount": "12.50", "if_no_share": "equal"},
}
NEVER_ASKED = [
    {"id": name, "at": at, "require": "True"}
    for name, at in (("not-below-delivered", "enter"), ("delivered-stays", "remove"), ("paid-order", "cancel"))
]


@dokima.settling
def every_other(line):
    """Growth of lines 10, 30 ... is ordered separately."""
    return int(line.line.split("/")[0]) % 20 == 10


def _book(chosen, settle, reprice, today, **settings):
    """A rulebook with some steps; that of tomorrow has another price of B and another fee."""
    items = [{**each, "price": "101"} if today and each["item"] == "B" else each for each in ITEMS]
    data = {
        "rulebook": {"name": "chain", "currency": "EUR"},
        "changes": {} if settle == "own" else {"settle": settle},
        "terms": {"reprice_on": reprice},
        "line": {"kilos": {"kind": "decimal", "default": "line.quantity * 2"}, "bay": {}},
        "header": {"remark": {}},
        "rule": NEVER_ASKED,
        "table": {
            "item": {"key": {"item": "line.item"}, "columns": {"rate": {"kind": "decimal"}}},
            "bands": {"match": {"item": "line.item"}, "breaks": {"least": "line.quantity"}, "choose": "highest percent"},
            "land": {"key": {"country": "header.ship_to_country"}},
            "parts": {"key": {"item": "line.item"}, "roll_up": {"cost": "item.price"}},
        },
        "routine": {
            "sales": {
                "step": [
                    {"name": "price", "kind": "price", "options": [{"value": "item.price"}]},
                    {"name": "goods", "kind": "subtotal"},
                    *(STEPS[name] for name in STEPS if name in chosen),
                    {"name": "vat", "kind": "tax", "percent": "item.rate"},
                    {"name": "advance", "kind": "advance", "percent": "20"},
                ],
                **settings,
            }
        },
    }  # fmt: skip
    tables = {"item": items, "bands": BANDS, "land": LANDS, "parts": PARTS}
    return dokima.Rulebook.from_dict(data, tables=tables, python=[every_other] if settle == "own" else [])


def _books(chosen, settle="split", reprice=("item", "unit"), **settings):
    return [
        _book(chosen, settle, [f"line.{name}" if "." not in name else name for name in reprice], today, **settings)
        for today in (False, True)
    ]


BOOKS = [
    _books({"bands", "land", "order"}),
    _books({"fee", "each", "freight"}, settle="amend"),
    _books({"bands", "each"}, settle="own", tax_per="line"),
    _books(
        {"land", "order"}, reprice=("item", "unit", "quantity", "header.ship_to_country"), prices_include_tax="True"
    ),
    _books({"better", "club", "order"}, settle="own"),
    _books({"bands", "fee", "order"}, reprice=("item", "quantity", "header.date"), rounding="down"),
]
SEEN = Counter()
"""How often what the issue of families is about came up, for a run by hand."""

small, place = st.integers(-4, 30), st.integers(0, 9)
EDITS = [
    "quantity", "item", "bay", "kilos", "override", "add", "below", "explode", "deliver", "fail", "pay", "country",
    "remark", "cancel", "close", "return", "date", "currency",
]  # fmt: skip
"""What is done to a document directly."""
MOVES = [
    "quantity", "quantity", "quantity", "item", "bay", "add", "below", "remove", "country", "remark", "override",
    "explode", "currency",
]  # fmt: skip
"""What a change does."""
EDIT = st.tuples(st.sampled_from(EDITS), place, place, small)
MOVE = st.tuples(st.sampled_from(MOVES), place, small)
LATE = st.none() | EDIT
STEP = st.tuples(st.lists(EDIT, max_size=3), st.lists(MOVE, min_size=1, max_size=4), st.booleans(), LATE)


@settings(max_examples=settings.default.max_examples)
@given(
    st.sampled_from(BOOKS),
    st.lists(st.tuples(small, place), min_size=1, max_size=4),
    st.lists(STEP, min_size=1, max_size=4),
)
def test_a_chain_moves_what_its_changes_and_edits_move_and_nothing_else(books, first, steps):
    """Whatever happens to the documents between changes.

    The documents together are what was approved, line by line and step by step; a line that a change does not move is
    the same in every document, to the byte; the report names exactly the lines that get a document of their own; tax
    differs by what rounding explains; and the ledger balances. A document edited after a change was submitted makes it
    stale, until it is rebased.
    """
    book = books[0]
    lines = [{"item": ITEMS[kind % 4]["item"], "quantity": quantity, "unit": "C62"} for quantity, kind in first]
    orders = [dokima.Order("O", state="confirmed", date=datetime.date(2026, 3, 2), ship_to_country="NL", lines=lines)]
    orders[0] = book.edit(orders[0], by="Ada").order
    changes = []
    for edits, moves, newer, late in steps:
        if newer and changes:
            book = books[1]
        for kind, at, line, value in edits:
            _edit_one(book, orders, kind, at % len(orders), line, value)
        if all(has_ended(book.program, as_document(book.program, order)) for order in orders):
            with pytest.raises(dokima.Locked, match="nothing about it can change"):
                book.change(orders[0], "Ada", supplements=orders[1:])
            break
        taken = [each.number for each in changes]
        change, why = tried(lambda: book.change(orders[0], "Ada", supplements=orders[1:], taken=taken))  # noqa: B023
        assert why is None or "it is worked out once for all documents" in why
        if change is None:
            SEEN["terms of the order"] += 1
            continue
        assert change.variance().is_empty
        moved(change.edit("Ada"), moves)
        submitted, why = tried(lambda: change.submit("Ada"))  # noqa: B023
        assert why is None or "changes nothing" in why or "is refused" in why
        if submitted is not None and (late is None or _is_current(book, change, orders, late)):
            orders = approved(book, change, orders, changes)
    if changes:
        again = [dokima.Order.from_dict(json.loads(json.dumps(each.to_dict(), default=str))) for each in orders]
        ledger = ledger_of(book.program, again, changes)
        assert ledger.is_balanced or ledger.unknown or None in ledger.imbalance.values(), ledger.imbalance


@settings(max_examples=settings.default.max_examples // 8)
@given(
    st.lists(small, min_size=2, max_size=4),
    st.lists(small, min_size=2, max_size=3),
    st.sampled_from([BOOKS[0], *BOOKS[2:]]),
)
def test_changes_that_are_open_together(first, wished, books):
    """Each moves a line of its own and adds one; what is approved second is rebased on the first, and neither is lost."""
    book = books[0]
    lines = [{"number": str(10 * at + 10), "item": "A", "quantity": q, "unit": "C62"} for at, q in enumerate(first)]
    orders = [dokima.Order("O", state="confirmed", date=datetime.date(2026, 3, 2), ship_to_country="NL", lines=lines)]
    open_ = [book.change(orders[0], by=by, taken=[f"O-C{n}" for n in range(1, at + 1)]) for at, by in enumerate("PQ")]
    for at, change in enumerate(open_):
        editor = change.edit(change.record["opened_by"])
        editor.change_line(lines[at]["number"], quantity=wished[at])
        editor.add_line(item="A", quantity=at + 1, unit="C62")
        change.submit(change.record["opened_by"])
    orders = approved(book, open_[0], orders, [])
    second = open_[1]
    with pytest.raises(dokima.StaleBaseline, match=second.order_number):
        second.approve("Ben", orders)
    own = str(10 * len(first) + 10)
    assert second.rebase(orders, "Q") == {own: str(int(own) + 10)}
    second.submit("Q")
    orders = approved(book, second, orders, [])
    now = {}
    for line in (line for order in orders for line in order.lines):
        now[line.number] = now.get(line.number, 0) + line["quantity"]
    expected = {**{line["number"]: line["quantity"] for line in lines}, "10": wished[0], "20": wished[1]}
    assert now == {**expected, own: 1, str(int(own) + 10): 2}
    assert ledger_of(book.program, orders, open_).is_balanced


def approved(book, change, orders, changes):
    """The documents after approval, which are what was approved and otherwise what they were."""
    variance, separate = change.variance(), change.ordered_separately()
    wanted = variance.after["O"]
    before = _held(book, orders, change.baseline.map(book.program).names)
    done, why = tried(lambda: change.approve("Ben", orders, taken=[each.number for each in orders]))
    known = ("less would be left", "cannot be removed", "of both signs", "and less would", "so its")
    assert why is None or any(said in why for said in known), why
    if done is None:
        SEEN[next(said for said in known if said in why)] += 1
        return orders
    changes.append(change)
    given = given_numbers(done.amended.header)
    names = {
        (each.number, line.number): given.get((each.number, line.number), line.number)
        for each in done.orders
        for line in each.lines
    }
    after = _held(book, done.orders, names)
    amounts = ["price", *(step.name for step in wanted.routine.steps if step.sign), "net"]
    _count(change, orders)
    for line in [each for each in wanted.lines if not each.is_parent]:
        parts = [each for name, each in after.values() if name == line.number]
        assert sum(each["quantity"] for each in parts) == line.field("quantity"), line.number
        for name in amounts[1:]:
            assert sum(each[name] for each in parts) == line.figure(name), (line.number, name)
    stays = {line.line for line in variance.lines(every=True) if _stays(line, amounts)}
    for place, (name, old) in before.items():
        if name in stays:
            assert after[place] == (name, old), (place, name)
    new = {line.number for line in (done.supplement.lines if done.supplement else []) if line.get("item")}
    parents = {number.rpartition("/")[0] for number in new}
    assert set(separate) == new - parents
    priced = [book.price(order)[order.number] for order in done.orders]
    assert not any(finding.severity == "error" for each in priced for finding in each.findings)
    taxed = sum(each.totals.tax or 0 for each in priced) - sum(
        book.price(order)[order.number].totals.tax or 0 for order in orders
    )
    if (tax := variance.totals()["O"]["tax"].variance) is not None:
        assert done.tax_rounding == taxed - tax
    return list(done.orders)


def tried(work):
    """What some work gives, or None and why it was refused."""
    try:
        return work(), None
    except (dokima.Refused, dokima.Locked, dokima.StaleBaseline, dokima.Conflict) as error:
        return None, str(error)


def _stays(line, amounts):
    moved = [line.figures[name] for name in (*amounts, "quantity") if name in line.figures]
    return (
        not line.fields and line.status in ("unchanged", "changed") and all(each.before == each.after for each in moved)
    )


def _held(book, orders, names):
    """Of each line of a document that counts its name in the change, and what it holds of it: fields and figures."""
    program = book.program
    documents = [with_terms(program, as_document(program, order), Run()) for order in orders]
    parts = [counted_part(program, document) for document in documents]
    found = {}
    for part, priced in zip(parts, priced_as_agreed(program, parts), strict=True):
        steps = [step.name for step in priced.routine.steps if step.sign] if priced.routine else []
        for line in [each for each in priced.lines if not each.is_parent]:
            fields = {name: line.field(name) for name in ("item", "bay", "kilos", "price_override", "description")}
            figures = {name: line.figure(name) for name in ("price", "net", *steps)}
            place = (part.number, line.number)
            if place in names:
                found[place] = names[place], {"quantity": line.field("quantity"), **fields, **figures}
    return found


def _edit_one(book, orders, kind, at, line, value):
    editor = book.edit(orders[at], by="Cleo")
    edited(editor, kind, line, value)
    orders[at] = editor.order


def _is_current(book, change, orders, late):
    """Whether a submitted change can be approved after one of the documents was edited: rebased, where it is stale."""
    kind, at, line, value = late
    _edit_one(book, orders, kind, at % len(orders), line, value)
    found, why = tried(lambda: change.approve("Ben", orders))
    if found is not None or "has moved since" not in why:
        return False  # approved, or refused for a reason of its own; this chain goes on without it
    SEEN["A7 edited after it was submitted"] += 1
    rebased, why = tried(lambda: change.rebase(orders, "Ada"))
    assert (
        rebased is not None
        or "have moved the same things" in why
        or "for all documents" in why
        or "nothing about it" in why
    )
    if rebased is None:
        return False
    submitted, _ = tried(lambda: change.submit("Ada"))
    return submitted is not None


def _count(change, orders):
    """What came up of what was wrong once, by its number in the issue; two documents that hold one number."""
    program = change.program
    documents = [as_document(program, order) for order in orders]
    SEEN["approved"] += 1
    pairs = [
        (one.lines[number], other.lines[number], one.is_parent(number), other.is_parent(number))
        for at, one in enumerate(documents)
        for other in documents[at + 1 :]
        for number in set(one.lines) & set(other.lines)
    ]
    rates = {each["item"]: each["rate"] for each in ITEMS}

    def differ(*names):
        return any(a.get(name) != b.get(name) for a, b, *_ in pairs for name in names)

    SEEN["A1 another item"] += differ("item")
    SEEN["A2 own fields"] += differ("bay")
    SEEN["A3 a manual price"] += differ("price_override")
    SEEN["A4 another tax"] += any(rates.get(a.get("item")) != rates.get(b.get("item")) for a, b, *_ in pairs)
    SEEN["A5 another header"] += len({each.header.get("ship_to_country") for each in documents}) > 1
    SEEN["A6 sub-lines"] += any(one != other for _, _, one, other in pairs)
    SEEN["A8 drawn from the quantity"] += any("kilos" in a or "kilos" in b for a, b, *_ in pairs)
    SEEN["A9 deliveries, payments"] += any(
        each.header.get(name) for each in documents[1:] for name in ("deliveries", "payments")
    )
    SEEN["A10 a line on two documents"] += bool(pairs)
    ended = [has_ended(program, each) for each in documents]
    SEEN["A11 what is over"] += any(ended) and not all(ended)
    SEEN["A12 both signs"] += any((a.get("quantity") or 0) * (b.get("quantity") or 0) < 0 for a, b, *_ in pairs)


def moved(editor, moves):
    """Some edits of a change; what is refused is left out."""
    for kind, line, value in moves:
        edited(editor, kind, line, value)


def edited(editor, kind, line, value):
    """One edit of an order; nothing happens if it is refused."""
    known = [each for each in editor.order.lines if each.get("item")]
    number = known[line % len(known)].number if known else "10"
    if kind == "currency" and (editor._family or editor._in_change):
        with pytest.raises((dokima.Refused, dokima.Locked)):
            editor.change_header(currency="USD")
        SEEN["A13 another currency"] += 1
        return
    with contextlib.suppress(dokima.Refused, dokima.Locked, dokima.NotFound, dokima.DocumentError):
        _edit(editor, kind, number, line, value)


def _edit(editor, kind, number, line, value):
    item = ITEMS[line % 4]["item"]
    match kind:
        case "quantity":
            editor.change_line(number, quantity=value)
        case "return":
            editor.change_line(number, quantity=-abs(value))
        case "item":
            editor.change_line(number, item=item)
        case "bay":
            editor.change_line(number, bay=f"bay {value}")
        case "kilos":
            editor.change_line(number, kilos=value)
        case "override":
            editor.override_price(number, D(abs(value)) / 8, "agreed")
        case "add":
            editor.add_line(item=item, quantity=value, unit="C62")
        case "below":
            editor.add_line(f"{number}/10", item=item, quantity=value, unit="C62")
        case "explode":
            new = editor.add_line(item="KIT", quantity=abs(value), unit="C62")
            editor.explode_line(new)
        case "remove":
            editor.remove_line(number)
        case "deliver":
            editor.record_delivery(f"D{value}", "delivered", line=number, quantity=max(value // 4, 1))
        case "fail":
            editor.record_delivery(f"D{value}", "failed")
        case "pay":
            editor.record_payment(1)
        case "country":
            editor.change_header(ship_to_country="BE" if value % 2 else "NL")
        case "date":
            editor.change_header(date=datetime.date(2026, 4, 1 + abs(value) % 28))
        case "remark":
            editor.change_header(remark=f"remark {value}")
        case "cancel":
            editor.move_to("cancelled")
        case "close":
            editor.close_line(number)
