"""Rulebooks: what loads, what is refused and where the message takes its reader, and the same built in Python."""

import csv
import io
import json
import shutil
import tomllib
from decimal import Decimal
from pathlib import Path

import pytest

import dokima
from dokima.rulebook.places import line_of
from tests.books import DEMO, FIELDS, book, definition, routine


def as_data() -> tuple[dict, dict]:
    """The demo rulebook as plain data and its tables as lists of rows."""
    data = tomllib.loads((DEMO / "rulebook.toml").read_text(), parse_float=Decimal)
    tables = {}
    for name, table in data["table"].items():
        with (DEMO / table.pop("file")).open() as file:
            tables[name] = list(csv.DictReader(file))
    return data, tables


def test_the_same_rulebook_built_in_python_gives_equal_results():
    data, tables = as_data()
    loaded, built = dokima.load(DEMO), dokima.Rulebook.from_dict(data, tables=tables)
    orders = DEMO / "orders"

    assert [order.totals for order in built.price(orders)] == [order.totals for order in loaded.price(orders)]
    assert built.check(orders) == loaded.check(orders)
    assert repr(built) == "<Rulebook quillmere: 18 tables, 9 rules, 3 routines>"


def test_a_table_of_the_caller_stands_in_for_its_file():
    cheaper = [
        {"country": "NL", "tax_class": c, "valid_from": None, "percent": "1", "category": "S"}
        for c in ("standard", "installation")
    ]
    totals = dokima.load(DEMO, tables={"vat": cheaper}).price(DEMO / "orders" / "SQ-2041.json")["SQ-2041"].totals

    assert str(totals.tax) == "37.38"  # 1 % of 3737.51: one category and rate now, so one rounding


@pytest.fixture
def broken(tmp_path):
    """Edits a copy of the demo rulebook and returns the problems it then has."""
    folder = tmp_path / "book"
    shutil.copytree(DEMO, folder)

    def edit(*changes: tuple[str, str], file: str = "rulebook.toml") -> list[str]:
        path: Path = folder / file
        text = path.read_text()
        for old, new in changes:
            assert old in text
            text = text.replace(old, new, 1)
        path.write_text(text)
        with pytest.raises(dokima.RulebookError) as caught:
            dokima.load(folder)
        return [str(problem) for problem in caught.value.problems]

    return edit


def place(text: str) -> int:
    """The line of the demo rulebook that holds a text."""
    lines = (DEMO / "rulebook.toml").read_text().splitlines()
    return 1 + next(at for at, line in enumerate(lines) if text in line)


def test_every_problem_at_once_with_file_and_line(broken):
    """Shape, names and rows: each message names the place, what was expected and what came."""
    choose, at = 'choose = ["lowest price / base"]', 'at = "save"'
    found = broken((choose, 'chose = ["lowest price"]'), (at, f'{at}\nseverity = "fatal"'))

    assert found == [
        f"rulebook.toml line {place(choose)}, table.agreed.chose: "
        "expected a known key (got 'chose'; did you mean 'choose'?)",
        f"rulebook.toml line {place(at) + 1}, rule.pane-needs-crate.severity: "
        "expected 'error', 'warning' or 'notice' (got 'fatal')",
    ]


BAKED = """rulebook = { name = "baked", currency = "EUR" }
[table.items]
file = "items.csv"
match = { item = "line.item" }
[[rule]]
id = "sold"
at = "enter"
require = "items.price > 0"
message = "{line.item} is not sold here."
[routine.shop]
step = [{ name = "price", kind = "price", options = [{ value = "items.price" }] }]
"""


@pytest.mark.parametrize(
    ("cells", "problems"),
    [
        (
            "item;price\nBREAD;3,20\n",
            [
                "items.csv row 2, table.items: expected 1 cell (got 2)",
                "items.csv, table.items: expected a column 'item' (there is none, but one that says 'item;price': "
                'do semicolons separate the cells? separator = ";" says so)',
            ],
        ),
        (
            'item,price\nBREAD,3.20\nCAKE,"4,00"\n',
            [
                "rulebook.toml line 11, routine.shop.step.price.options.0.value: 'value' must give a number "
                "(this gives text: items.csv row 3 says '4,00'; decimal = \",\" in its layout or table reads it)\n    items.price\n    ^",
                "rulebook.toml line 8, rule.sold.require: '>' cannot compare 'items.price' (text: items.csv row 3 says "
                "'4,00'; decimal = \",\" in its layout or table reads it) with '0' (a whole number)\n    items.price > 0\n                  ^",
            ],
        ),
        ("", ["items.csv row 1, table.items.file: expected headings in row 1 (the row is empty)"]),
    ],
)
def test_a_table_that_cannot_be_used_is_the_only_thing_told(tmp_path, cells, problems):
    """What reads it has no mistake of its own: neither a rule of lines nor its message is judged without the table."""
    (tmp_path / "rulebook.toml").write_text(BAKED)
    (tmp_path / "items.csv").write_text(cells)
    with pytest.raises(dokima.RulebookError) as caught:
        dokima.load(tmp_path)
    assert [str(problem) for problem in caught.value.problems] == problems


def test_formulas_point_at_file_line_and_character(broken):
    found = broken(
        ('amount = "item.weight * line.quantity', 'amount = "item.wieght * line.quantity'),
        ('require = "line.quantity % 0.5 == 0"', "require = \"line.quantity > 'A'\""),
        ("{line.description} is sold", "{line.descripton} is sold"),
        (
            'on = "header.date" }\nbreaks = { min_quantity = "line.quantity" }',
            'on = "header.kind" }\nbreaks = { min_quantity = "line.quantity" }',
        ),
    )

    assert found == [
        f"rulebook.toml line {place('window = { from')}, table.agreed.window.on: this formula must give a date (this gives text)\n"
        "    header.kind\n    ^",
        f"rulebook.toml line {place('amount = ')}, routine.sales.step.freight.amount: "
        "table 'item' has no column 'wieght'; did you mean 'item.weight'?\n"
        "    item.wieght * line.quantity * (1 if line.unit == item.unit else 1 / size.holds) * value.freight_rate\n    ^",
        f"rulebook.toml line {place('line.quantity % 0.5')}, rule.half-days.require: "
        "'>' cannot compare 'line.quantity' (a number) with ''A'' (text)\n    line.quantity > 'A'\n                    ^",
        f"rulebook.toml line {place('{line.description} is sold')}, rule.half-days.message: "
        "there is no 'line.descripton'; did you mean 'line.description'?\n"
        "    {line.descripton} is sold by the half day: {line.quantity} is not a multiple of 0.5.\n     ^",
    ]


def test_bad_cells_name_file_row_and_column(broken):
    assert broken(("44.25", "abc"), ("2026-12-31,48", "2026-13-31,48"), file="tables/agreed_prices.csv") == [
        "tables/agreed_prices.csv row 4 column valid_until, table.agreed: expected a date such as 2026-03-02 (got '2026-13-31')",
        "tables/agreed_prices.csv row 6 column price, table.agreed: expected a number such as 44.25 (got 'abc')",
    ]


def test_bad_rows_keys_and_files(broken):
    assert broken(("VENT-R,Roof vent", "VENT-L,Roof vent"), file="tables/items.csv") == [
        "tables/items.csv row 13 column item, table.item: expected each key once (row 12 has the same)"
    ]
    assert broken(("VENT-L,Roof vent,vents", "VENT-R,Roof vent"), file="tables/items.csv") == [
        "tables/items.csv row 12, table.item: expected 8 cells (got 7)"
    ]


def test_toml_that_is_not_toml_names_the_line(broken):
    assert broken(('name = "quillmere"', 'name = "quillmere')) == [
        "rulebook.toml line 4: this is not TOML: illegal character '\\n' at column 18; a text that begins on a line ends on it, in "
        "the same quotes"
    ]
    assert broken(('name = "quillmere', 'name = "header.date > date("2026-01-01")"')) == [
        "rulebook.toml line 4: this is not TOML: expected newline or end of document after a statement at column 29; within "
        "double quotes stand single ones: \"date('2026-03-02')\""
    ]


def test_missing_files_and_folders(broken, tmp_path):
    assert broken(('file = "tables/vat.csv"', 'file = "tables/vta.csv"')) == [
        "tables/vta.csv, table.vat.file: cannot be read: No such file or directory"
    ]
    with pytest.raises(dokima.RulebookError, match="expected a folder with rulebook.toml .there is no such folder"):
        dokima.load(tmp_path / "nowhere")


def test_several_files_form_one_rulebook(tmp_path):
    folder = tmp_path / "book"
    shutil.copytree(DEMO, folder)
    text = (folder / "rulebook.toml").read_text()
    cut = text.index("# -- rules")
    (folder / "rulebook.toml").write_text(text[:cut])
    (folder / "more.toml").write_text(text[cut:])
    assert dokima.load(folder).check(DEMO / "orders") == dokima.load(DEMO).check(DEMO / "orders")
    (folder / "again.toml").write_text(
        '[value]\nfreight_rate = 1\n\n[[rule]]\nid = "x"\nat = "never"\nrequire = "1 == 1"\n'
    )
    with pytest.raises(
        dokima.RulebookError, match="value.freight_rate: expected it once .it stands in rulebook.toml already"
    ):
        dokima.load(folder)
    (folder / "again.toml").write_text('[[rule]]\nid = "x"\nat = "never"\nrequire = "1 == 1"\n')
    with pytest.raises(dokima.RulebookError, match="again.toml line 3, rule.x.at: expected moments: edit, enter"):
        dokima.load(folder)


@pytest.mark.parametrize(
    ("section", "message"),
    [
        ({"rulebook": {"nme": "x"}}, "rulebook.nme: expected a known key (got 'nme'; did you mean 'name'?)"),
        ({"tabel": {}}, "tabel: expected a known key (got 'tabel'; did you mean 'table'?)"),
        ({"table": {"found": {"key": {"a": "line.item"}}}}, "table.found: 'found' has a meaning of its own in formulas"),
        ({"table": {"x": {"key": {"a": "line.item"}, "match": {}}}}, "table.x: expected either 'key' or 'match'"),
        ({"table": {"x": {"key": {"a": "line.item"}}}}, "table.x: expected rows for table 'x'"),
        ({"line": {"amount": {}}}, "line.amount: 'amount' is a figure every routine leaves"),
        ({"line": {"a": {"kind": "number"}}}, "line.a.kind: expected 'text', 'decimal', 'integer', 'date' or 'flag' (got 'number')"),
        ({"line": {"a": {"kind": "decimal", "floats": "round"}}}, "floats = 'round' needs 'places' to round to"),
        ({"line": {"quantity": {"floats": "round"}}}, "line.quantity: floats = 'round' needs 'places' to round to"),
        ({"line": {"a": {"default": "line.quantity"}}}, "this default must give text (this gives a number)"),
        ({"header": {"a": {"default": "line.item"}}}, "this default is worked out once per order"),
        ({"routine": {"sales": {"step": [], "rounding": "halfup"}}}, "expected a rounding mode: half-up, half-even"),
        ({"line": {"a": {"kind": "decimal", "default": "line.net"}}}, "'line.net' is a figure, which cannot be read here"),
        ({"rule": [{"id": "a", "at": "save", "require": "1 == 1"}] * 2}, "rule.a: expected each id once (got 'a' 2 times)"),
        ({"rule": [{"id": "a", "at": "save", "require": "True", "message": "{x"}]}, "expected a closed pair of braces"),
        ({"layout": {"l": {"header": {"number": "n"}, "line": {"number": "p", "itm": "i"}}}}, "expected a line field (got 'itm'; did you mean 'item'?)"),
        ({"layout": {"l": {"header": {}, "line": {"number": "p"}}}}, "expected a column for 'header.number'"),
        ({"layout": {"l": {"header": {"number": "n"}, "line": {"item": {"from": "i", "choices": ["a"]}}}}},
         "layout.l.line.item.choices: expected a known key (got 'choices'; what a field holds is said in [line.item])"),
        ({"layout": {"l": {"header": {"number": "n"}, "line": {}, "header_once": True, "files": {"headers": "a.csv", "lines": "b.csv"}}}},
         "expected 'header_once' of rows that hold both header and line"),
        ({"layout": {"l": {"decimal": ",", "thousands": ",", "header": {"number": "n"}, "line": {"number": "p"}}}}, "marks must differ"),
    ],
)  # fmt: skip
def test_sections_that_cannot_work(section, message):
    with pytest.raises(dokima.RulebookError) as caught:
        book(**section)

    assert message in str(caught.value)


def test_rows_for_a_table_that_is_not_there():
    with pytest.raises(
        dokima.RulebookError, match="rows were given for 'rates', which is no table; did you mean 'rate'"
    ):
        dokima.Rulebook.from_dict(definition(), tables={"item": [], "rate": [], "rates": []})


@pytest.mark.parametrize(
    ("text", "messages"),
    [
        ("", ["rulebook.toml, rulebook: expected this key (it is missing)"]),
        ("# to be written\n\n", ["rulebook.toml, rulebook: expected this key (it is missing)"]),
        ("name = 'depot'\n", ["rulebook.toml, rulebook: expected this key (it is missing)", "rulebook.toml line 1, name: expected a known key (got 'name')"]),
    ],
)  # fmt: skip
def test_a_rulebook_without_any_section_says_what_is_missing(tmp_path, text, messages):
    (tmp_path / "rulebook.toml").write_text(text)
    with pytest.raises(dokima.RulebookError) as caught:
        dokima.load(tmp_path)
    assert [str(problem) for problem in caught.value.problems] == messages


def test_finding_a_key_in_toml():
    text = '[a]\nx = 1\n[a.b]\ny = {z = 2}\n[[rule]]\nid = "r"\nwhen = "q"\n'
    assert [line_of(text, path) for path in ("a.x", "a.b.y.z", "rule.r.when", "rule.none", "c", "")] == [
        2,
        4,
        7,
        None,
        None,
        None,
    ]


# -- rules ----------------------------------------------------------------------------------------------------


def said(rules: list[dict], *lines: dict, at: str = "save", **header) -> list[tuple[str, str, str]]:
    tried = book(**FIELDS, rule=rules, routine=routine({"name": "fee", "kind": "charge", "amount": "2"}))
    order = dokima.Order("A", lines=lines, **header)
    return [(f.rule, f.line, f.message) for f in tried.check(order, at=at)]


def test_undecided_is_an_error_and_says_which_value_is_blank():
    rules = [
        {"id": "a", "at": "save", "severity": "notice", "require": "header.country in ['NL']", "message": "Only here."},
        {"id": "b", "at": "enter", "when": "line.fitted", "require": "line.weight / line.boxes < 10"},
        {"id": "c", "at": "save", "require": "sum(line.weight) < 100", "message": "{sum(line.weight)} is {{heavy}}."},
    ]
    lines = ({"weight": 5, "boxes": 0, "fitted": True}, {"weight": None, "boxes": 1, "fitted": False})

    assert said(rules, *lines) == [
        ("a", "", "Only here. (could not be decided: header.country is blank)"),
        ("c", "", "blank is {heavy}. (could not be decided: line.weight is blank on line 20)"),
        ("b", "10", "b does not hold. (could not be decided: division by zero in 'line.weight / line.boxes')"),
    ]
    assert [f.severity for f in book(**FIELDS, rule=rules).check(dokima.Order("A"))] == ["error"]


def test_moments_nest_and_a_rule_is_asked_once():
    rules = [
        {"id": "entered", "at": ["enter", "save"], "require": "line.quantity > 0"},
        {"id": "approved", "at": "approve", "require": "header.rush"},
        {"id": "closed", "at": "close", "require": "False"},
    ]
    line = {"quantity": -1}
    assert [rule for rule, *_ in said(rules, line, at="enter")] == ["entered"]
    assert [rule for rule, *_ in said(rules, line, at="save")] == ["entered"]
    assert [rule for rule, *_ in said(rules, line, at="approve", rush=False)] == ["approved", "entered"]
    assert [rule for rule, *_ in said(rules, line, at="close")] == ["closed"]


def test_a_rule_about_figures_runs_the_routine_first():
    rules = [
        {
            "id": "cheap",
            "at": "save",
            "when": "line.fee > 1",
            "require": "line.net > 5",
            "message": "{line.net} of {header.net}",
        },
        {"id": "no-parent", "at": "save", "require": "not line.is_parent", "parents": "also"},
    ]
    lines = ({"number": "10"}, {"number": "10/10", "quantity": 2}, {"number": "20", "quantity": 9})

    assert said(rules, *lines) == [
        ("no-parent", "10", "no-parent does not hold."),
        ("cheap", "10/10", "4.00 of 15.00"),
    ]


def test_a_rule_about_a_figure_runs_only_the_steps_it_needs():
    """The fee is known before the broken step after it, which would leave the order without totals."""
    steps = routine(
        {"name": "fee", "kind": "charge", "amount": "2"},
        {"name": "broken", "kind": "charge", "amount": "1 / 0"},
        {"name": "vat", "kind": "tax", "percent": "21"},
    )
    (early, late) = (
        {"id": i, "at": "save", "require": f"{i} < 2", "message": "{" + i + "}"} for i in ("header.fee", "header.net")
    )
    tried = book(rule=[early, late], routine=steps)
    found = tried.check(dokima.Order("A", lines=[{"quantity": 1}, {"quantity": 2}]))

    assert [(f.rule, f.message) for f in found] == [
        ("header.fee", "4.00"),
        ("header.net", "blank (could not be decided: header.net is blank)"),
    ]
    sales = tried.program.routines[0]
    assert [sales.steps_for([n]) for n in ("line.price", "header.fee", "line.net", "line.vat", "line.with_tax")] == [
        1,
        2,
        3,
        4,
        4,
    ]


def test_findings_can_be_filtered_and_written():
    found = dokima.load(DEMO).check(DEMO / "orders")

    assert found.errors == found
    assert found.of("SQ-2043", "30")[0].to_dict()["values"] == {"line.unit": "DAY", "line.quantity": "1.25"}
    assert json.loads(dokima.to_json(found))["findings"] == found.to_dicts()
    assert [row["rule"] for row in csv.DictReader(io.StringIO(dokima.to_csv(found)))] == [f.rule for f in found]
    assert list(found.to_frame()["rule"]) == ["pane-needs-crate", "half-days", "manual-price-reason"]
    assert len(dokima.load(DEMO).check(DEMO / "orders", rule="half-days")) == 1
    with pytest.raises(dokima.NotFound, match="there is no rule 'half-day'; did you mean 'half-days'"):
        dokima.load(DEMO).check(DEMO / "orders", rule="half-day")


@pytest.mark.parametrize(
    ("old", "new", "message"),
    [
        (
            'sales = "split"',
            'sales = "splt"',
            "line 50, changes.settle.sales: expected 'amend' or 'split' (got 'splt')",
        ),
        (
            'settle = { sales = "split", purchase = "amend", works = "amend" }',
            'settle = "splt"',
            "line 50, changes.settle: expected",
        ),
        (
            'kind = "advance", percent',
            'kind = "advance", per_unit',
            "an advance step takes percent, of, when, rounding",
        ),
        ('share = "header.advance"', 'share = "header.advanse"', "instalments.0.share: there is no 'header.advanse'"),
        (
            '{ price = "exchange.rate" }',
            '{ prise = "exchange.rate" }',
            "table.bought.convert.prise: expected a number column",
        ),
        ('{ cost = "item.unit_cost" }', '{ cost = "itm.unit_cost" }', "table.assembly.roll_up.cost: expected a number"),
        (
            'amount = "parent.site_allowance"',
            'amount = "line.site_allowance"',
            "step.site.amount: a step of the parent reads",
        ),
        (
            'rate = "to_pound.rate"',
            'rate = "to_pound.rat"',
            "rulebook.reporting.rate: table 'to_pound' has no column 'rat'",
        ),
        (
            "[letterhead]",
            '[terms]\nreprice_on = ["itm"]\n[letterhead]',
            "terms.reprice_on: expected a field such as item",
        ),
    ],
)
def test_the_newer_sections_take_you_to_the_place(tmp_path, old, new, message):
    folder = tmp_path / "q"
    shutil.copytree(DEMO, folder)
    text = (folder / "rulebook.toml").read_text()
    assert old in text
    (folder / "rulebook.toml").write_text(text.replace(old, new, 1))
    with pytest.raises(dokima.RulebookError) as broken:
        dokima.load(folder)
    assert message in str(broken.value)
    assert "literal[" not in str(broken.value)
    assert all(problem.text_line for problem in broken.value.problems)


@pytest.mark.parametrize("file", sorted(each.name for each in (DEMO / "tables").iterdir()))
def test_a_table_that_cannot_be_read_is_told_and_nothing_that_follows_from_it(tmp_path, file):
    """One message a table that reads the file, and one for the slip that is none of its consequences."""
    folder = tmp_path / "book"
    shutil.copytree(DEMO, folder)
    (folder / "tables" / file).unlink()
    text = (folder / "rulebook.toml").read_text()
    (folder / "rulebook.toml").write_text(text.replace("value.freight_rate", "value.freight_rat", 1))
    with pytest.raises(dokima.RulebookError) as raised:
        dokima.load(folder)
    told = [str(problem) for problem in raised.value.problems]
    lost = [each for each in told if f"tables/{file}" in each and "cannot be read: No such file" in each]
    assert len(lost) == text.count(f'"tables/{file}"') >= 1
    assert [each for each in told if each not in lost and "there is no named value 'freight_rat'" not in each] == []
    assert len(told) == len(lost) + 1


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('[rule]\nid = "a"', r"line 3, rule: expected a list of entries, each begun by [[rule]] (got {'id': 'a'})"),
        ('[[rule]]\nid = "a"\nat = 7\nrequire = [1]', "line 6, rule.a.require: expected a text, true or false, a number (got [1])"),
        ('[table.item]\ncolumns = { kg = "decimal" }', "table.item.columns.kg: expected settings such as { kind = ..., places = ..., required = ... } (got 'decimal')"),
        ('[routine.s.step]\nname = "price"', "routine.s.step: expected a list of entries, each begun by [[routine.s.step]] (got {'name': 'price'})"),
        ('[[routine.s.step]]\nname = "price"\nkind = "price"\noptions = ["item.price"]', "step.price.options.0: expected settings such as { value = ..., amount = ..., base = ... } (got 'item.price')"),
        ("[line.x]\nkind = 'decimal'\nplaces = 'two'", "line 5, line.x.places: expected a whole number (got 'two')"),
        ("[[rule]]\nid = 'a'\nat = 'save'\nrequire = 'True'\nacknowledge = 'yes please'", "rule.a.acknowledge: expected true or false (got 'yes please')"),
    ],
)  # fmt: skip
def test_settings_of_a_wrong_kind_are_told_in_the_words_of_their_author(tmp_path, text, said):
    (tmp_path / "rulebook.toml").write_text(f"[rulebook]\nname = 'x'\n{text}\n")
    with pytest.raises(dokima.RulebookError) as raised:
        dokima.load(tmp_path)
    assert said in str(raised.value)
    assert "pydantic" not in str(raised.value)


def test_entries_of_lists_with_headings_of_their_own_are_found_by_place_id_or_name():
    text = "\n".join(
        ["top = 1", "[[routine.sales.step]]", "name = 'price'", "kind = 'price'", "[[routine.sales.step.options]]", "value = '1'",
         "[[routine.sales.step.options]]", "value = '2'", "[[routine.sales.step]]", "kind = 'tax'", "name = \"vat\"", "percent = '21'",
         "[[routine.buy.step]]", "name = 'vat'", "percent = '9'", "['routine'.\"buy\"]", "rounding = 'up'", "[[rule]]", "id = 'a'", "[[rule]] # b", "at = 'save'"]
    )  # fmt: skip
    for path, line in {
        "top": 1, "routine.sales.step.price.kind": 4, "routine.sales.step.price.options.1.value": 8, "routine.sales.step.vat": 9,
        "routine.sales.step.1.percent": 12, "routine.buy.step.vat.percent": 15, "routine.buy.step.vat.none": 13,
        "routine.buy.rounding": 17, "rule.a": 18, "rule.1.at": 21, "rule": 18, "rule.nobody": None, "value.x": None,
    }.items():  # fmt: skip
        assert (path, line_of(text, path)) == (path, line)
