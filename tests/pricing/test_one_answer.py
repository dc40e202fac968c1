"""One order, one answer: alone and in company, from every intake, whatever is missing; and nothing raises but our own.

Rulebooks and orders are made up from seeds, and what they held is counted, so that nothing is proven of what never came.
"""

from __future__ import annotations

import datetime
import json
import random
from collections import Counter
from typing import Any

import dokima

RULEBOOKS, ORDERS = 40, 6
KINDS = ("text", "decimal", "integer", "date", "flag")
VALUES: dict[str, list[Any]] = {
    "text": ["a", "b", "c", None], "decimal": ["0", "1.5", "-2", "12.345", None], "integer": [0, 3, -1, None],
    "date": ["2026-03-02", "2025-12-31", None], "flag": [True, False, None],
}  # fmt: skip
AMOUNTS = [
    "line.n1", "item.price", "sum(line.n1)", "average(line.n1)", "lowest(line.n1)", "highest(line.n2, where=line.f1)",
    "formula.half", "header.h1", "line.made", "coalesce(band.rate, 1)", "count()", "line.n1 / line.n2", "line.drawn_n",
    "sum(line.n1, by=line.t1)", "value.rate", "parent.n1",
]  # fmt: skip
TESTS = [
    "line.f1", "line.n1 > 0", "header.h1 > 1", "found(item)", "blank(line.t1)", "any(line.f1)", "all(line.n1 > 0)",
    "count() > 1", "formula.large", "line.t1 in ['a', 'b']", "line.is_parent", "highest(line.n1) > 2",
]  # fmt: skip
RULES = [
    *TESTS, "header.net > 1", "line.net > 0", "header.with_tax < 100", "sum(payment.amount) == 0",
    "any(delivery.state == 'delivered')", "run.user == 'Ann'", "line.price < 9", "average(line.n1) > 0",
    "was.n1 == line.n1", "was_header.h1 == header.h1", "line.made > 0",
]  # fmt: skip
MOMENTS = ("enter", "edit", "remove", "close", "save", "approve", "cancel")
DEFAULTS = [
    "line.n1 * 2",
    "item.unit_n",
    "sum(line.n1)",
    "header.h1",
    "1",
    "line.quantity / sum(line.quantity)",
    "formula.half",
]
STEPS = ("discount", "charge", "figure", "subtotal", "tax", "advance")


def step(draw: random.Random, at: int, counts: Counter[str], taxes: list[str]) -> dict[str, Any]:
    """A step of a routine after its price."""
    kind = draw.choice(STEPS)
    counts[f"step {kind}"] += 1
    found: dict[str, Any] = {"name": f"s{at}", "kind": kind}
    if kind == "figure":
        return {**found, "value": draw.choice(["line.net * 2", "sum(line.n1)", "line.n1", "header.net / count()"])}
    if kind == "subtotal":
        return found
    if kind == "tax":
        taxes.append(found["name"])
        return {
            **found,
            "percent": draw.choice(["21", "line.n2", "item.rate"]),
            "category": draw.choice(["'S'", "line.t1"]),
        }
    if kind == "advance":
        return {**found, "percent": draw.choice(["20", "header.h1"])}
    over = draw.choice(["line", "line", "order"])
    found["over"] = over
    if over == "order":
        counts["order step"] += 1
        found |= draw.choice(
            [{"percent": "5"}, {"amount": "average(line.n1)"}, {"amount": "header.h1", "share": "line.n2"}]
        )
    else:
        found |= {draw.choice(["percent", "amount", "per_unit"]): draw.choice(AMOUNTS)}
    if over == "line" and draw.random() < 0.4:
        counts["when"] += 1
        found["when"] = draw.choice(TESTS)
    if draw.random() < 0.2:
        counts["cap"] += 1
        found["cap"] = draw.choice(
            ["3", "highest(line.n1)"] if over == "order" else ["3", "highest(line.n1)", "line.n2"]
        )
    if kind == "discount" and draw.random() < 0.2:
        counts["keep_above"] += 1
        found["keep_above"] = "lowest(line.n1)"
    return found


def made_up(seed: int, counts: Counter[str]) -> dokima.Rulebook:
    """A rulebook."""
    draw = random.Random(seed)
    taxes: list[str] = []
    line: dict[str, Any] = {"n1": {"kind": "decimal"}, "n2": {"kind": "decimal"}, "f1": {"kind": "flag"}, "t1": {}}
    header: dict[str, Any] = {"h1": {"kind": "decimal"}}
    line["drawn_n"] = {"kind": "decimal", "default": draw.choice(DEFAULTS)}
    line["made"] = {
        "kind": "decimal",
        "value": draw.choice(["line.n1 + line.n2", "formula.half", "item.price * line.quantity"]),
    }
    counts[f"default {line['drawn_n']['default']}"] += 1
    if draw.random() < 0.3:
        counts["default of a header"] += 1
        header["h2"] = {"kind": "decimal", "default": draw.choice(["sum(line.n1)", "count()", "header.h1 * 2"])}
    if draw.random() < 0.3:
        counts["places"] += 1
        line["drawn_n"]["places"] = 2
    for kind in KINDS:
        if draw.random() < 0.3:
            counts[f"field {kind}"] += 1
            line[f"own_{kind}"] = {"kind": kind}
    table = {
        "item": {"key": {"item": "line.item"}, "columns": {name: {"kind": "decimal"} for name in ("price", "unit_n", "rate")}},
        "band": {
            "match": {"t1": "line.t1"}, "breaks": {"least": draw.choice(["line.quantity", "sum(line.quantity)"])},
            "choose": [draw.choice(["highest rate", "lowest least", "most specific"])],
            "columns": {"rate": {"kind": "decimal", **({"default": 1} if draw.random() < 0.5 else {})}},
        },
    }  # fmt: skip
    counts[f"choose {table['band']['choose'][0]}"] += 1
    routines = {}
    for at in range(draw.choice([0, 1, 1, 1, 2])):
        price = [
            {"value": draw.choice(["item.price", "line.n1", "band.rate", "line.made"])}
            for _ in range(draw.choice([1, 2]))
        ]
        steps = [{"name": "price", "kind": "price", "options": price}]
        steps += [step(draw, place, counts, taxes) for place in range(draw.choice([0, 2, 4]))]
        routines[f"r{at}"] = {
            "step": steps,
            **({"when": f"header.h1 {'>' if at else '<='} 0"} if draw.random() < 0.5 else {}),
        }
    counts[f"{len(routines)} routines"] += 1
    rules = []
    for at in range(draw.choice([1, 3])):
        moment = draw.choice(MOMENTS)
        counts[f"moment {moment}"] += 1
        rule = {
            "id": f"rule-{at}",
            "at": moment,
            "require": draw.choice(RULES),
            "severity": draw.choice(["error", "warning"]),
        }
        if moment == "edit":
            rule["field"] = draw.choice(["n1", "drawn_n", "made"])
        rules.append({**rule, "message": draw.choice(["no: {line.n1}", "no: {sum(line.n1)}", "no"])})
    data = {
        "rulebook": {"name": "made_up", **({"currency": "EUR"} if draw.random() < 0.7 else {})},
        "value": {"rate": 2}, "formula": {"half": "line.n1 / 2", "large": "line.n1 > 3 and not blank(line.n2)"},
        "header": header, "line": line, "table": table, "rule": rules, "routine": routines,
    }  # fmt: skip
    rows = {
        "item": [{"item": item, "price": draw.choice(["1", "2.5", None]), "unit_n": draw.choice(["4", None]), "rate": "9"}
                 for item in ("A", "B")],
        "band": [{"t1": draw.choice(["a", None]), "least": draw.choice([None, 5]), "rate": draw.choice(["3", None])} for _ in range(2)],
    }  # fmt: skip
    while True:
        try:
            return dokima.Rulebook.from_dict(data, tables=rows)
        except dokima.RulebookError:
            # What does not make sense together is refused, not run: rules that read what is not there give way first.
            if data["rule"]:
                data["rule"] = data["rule"][:-1]
            elif any(len(each["step"]) > 1 for each in routines.values()):
                for each in routines.values():
                    each["step"] = each["step"][:-1] or each["step"]
            else:
                data["routine"] = {}


def documents(seed: int, counts: Counter[str]) -> list[dict[str, Any]]:
    """Orders, empty ones among them, ones without a currency, with sub-lines, payments and deliveries."""
    draw = random.Random(seed)
    found = []
    for at in range(ORDERS):
        order: dict[str, Any] = {"number": f"O{at}", "lines": []}
        if draw.random() < 0.6:
            order["h1"] = draw.choice(["0", "2", "-1", None])
        if draw.random() < 0.3:
            order["currency"] = draw.choice(["EUR", "JPY", "XXY", None])
            counts["currency of its own"] += 1
        if draw.random() < 0.3:
            counts["payments"] += 1
            order["payments"] = [{"amount": "1.00", "date": "2026-01-01"}]
        for place in range(draw.choice([0, 0, 1, 2, 3])):
            line: dict[str, Any] = {"number": str(10 * (place + 1)), "item": draw.choice(["A", "B", "?", None])}
            line["quantity"] = draw.choice(["1", "3", "0", "-2", None])
            for name, kind in (("n1", "decimal"), ("n2", "decimal"), ("f1", "flag"), ("t1", "text")):
                if draw.random() < 0.8:
                    line[name] = draw.choice(VALUES[kind])
            if draw.random() < 0.1:
                line["drawn_n"] = "5"
            if draw.random() < 0.1:
                counts["manual price"] += 1
                line["price_override"] = "7"
            order["lines"].append(line)
        if order["lines"] and draw.random() < 0.2:
            counts["sub-line"] += 1
            order["lines"].append({"number": "10/10", "item": "A", "quantity": "1", "n1": "2"})
        if order["lines"] and draw.random() < 0.2:
            counts["deliveries"] += 1
            order["deliveries"] = [{"id": "D", "state": "delivered", "line": "10", "quantity": "1"}]
        counts["no lines"] += not order["lines"]
        found.append(order)
    return found


def said(result: Any, number: str) -> str:
    """What a calculation says of one order, as JSON."""
    data = json.loads(dokima.report(result).json)
    orders = [each for each in data["orders"] if each.get("number") == number]
    about = [each for each in data["findings"] if each.get("order") == number]
    return json.dumps(
        [orders, about, [each for each in data["problems"] if each.get("order") == number]], sort_keys=True
    )


def found(findings: Any, number: str) -> list[Any]:
    return [each for each in findings.to_dicts() if each.get("order") == number]


def tried(rules: dokima.Rulebook, order: dict[str, Any], counts: Counter[str]) -> None:
    """Every verb on one order: each does its work or raises an error of ours."""
    verbs: dict[str, Any] = {
        "explain": lambda: rules.explain([order], 10),
        "explain rules": lambda: dokima.report(rules.explain_rules([order])).json,
        "evaluate": lambda: rules.evaluate("average(line.n1)", [order]),
        "rows": lambda: rules.rows("band", {"t1": "a"}),
        "lines": lambda: rules.lines([order], where="count() > 0"),
        "variance": lambda: rules.variance([order], [{**order, "h1": "3"}]),
        "change": lambda: rules.change([order], "Ann").variance(),
        "price list": lambda: rules.price_list(item="A", date=datetime.date(2026, 1, 1)),
        "arrow": lambda: rules.price([order]).to_arrow(),
        "frames": lambda: (rules.price([order]).lines, rules.price([order]).headers),
        "totals": lambda: dokima.report(rules.price([order]), totals=True).csv,
        "add": lambda: rules.edit([order], "Ann").add_line(item="A", quantity=2, n1=1),
        "change line": lambda: rules.edit([order], "Ann").change_line(10, n1=4, item="B"),
        "remove": lambda: rules.edit([order], "Ann").remove_lines(skip=True),
        "header": lambda: rules.edit([order], "Ann").change_header(h1=9),
        "move": lambda: rules.edit([order], "Ann").move_to("confirmed"),
        "close": lambda: rules.edit([order], "Ann").close_lines(),
        "many": lambda: rules.edit_many([order], "set", "Ann", fields={"header.h1": "1"}),
        "pay": lambda: rules.edit([order], "Ann").record_payment("0.01"),
    }  # fmt: skip
    for name, verb in verbs.items():
        try:
            verb()
            counts[f"did {name}"] += 1
        except dokima.DokimaError:
            counts[f"refused {name}"] += 1


def run(seeds: range, counts: Counter[str]) -> None:
    for seed in seeds:
        rules = made_up(seed, counts)
        orders = documents(seed, counts)
        together = rules.price([*orders], check="save")
        for answer, order in zip(rules.price_each([[each] for each in orders], check="save"), orders, strict=True):
            assert said(answer, order["number"]) == said(together, order["number"]), (seed, order["number"])
        for moment in MOMENTS:
            every = rules.check([*orders], at=moment, by="Ann")
            for answer, order in zip(
                rules.check_each([[each] for each in orders], at=moment, by="Ann"), orders, strict=True
            ):
                assert found(answer, order["number"]) == found(every, order["number"]), (seed, moment, order["number"])
        counts["order"] += len(orders)
        read = rules.orders([*orders])
        again = rules.price(list(map(dokima.Order.from_dict, read.documents())), check="save")
        for number in read.numbers:
            assert said(again, number) == said(together, number), (seed, number)
        for order in orders[seed % 4 :: 4]:
            tried(rules, order, counts)


def test_alone_and_in_company_every_order_has_one_answer_and_nothing_raises_but_our_own():
    counts: Counter[str] = Counter()
    run(range(RULEBOOKS), counts)
    wanted = [
        *(f"step {kind}" for kind in STEPS), *(f"moment {moment}" for moment in MOMENTS), *(f"field {kind}" for kind in KINDS),
        *(f"{count} routines" for count in (0, 1, 2)), "order step", "when", "cap", "keep_above", "places", "no lines",
        "payments", "deliveries", "sub-line", "manual price", "currency of its own", "default of a header",
        *(f"choose {way}" for way in ("highest rate", "lowest least", "most specific")),
    ]  # fmt: skip
    assert {name for name in wanted if counts[name] < max(1, RULEBOOKS // 100)} == set()
    did = {name.removeprefix("did ") for name in counts if name.startswith("did ")}
    refused = {name.removeprefix("refused ") for name in counts if name.startswith("refused ")}
    assert refused - did == set()  # each verb has done its work on something


def test_the_same_number_twice_is_two_answers_by_position():
    rules = made_up(1, Counter())
    first, second = {"number": "X", "lines": []}, {"number": "X", "lines": [{"item": "A", "quantity": "1", "n1": "2"}]}
    answers = rules.price_each([first, second, {"number": "X", "lines": 3}])
    assert [len(each) for each in answers] == [1, 1, 0]
    assert [len(each.orders.line_numbers) for each in answers] == [0, 1, 0]
    assert "expected a list of lines" in str(answers[2].problems[0])
    assert len(rules.check_each([first, second])) == 2
    assert "expected an order (got a text)" in str(rules.price_each(["X"])[0].problems[0])
