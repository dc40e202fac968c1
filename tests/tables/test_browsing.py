"""Browsing a table without an order: every row that can still win, and once all is asked for, the one that does."""

from __future__ import annotations

import datetime
from decimal import Decimal as D
from itertools import product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import dokima
from dokima.pricing.defaults.preparing import prepared_context
from dokima.pricing.program import Run
from tests.books import DEMO
from tests.shell import run_here

WHO, WHAT = ("A", "B", None), ("x", "y", None)
DAYS = [datetime.date(2026, month, 1) for month in (1, 4, 7)]
ROWS = st.lists(
    st.fixed_dictionaries(
        {
            "who": st.sampled_from(["A", "B", "A|B", None]), "what": st.sampled_from(["x", "y", None]),
            "least": st.sampled_from([None, 5, 10]), "price": st.integers(1, 3),
            "since": st.sampled_from([None, *DAYS]), "until": st.sampled_from([None, *DAYS]),
        }
    ),
    min_size=1, max_size=6,
)  # fmt: skip
ASKED = st.fixed_dictionaries(
    {},
    optional={"who": st.sampled_from(WHO), "what": st.sampled_from(WHAT), "least": st.sampled_from([None, 1, 5, 20])},
)
CHOOSE = st.sampled_from([["most specific"], ["lowest price"], ["highest least", "lowest price"]])


def terms(rows, choose):
    return dokima.Rulebook.from_dict(
        {
            "rulebook": {"name": "x", "currency": "EUR"},
            "line": {"who": {}, "what": {}, "on": {"kind": "date"}},
            "table": {
                "terms": {
                    "match": {"who": "line.who", "what": "line.what"}, "breaks": {"least": "line.quantity"},
                    "window": {"on": "line.on", "from": "since", "until": "until"},
                    "columns": {"price": {"kind": "decimal"}}, **({"choose": choose} if choose else {}),
                }
            },
            "routine": {"r": {"step": [{"name": "price", "kind": "price", "options": [{"value": "terms.price"}]}]}},
        },
        tables={"terms": rows},
    )  # fmt: skip


@settings(max_examples=80, deadline=None)
@given(rows=ROWS, asked=ASKED, day=st.sampled_from([None, *DAYS]), choose=CHOOSE)
def test_every_row_that_wins_for_somebody_is_listed(rows, asked, day, choose):
    rules = terms(rows, choose)
    listed = {row["row in file"] for row in rules.rows("terms", asked, date=day)}
    ways = [[asked[name]] if name in asked else values for name, values in
            (("who", WHO), ("what", WHAT), ("least", (None, 1, 5, 20)))]  # fmt: skip
    days = DAYS if day is None else [day]
    tried = list(product(*ways, days))
    lines = [{"who": who, "what": what, "quantity": least, "on": on} for who, what, least, on in tried]
    orders = rules.orders([dokima.Order("O", lines=lines)])
    found = prepared_context(rules.program, orders, Run()).rows("terms")
    won = {rules.program.tables["terms"].source.row_number(row) for row in found.tolist() if row >= 0}
    assert won <= listed
    if len(tried) == 1:
        assert won == listed


def test_the_demo_is_browsed_by_its_own_columns():
    rules = dokima.load(DEMO)
    asked = {"customer": "FERNHOLT", "item": "PANE-T6", "min_quantity": 24}
    found = rules.rows("agreed", asked, date=datetime.date(2026, 3, 2))
    assert [(row["row in file"], row["unit"], row["price"]) for row in found] == [
        (3, "MTK", D(41)),
        (6, "C62", D("44.25")),
    ]
    status, out, _ = run_here(
        DEMO, "eval", "--rows", "agreed", "customer=FERNHOLT", "item=PANE-T6", "min_quantity=24", "--date", "2026-03-02",
        "--format", "csv",
    )  # fmt: skip
    assert (status, [line.rsplit(",", 3)[1] for line in out.splitlines()]) == (0, ["price", "41", "44.25"])
    for words, said in [
        (("agreed", "custmer=X"), "table 'agreed' has no column 'custmer'; did you mean 'customer'?"),
        (("agrd",), "there is no table 'agrd'; did you mean 'agreed'?"),
        (("agreed", "min_quantity=many"), "agreed.min_quantity: expected a number"),
    ]:
        status, _, err = run_here(DEMO, "eval", "--rows", *words)
        assert (status, said in err) == (2, True)
    with pytest.raises(dokima.DokimaError, match="--date is for --rows"):
        raise dokima.DokimaError(
            run_here(DEMO, "eval", "line.quantity", "orders/SQ-2041.json", "--date", "2026-01-01")[2]
        )
