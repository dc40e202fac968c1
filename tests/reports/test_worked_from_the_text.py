"""An order is worked out from the specification alone: by a reader that has its text, paper and a pencil.

The reader knows the sentences of a document in Markdown and plain arithmetic. It knows no formula, no rulebook and
nothing of Dokima; formulas in the text are left out before it reads.
"""

import re
from decimal import ROUND_DOWN, ROUND_HALF_UP, Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

import dokima

CENT = Decimal("0.01")
ITEMS = [
    {"item": "POT", "price": "3.35", "weight": "0.9"},
    {"item": "TRAY", "price": "1.20", "weight": "0.25"},
    {"item": "BOWL", "price": "8.15", "weight": "2"},
    {"item": "AIR", "price": "0.99", "weight": "0"},
]
BOOK = dokima.Rulebook.from_dict(
    {
        "rulebook": {"name": "pots", "currency": "EUR"},
        "header": {"express": {"kind": "flag", "default": "False"}},
        "value": {"handling": Decimal("0.35")},
        "table": {
            "item": {
                "key": {"item": "line.item"}, "required": True,
                "columns": {"price": {"kind": "decimal"}, "weight": {"kind": "decimal"}},
            }
        },
        "routine": {"sales": {"step": [
            {"name": "price", "kind": "price", "options": [{"value": "item.price"}]},
            {"name": "bulk", "kind": "discount", "percent": "5 if line.quantity >= 10 else 0"},
            {"name": "handling", "kind": "charge", "amount": "line.quantity * value.handling", "when": "header.express",
             "cap": "4.00"},
            {"name": "freight", "kind": "charge", "over": "order", "share": "line.quantity * item.weight",
             "amount": "10.00 if sum(line.quantity) > 20 else 7.50", "if_no_share": "equal"},
            {"name": "vat", "kind": "tax", "percent": "21", "category": "'S'"},
        ]}},
    },
    tables={"item": ITEMS},
)  # fmt: skip


class PlainReader:
    """Works an order out by what a document says."""

    def __init__(self, markdown):
        text = re.sub(r"^`.*`$", "", markdown, flags=re.MULTILINE)  # formulas are for others
        self.parts = {}
        for heading, body in re.findall(r"^#{2,3} [\d.]+ (.*?)\n(.*?)(?=^#{2,3} |\Z)", text, re.MULTILINE | re.DOTALL):
            self.parts[heading] = body
        rows = [[cell.strip() for cell in line.strip("|").split("|")]
                for line in self.parts["Item (item)"].splitlines() if line.startswith("|") and "---" not in line]  # fmt: skip
        self.items = {row[0]: dict(zip(rows[0][1:], row[1:], strict=True)) for row in rows[1:]}
        found = re.findall(
            r"\*\*\d+\. (?:[^\w*]* )?([\w ]+)\*\*\n(.*?)(?=\*\*\d+\. |\Z)", self.parts["Sales"], re.DOTALL
        )
        self.steps = {name: [line for line in body.splitlines() if line] for name, body in found}
        assert "rounded half-up to the places of the currency, at each step" in self.parts["Sales"]

    def said(self, step, pattern):
        """What a sentence of a step says, None if it has no such sentence."""
        found = [match for line in self.steps[step] if (match := re.fullmatch(pattern, line))]
        return found[0][1] if found else None

    def number(self, words, line, order):
        words = re.sub(r"^\((.*)\)$", r"\1", words)
        if m := re.fullmatch(r"(.*) if (.*), else (.*)", words):
            return self.number(m[1] if self.holds(m[2], line, order) else m[3], line, order)
        if " times " in words:
            one, _, rest = words.partition(" times ")
            return self.number(one, line, order) * self.number(rest, line, order)
        if m := re.fullmatch(r"the sum of (.*)", words):
            return sum(self.number(m[1], each, order) for each in order["lines"])
        if words == "the quantity of the line":
            return Decimal(line["quantity"])
        if m := re.fullmatch(r"the (\w+) of the item", words):
            return Decimal(self.items[line["item"]][m[1]])
        m = re.fullmatch(r"(?:the [\w ]+ \()?(-?[\d.]+)\)?", words)  # a number, or a named one with its worth
        assert m is not None, words
        return Decimal(m[1])

    def holds(self, words, line, order):
        if m := re.fullmatch(r"the (\w+) of the order is set", words):
            return order[m[1]]
        m = re.fullmatch(r"(.*) is (at least|above) ([\d.]+)", words)
        left, right = self.number(re.sub(r"^\((.*)\)$", r"\1", m[1]), line, order), Decimal(m[3])
        return left >= right if m[2] == "at least" else left > right

    def work_out(self, order):
        lines = order["lines"]
        assert self.said("price", "(The amount of a line is its price times its quantity.)")
        price = self.said("price", r"Else it is (.*), where that is not blank\.")
        amounts = [round_(self.number(price, line, order) * Decimal(line["quantity"])) for line in lines]
        percent = self.said("bulk", r"Take off so many percent as (.*) says, of what the line comes to so far\.")
        amounts = [
            amount - round_(amount * self.number(percent, line, order) / 100)
            for amount, line in zip(amounts, lines, strict=True)
        ]
        for at, line in enumerate(lines):
            if self.holds(self.said("handling", r"Only where (.*)\."), line, order):
                most = self.number(self.said("handling", r"It comes to at most (.*)\."), line, order)
                amounts[at] += min(round_(self.number(self.said("handling", r"Add (.*)\."), line, order)), most)
        net = list(amounts)
        whole = round_(self.number(self.said("freight", r"Add (.*)\."), lines[0], order))
        by = self.said("freight", r"It is worked out once for the order, and shared over the lines by (.*)\.")
        weights = [self.number(by, line, order) for line in lines]
        if not any(weights):
            assert self.said("freight", r"(Where all of these are 0, it is shared equally\.)")
            weights = [Decimal(1)] * len(lines)
        assert self.said(
            "freight", r"(Each part is cut to whole units .* largest remainders, of equal ones to the first\.)"
        )
        exact = [whole * weight / sum(weights) for weight in weights]
        cut = [each.quantize(CENT, ROUND_DOWN) for each in exact]
        left = int((whole - sum(cut)) / CENT)
        for at in sorted(range(len(lines)), key=lambda at: (cut[at] - exact[at], at))[:left]:
            cut[at] += CENT
        without = sum(net) + sum(cut)
        rate = self.said(
            "vat", r"The tax is (.*) % of the amount without tax, rounded for each category and rate of the order\."
        )
        tax = round_(without * Decimal(rate) / 100)
        return {"freight": cut, "net": net, "without_tax": without, "tax": tax, "with_tax": without + tax}


def round_(value):
    return value.quantize(CENT, ROUND_HALF_UP)


TEXT = dokima.report(BOOK).markdown
READER = PlainReader(TEXT)
LINES = st.fixed_dictionaries(
    {"item": st.sampled_from([row["item"] for row in ITEMS]), "quantity": st.integers(1, 30).map(str)}
)


@given(st.lists(LINES, min_size=1, max_size=4), st.booleans())
def test_what_the_text_says_comes_to_the_same_cent(lines, express):
    numbered = [{**line, "number": str(10 * (at + 1))} for at, line in enumerate(lines)]
    order = BOOK.price({"number": "A", "express": express, "lines": numbered})["A"]
    told = READER.work_out({"express": express, "lines": numbered})
    assert [line.freight for line in order.lines] == told["freight"]
    assert [line.net for line in order.lines] == told["net"]
    totals = order.totals
    assert (totals.without_tax, totals.tax, totals.with_tax) == (told["without_tax"], told["tax"], told["with_tax"])


def test_the_reader_goes_by_the_text():
    """12 pots, 40.20 less 5 % 2.01, are 38.19; one percent less, and 1.61 comes off."""
    order = {"express": False, "lines": [{"item": "POT", "quantity": "12", "number": "10"}]}
    assert READER.work_out(order)["net"] == [Decimal("38.19")]
    other = PlainReader(TEXT.replace("as 5 if", "as 4 if"))
    assert other.work_out(order)["net"] == [Decimal("38.59")]
    with pytest.raises(AssertionError):
        PlainReader(TEXT.replace("its price times its quantity", "its price")).work_out(order)
