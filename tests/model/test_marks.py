"""Numbers in text as people write them: what stands beside them, and where their minus stands."""

import datetime
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

import dokima
from dokima.model.fields import Field
from dokima.model.values import BadValue, ValueReader
from tests.books import book, routine

D = Decimal
NUMBER = Field("x", "decimal")
WAYS = {
    "before": ["{m}{n}", "{m}{n} €", "€ {m}{n}", "{m}€ {n}", "{m}{n}€"],
    "after": ["{n}{m}", "{n}{m} €", "{n} €{m}", "€ {n}{m}", "{m}{n} €"],
    "brackets": ["({n})", "({n} €)", "({n}) €", "€ ({n})", "(€{n})", "-{n} €"],
}


@given(st.sampled_from(sorted(WAYS)), st.integers(0, 4), st.integers(0, 10**9), st.booleans())
def test_a_number_is_read_whatever_stands_beside_it(minus, way, cents, is_negative):
    reader = ValueReader(decimal=",", thousands=".", beside=["€"], minus=minus)
    plain = f"{D(cents) / 100:,.2f}".translate(str.maketrans(",.", ".,"))
    form = WAYS[minus][way] if is_negative else WAYS["before"][way]
    units, places = reader.read(NUMBER, form.format(n=plain, m="-" if is_negative else ""))
    assert D(units).scaleb(-places) == D(-cents if is_negative else cents) / 100


@pytest.mark.parametrize("text", ["5 € €", "5 $", "--5", "(5", "-5-", "€", "5-", "5 % €"])
def test_what_else_stands_there_is_refused(text):
    reader = ValueReader(beside=["€", "%"], minus="brackets")
    with pytest.raises(BadValue, match="expected an? (exact )?number"):
        reader.read(NUMBER, text)


def test_layouts_and_tables_say_what_stands_beside_numbers(tmp_path):
    (tmp_path / "lines.csv").write_text("order,line,item,quantity\nA,10,PANE,(2 pcs)\n", encoding="utf-8")
    own = {"header": {"number": "order"}, "line": {"number": "line", "item": "item", "quantity": "quantity"}}
    steps = routine(
        {"name": "price", "kind": "price", "options": [{"value": "prices.price"}]},
        {"name": "discount", "kind": "discount", "percent": "prices.off"},
    )
    layout = {"theirs": {**own, "beside": "pcs", "minus": "brackets"}}

    def rules(price, off, **how):
        rows = {"prices": [{"item": "PANE", "price": price, "off": off}]}
        return book(rows, table={"prices": {"key": {"item": "line.item"}, **how}}, layout=layout, routine=steps)

    dressed = rules("£12.50", "5 %", beside=["£", "%"])
    assert dressed.price(tmp_path / "lines.csv", layout="theirs")["A"].totals.with_tax == D("-23.75")
    with pytest.raises(
        dokima.RulebookError, match=r"row 2 says '£12.50'; beside = .\"£\". in its layout or table reads it"
    ):
        rules("£12.50", "5 %")
    # A rulebook that says what is meant anyway is the same rulebook.
    assert rules("12.50", "5", minus="before", beside=[]).fingerprint == rules("12.50", "5").fingerprint


@pytest.mark.parametrize(
    ("thousands", "text"),
    [(" ", "1 234 567,50"), (" ", "1\u202f234\u202f567,50"), (" ", "1\u00a0234\u00a0567,50"), ("\u202f", "1 234 567,50"),
     ("'", "1\u2019234\u2019567,50"), ("\u2019", "1'234'567,50")],
)  # fmt: skip
def test_thousands_stand_apart_by_whatever_space_or_apostrophe_a_country_writes(thousands, text):
    reader = ValueReader(decimal=",", thousands=thousands, beside=["€"])
    assert reader.read(NUMBER, text) == reader.read(NUMBER, f"{text}\u00a0€") == (12345675, 1)
    with pytest.raises(BadValue, match="expected a number such as"):
        reader.read(NUMBER, text.replace("567", "56"))


def test_an_export_from_france_is_read_as_init_proposes_it(tmp_path):
    rows = [f"C{at // 3};{at % 3 + 1};P{at % 4};{at % 5 + 1};1\u202f{at % 4}50,00;" for at in range(30)]
    amounts = [f"{(at % 5 + 1) * (1050 + at % 4 * 100):,}".replace(",", "\u202f") + ",00" for at in range(30)]
    lines = "\n".join(f"{row}{amount}" for row, amount in zip(rows, amounts, strict=True))
    (tmp_path / "fr.csv").write_text(f"Commande;Ligne;Article;Quantité;Prix;Montant\n{lines}\n", encoding="utf-8")
    found = dokima.begin(tmp_path / "book", [tmp_path / "fr.csv"])
    assert (found.reproduced, found.different) == (30, [])


def test_dates_in_several_forms_and_one_that_could_be_two_days():
    reader = ValueReader(dates=("%d.%m.%Y", "%Y-%m-%d"))
    field = Field("date", "date")
    assert reader.read(field, "02.03.2026") == reader.read(field, "2026-03-02") == datetime.date(2026, 3, 2)
    with pytest.raises(BadValue, match=r"expected a date such as 02.03.2026 or 2026-03-02 .got 'soon'."):
        reader.read(field, "soon")
    with pytest.raises(BadValue, match=r"which is 2026-04-03 or 2026-03-04"):
        ValueReader(dates=("%d/%m/%Y", "%m/%d/%Y")).read(field, "03/04/2026")
    assert ValueReader(dates=("%d/%m/%Y", "%m/%d/%Y")).read(field, "03/03/2026") == datetime.date(2026, 3, 3)


def test_a_part_of_a_cell_is_meant_and_such_a_column_is_never_written(tmp_path):
    pattern = r"(?P<title>.*) \((?P<customer>.*)\)"
    header = {"number": "order", **{name: {"from": "Kunde", "pattern": pattern} for name in ("customer", "title")}}
    layout = {"export": {"header": header, "line": {"number": "line", "item": "sku", "quantity": "qty"}}}
    rules = book(header={"title": {}}, layout=layout)
    (tmp_path / "a.csv").write_text("order,Kunde,line,sku,qty\n1,Acme Ltd (ACME),10,PANE,2\n")
    orders = rules.orders(tmp_path / "a.csv", "export")
    assert (orders.header("customer").to_list(), orders.header("title").to_list()) == (["ACME"], ["Acme Ltd"])
    with pytest.raises(dokima.DokimaError, match="reads header.customer as a part of its cells; write JSON"):
        dokima.write_orders(orders, tmp_path / "b.csv", rules, "export")
    for wrong, said in (("(", "expected a regular expression in 'pattern'"), ("abc", "expected a group in 'pattern'")):
        header["customer"] = {"from": "Kunde", "pattern": wrong}
        with pytest.raises(dokima.RulebookError, match=f"header.customer: {said}"):
            book(header={"title": {}}, layout=layout)
