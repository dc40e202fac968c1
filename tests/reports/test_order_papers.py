"""Papers that leave the house: what stands on them in every form and language, and what never does."""

import re

import docx
import pytest

import dokima
from tests.books import DEMO, book, routine
from tests.pdf import text_of
from tests.shell import run_here

LINES = [{"item": "PANE", "quantity": 3, "unit_cost": "30", "secret": "keep quiet", "shade": "green"}]
COST = {"name": "cost", "kind": "figure", "value": "line.quantity * line.unit_cost", "places": 2}
MARGIN = {"name": "margin", "kind": "figure", "value": "line.without_tax - line.cost", "places": 2}
FEE = {"name": "fee", "kind": "charge", "amount": "2", "internal": True}
VAT = {"name": "vat", "kind": "tax", "percent": "21"}
FIELDS = {"secret": {"internal": True}, "shade": {}, "guess": {"kind": "decimal", "default": "line.unit_cost * 2"}}


def quoting(title="Quotation", line=None, **paper):
    """A rulebook with one paper; the cost of a line is internal from the start, and so is what follows from it."""
    steps = routine(
        {"name": "price", "kind": "price", "options": [{"value": "item.list_price"}]}, FEE, VAT, COST, MARGIN
    )
    return book(line=line or FIELDS, routine=steps, paper={"quote": {"title": title, **paper}})


def order(number="SQ-1", **header):
    return dokima.Order(number, date="2026-03-02", customer="OAK", lines=LINES, **header)


def forms(report, folder):
    """What a reader finds in each form of a paper, blanks made one."""
    found = {
        "text": report.text,
        "html": re.sub("<style>.*</style>|<[^>]*>", " ", report.html, flags=re.S),
        "md": report.markdown,
    }
    found["pdf"] = text_of(report.write(folder / "p.pdf"))
    word = docx.Document(str(report.write(folder / "p.docx")))
    cells = [cell.text for table in word.tables for row in table.rows for cell in row.cells]
    heads = [
        each.text for section in word.sections for each in (*section.header.paragraphs, *section.footer.paragraphs)
    ]
    found["docx"] = "\n".join([*(each.text for each in word.paragraphs), *cells, *heads])
    return {form: " ".join(text.replace("\\", "").split()) for form, text in found.items()}


def test_it_says_the_same_in_every_form(tmp_path):
    """3 panes at 48.50 and a fee of 2.00: 147.50, tax 30.98, together 178.48."""
    rules = quoting(
        {"en": "Quotation", "de": "Angebot"},
        text={"en": "We offer to {header.customer}:", "de": "Wir bieten {header.customer} an:"},
        notes=[{"en": "In all {header.with_tax}.", "de": "Zusammen {header.with_tax}."}],
        columns=["number", "item", "shade", "quantity", "price", "net"],
        totals=["without_tax", "tax", "with_tax"],
        valid_until="add_days(header.date, 30)",
        sign=[{"en": "The buyer", "de": "Der Käufer"}],
    )
    priced = rules.price(order())
    english = ["Quotation", "SQ-1", "2026-04-01", "We offer to OAK:", "green", "48.50", "147.50", "In all 178.48.",
               "30.98", "178.48", "The buyer", "signature"]  # fmt: skip
    german = ["Angebot", "SQ-1", "01.04.2026", "Wir bieten OAK an:", "green", "48,50", "147,50", "Zusammen 178,48.",
              "30,98", "178,48", "Der Käufer", "Unterschrift"]  # fmt: skip
    for locale, facts in (("", english), ("de_DE", german)):
        for form, text in forms(dokima.paper(priced, "quote", locale=locale), tmp_path).items():
            shown = facts if form != "text" else facts[:-2]  # nobody signs in a terminal
            assert [fact for fact in shown if fact not in text] == [], form


def test_nothing_internal_stands_on_it_and_nothing_else_goes_out_with_it(tmp_path):
    """Neither costs nor a field that says so, nor what is worked out of one; not as JSON or CSV either."""
    rules = quoting(columns=["number", "item", "shade", "net"])
    assert {
        "line.unit_cost",
        "line.secret",
        "line.guess",
        "line.cost",
        "line.margin",
        "line.fee",
        "header.margin",
    } < set(rules.program.internal)
    assert "line.net" not in rules.program.internal
    report = dokima.paper(rules.price(order(budget="900")), "quote")
    for text in forms(report, tmp_path).values():
        assert [each for each in ("keep quiet", "90.00", "57.50", "margin", "900") if each in text] == []
    for ending in (".json", ".csv", ".xlsx"):
        with pytest.raises(dokima.NotFound, match=r"expected a report ending in \.html, \.pdf, \.md, \.docx \(got"):
            report.write(tmp_path / f"p{ending}")
    own = quoting(columns=["number", "secret", "cost", "margin"], internal=True)
    assert "keep quiet" in dokima.paper(own.price(order()), "quote").text


def test_an_order_with_errors_gets_a_draft_or_nothing(tmp_path):
    rules = quoting()
    wrong = dokima.Order("SQ-2", lines=[{"item": "FREE", "quantity": 1}])
    both = rules.price([order(), wrong])
    with pytest.raises(dokima.Refused, match=r"no quote of SQ-2 but as a draft .*: line 10: no price: "):
        dokima.paper(both["SQ-2"], "quote")
    for form, text in forms(dokima.paper(both["SQ-2"], "quote", draft=True), tmp_path).items():
        assert "draft" in text.lower(), form
    assert "draft" not in dokima.paper(both["SQ-1"], "quote").text
    with pytest.raises(dokima.DokimaError, match=r"expected one order for a paper \(got 2\)"):
        dokima.paper(both, "quote")
    with pytest.raises(dokima.NotFound, match=r"no paper 'quota'; did you mean 'quote'\?; there are quote"):
        dokima.paper(both["SQ-1"], "quota")


def test_an_agreed_order_shows_what_was_agreed():
    editor = quoting().edit(order(), by="Ada")
    editor.move_to("confirmed")
    dearer = quoting().with_tables(item=[{"item": "PANE", "list_price": "99", "tax_class": "standard"}])
    assert "48.50" in dokima.paper(dearer.price(editor.order), "quote").text


@pytest.mark.parametrize(
    ("paper", "path", "message"),
    [
        ({"columns": ["cost"]}, "columns", "'cost' is internal: only a paper that says internal = true shows it"),
        ({"columns": ["guess"]}, "columns", "'guess' is internal"),
        ({"columns": ["fee"]}, "columns", "'fee' is internal"),
        ({"fields": ["budget"]}, "fields", "'budget' is internal"),
        ({"text": "{header.budget}"}, "", "its texts read header.budget, which is internal"),
        ({"columns": ["shad"]}, "columns", "a field or figure of a line (got 'shad'; did you mean 'shade'?)"),
        ({"totals": ["with_tx"]}, "totals", "a total or figure of the order (got 'with_tx'; did you mean 'with_tax'?)"),
        ({"parties": ["buyer"]}, "parties", "one of customer, supplier, ship_to (got 'buyer')"),
        ({"text": {"en": "Hello"}, "notes": [{"de": "Gruß"}]}, "text", "a text for each language of this paper: de, en"),
        ({"text": {"english": "Hello"}}, "text", "expected a language such as en or de (got 'english')"),
        ({"text": {}}, "text", "expected a text, or texts by language"),
        ({"notes": ["{header.cusomer}"]}, "notes.0", "did you mean 'header.customer'?"),
        ({"valid_until": "header.customer"}, "valid_until", "must give a date"),
        ({"colums": []}, "colums", "did you mean 'columns'?"),
    ],
)  # fmt: skip
def test_what_does_not_load(paper, path, message):
    with pytest.raises(dokima.RulebookError) as caught:
        quoting(**paper)
    problems = [each for each in caught.value.problems if each.path.startswith(f"paper.quote.{path}".rstrip("."))]
    assert message in problems[0].message


def test_a_change_order_hides_what_is_internal():
    """A line of which only the cost and a secret moved is nobody else's concern; with costs it is told."""
    rules = quoting()
    change = rules.change(order(state="confirmed"), by="Ada")
    change.edit("Ada").change_line(10, secret="hush", unit_cost="31", shade="blue")
    told, own = (dokima.report(change, with_costs=costs) for costs in (False, True))
    assert ("hush" in told.text, "hush" in own.text, "blue" in told.text) == (False, True, True)
    assert ("hush" in told.json, "hush" in own.json, "blue" in told.json) == (False, True, True)


def test_a_change_order_shows_the_columns_that_are_asked_for():
    """The shade, which did not change, and the fee; what is internal only with costs, and nothing that is not there."""
    rules = quoting()
    change = rules.change(order(state="confirmed"), by="Ada")
    change.edit("Ada").change_line(10, quantity=4)
    assert "shade: green; tax: 41.16" in dokima.report(change, columns=["shade", "tax"]).html
    with pytest.raises(dokima.NotFound, match="'cost' is internal: only a report with costs shows it"):
        print(dokima.report(change, columns=["cost"]))
    assert "cost: 120.00" in dokima.report(change, columns=["cost"], with_costs=True).html
    with pytest.raises(dokima.NotFound, match="no field or figure 'shad' of a line; did you mean 'shade'"):
        print(dokima.report(change, columns=["shad"]))


def test_the_command_writes_one_or_many(tmp_path):
    status, out, _ = run_here(DEMO, "paper", "quotation", "orders/SQ-2041.json")
    assert (status, "valid until: 2026-04-01" in out, "margin" in out) == (0, True, False)
    status, _, said = run_here(
        DEMO, "paper", "quotation", "--orders", "orders", "--out", tmp_path / "all", "--as", "md"
    )
    written = sorted(each.name for each in (tmp_path / "all").iterdir())
    assert (status, len(written), "SQ-2041.md" in written, "SQ-2043.md" in written) == (1, 10, True, False)
    assert "error: no quotation of SQ-2043 but as a draft" in said
    draft = ["paper", "quotation", "orders/SQ-2043.json", "--draft", "--out", tmp_path / "q.html"]
    assert run_here(DEMO, *draft)[0] == 0
    assert 'class="watermark"' in (tmp_path / "q.html").read_text()
    status, _, said = run_here(DEMO, "paper", "quotation", "--orders", "orders", "--out", tmp_path / "one.pdf")
    assert (status, "expected a folder for 11 orders" in said) == (2, True)
    assert "no paper 'offer'" in run_here(DEMO, "paper", "offer", "orders/SQ-2041.json")[2]
