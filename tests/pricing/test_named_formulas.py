"""Named formulas, which mean what their text in brackets means, and fields that are always worked out."""

from __future__ import annotations

from decimal import Decimal as D

import pytest

import dokima

SECTIONS = {
    "rulebook": {"name": "panes", "currency": "EUR"},
    "formula": {"area": "line.width * line.height", "agreed": "found(deal) and blank(line.price_override)",
                "either": "formula.agreed or formula.area > 5"},
    "line": {
        "width": {"kind": "decimal"}, "height": {"kind": "decimal"},
        "area": {"kind": "decimal", "value": "formula.area"},
        "kilos": {"kind": "decimal", "value": "line.area * item.weight"},
    },
    "table": {
        "item": {"key": {"item": "line.item"}, "columns": {"weight": {"kind": "decimal"}, "price": {"kind": "decimal"}}},
        "deal": {"key": {"item": "line.item"}, "columns": {"price": {"kind": "decimal"}}},
        "size": {"match": {"item": "line.item"}, "breaks": {"least": "formula.area"}, "columns": {"off": {"kind": "decimal", "default": 0}}},
    },
    "rule": [{"id": "large", "at": "save", "severity": "warning", "acknowledge": True, "when": "formula.area > 2",
              "require": "formula.agreed", "message": "{line.item}: {formula.area} m2"}],
    "routine": {"panes": {"step": [
        {"name": "price", "kind": "price",
         "options": [{"value": "deal.price * line.area"}, {"value": "item.price * line.kilos"}]},
        {"name": "off", "kind": "discount", "percent": "size.off", "when": "not formula.agreed"},
        {"name": "left", "kind": "figure", "value": "formula.area / line.net"},
    ]}},
}  # fmt: skip


def panes(weight="10", formula=None, **line):
    data = {**SECTIONS, "formula": {**SECTIONS["formula"], **(formula or {})}, "line": {**SECTIONS["line"], **line}}
    rows = {
        "item": [{"item": "A", "weight": weight, "price": "1"}],
        "deal": [{"item": "B", "price": "2.5"}],
        "size": [{"item": None, "least": "6", "off": "50"}],
    }
    return dokima.Rulebook.from_dict(data, tables=rows)


def line(item, **fields):
    return {"item": item, "quantity": 2, "width": 2, "height": 3, **fields}


def test_a_named_formula_means_its_text_in_brackets_wherever_it_stands():
    """A: 2 x 3 = 6 m2 of 10 kg at 1 is 60, twice is 120, less 50 %. B is agreed: 2 x 2.5 x 6 = 30. 60 / 6 needs brackets."""
    rules = panes(formula={"twice": "line.quantity + line.quantity"})
    calculation = rules.price(dokima.Order("P", lines=[line("A"), line("B")]))
    assert [priced.net for priced in calculation["P"].lines] == [D("60.00"), D("30.00")]
    assert [priced.figure("left") for priced in calculation["P"].lines] == [D("0.1"), D("0.2")]
    found = rules.check(dokima.Order("P", lines=[line("A"), line("B")]))
    assert [(finding.line, finding.message) for finding in found] == [("10", "A: 6 m2")]
    told = rules.evaluate("12 / formula.twice", dokima.Order("P", lines=[line("A")]), 10)
    assert (told.value, {each.name: each.value for each in told.read}["formula.twice"]) == (D(3), D(4))
    step = rules.explain(dokima.Order("P", lines=[line("A")]), 10, "off").to_dict()["steps"][0]
    assert step["read"]["formula.agreed"] == "false"
    assert "not formula.agreed" in [each["formula"] for each in step["formulas"]]


def test_another_text_of_a_named_formula_is_another_rule():
    """An acceptance stands as long as the rule says the same: a named formula is part of what it says."""
    order = dokima.Order("P", lines=[line("A")])
    editor = panes().edit(order, by="Ann")
    editor.acknowledge(editor.check("save")[0], "seen")
    assert not editor.check("save").stopping
    assert not panes().check(editor.order).stopping
    assert panes(formula={"agreed": "found(deal)"}).check(editor.order).stopping


def test_a_field_with_a_value_is_worked_out_and_never_given():
    order = dokima.Order("P", lines=[line("A"), line("B", area=6), line("B", area="6.5")])
    calculation = panes().price(order)
    assert [priced.area for priced in calculation["P"].lines] == [D(6), D(6), D(6)]
    assert [(each.line, each.message) for each in calculation.findings.errors] == [
        ("30", "area is given as 6.5 and worked out as 6")
    ]
    editor = panes().edit(order, by="Ann")
    with pytest.raises(dokima.Refused, match="'area' cannot be changed like a field here: it is always worked out"):
        editor.change_line(10, area=1)
    editor.change_line(10, width=4)
    assert editor.line(10).area == D(12)
    assert all("area" not in each.fields for each in editor.order.lines)
    (many,) = panes().edit_many([order], "set", "Ann", fields={"10.width": 4}).orders
    assert [each.fields for each in many.lines] == [each.fields for each in editor.order.lines]


def test_what_it_reads_of_tables_is_kept_with_agreed_terms():
    """Agreed at 10 kg: 120 x 50 %. By now the pane weighs 20 kg, which moves neither the price nor what is shown."""
    editor = panes().edit(dokima.Order("P", lines=[line("A")]), by="Ann")
    editor.acknowledge(editor.check("save")[0], "seen")
    editor.move_to("confirmed")
    later = panes("20").price(editor.order)
    assert (later["P"].totals.without_tax, later["P"].line(10).kilos) == (D("60.00"), D(60))
    assert panes("20").price(dokima.Order("P", lines=[line("A")]))["P"].totals.without_tax == D("120.00")
    # A width that moves calls for new figures although nobody gives the area.
    again = panes("20").edit(editor.order, by="Ben")
    again.change_line(10, width=4)
    assert again.totals.without_tax == D("120.00")


@pytest.mark.parametrize(
    ("changed", "said"),
    [
        ({"formula": {"a": "formula.b", "b": "1 + formula.a"}}, r"in a circle: formula.b -> formula.a -> formula.b"),
        ({"formula": {"a": "line.widht"}}, r"formula.a: there is no 'line.widht'; did you mean 'line.width'"),
        ({"formula": {"a": "1 +"}}, r"formula.a: this is not a formula"),
        ({"x": {"default": "formula.aera"}}, r"line.x.default: there is no named formula 'aera'; did you mean 'area'"),
        ({"x": {"value": "1", "default": "2"}}, r"line.x: a field with a 'value' is always worked out; it takes no 'default'"),
        ({"x": {"value": "'a'", "required": True}}, r"it takes no 'required'"),
        ({"quantity": {"kind": "decimal", "value": "1"}}, r"line.quantity.value: 'quantity' is given or kept by others"),
        ({"x": {"value": "run.user"}}, r"line.x.value: 'run.user' is not known here"),
        ({"x": {"kind": "decimal", "value": "line.net"}}, r"line.x.value: 'line.net' is a figure"),
        ({"x": {"default": "was.item"}}, r"line.x.default: 'was.item' is not known here: only rules see what was before"),
        ({"x": {"kind": "decimal", "value": "line.y"}, "y": {"kind": "decimal", "default": "line.x"}},
         r"in a circle: line.[xy] -> line.[xy] -> line.[xy]"),
        ({"drawn": {}}, r"line.drawn: 'drawn' says which values are drawn"),
    ],
)  # fmt: skip
def test_what_cannot_be_worked_out_is_a_load_error(changed, said):
    formula = changed.pop("formula", None)
    with pytest.raises(dokima.RulebookError, match=said):
        panes(formula=formula, **changed)


def test_a_table_cannot_be_called_formula():
    with pytest.raises(dokima.RulebookError, match="'formula' has a meaning of its own"):
        dokima.Rulebook.from_dict(
            {"rulebook": {"name": "x"}, "table": {"formula": {"key": {"item": "line.item"}}}},
            tables={"formula": [{"item": "A"}]},
        )
