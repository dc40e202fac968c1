"""JSON Schema of rulebooks and orders, and the page of all settings: what editors check is what Dokima reads."""

import copy
import json
import tomllib
from decimal import Decimal
from pathlib import Path

import jsonschema
import pytest

import dokima
from dokima.rulebook.adapters import model_of
from dokima.rulebook.schema import order_schema, rulebook_schema, settings_page
from dokima.rulebook.sections import RulebookSections
from tests.books import DEMO
from tests.shell import run_here

SCHEMA = jsonschema.Draft202012Validator(rulebook_schema())
DATA = json.loads(json.dumps(tomllib.loads((DEMO / "rulebook.toml").read_text()), default=str))


def test_every_setting_is_described():
    parts = {"the whole": rulebook_schema(), **rulebook_schema()["$defs"]}
    bare = [
        (name, key)
        for name, part in parts.items()
        for key, each in part.get("properties", {}).items()
        if not each.get("description")
    ]
    assert bare == []
    assert len(parts) > 20


def test_the_demo_is_valid_and_a_slip_is_found_where_it_stands():
    jsonschema.Draft202012Validator.check_schema(rulebook_schema())
    SCHEMA.validate(DATA)
    for path, value in (
        (("table", "item", "fiel"), "x"),
        (("rule", 0, "severity"), "eror"),
        (("routine", "sales", "step", 1, "kind"), "subtotl"),
        (("changes", "settle"), "splt"),
        (("rulebook", "name"), None),
    ):
        wrong = copy.deepcopy(DATA)
        place = wrong
        for part in path[:-1]:
            place = place[part]
        place[path[-1]] = value
        (error, *_) = SCHEMA.iter_errors(wrong)
        assert tuple(error.absolute_path)[: len(path) - 1] == path[:-1]
        with pytest.raises(dokima.RulebookError, match=rf"(?m)^- {'.'.join(map(str, path[:1]))}.*expected"):
            dokima.Rulebook.from_dict(json.loads(json.dumps(wrong), parse_float=Decimal), tables=_tables())


def _tables():
    return {name: [{"x": 1}] for name in DATA["table"]}


def test_orders_that_are_read_are_valid_and_the_others_are_not():
    book = dokima.load(DEMO)
    schema = jsonschema.Draft202012Validator(order_schema(book.program))
    files = sorted((DEMO / "orders").glob("*.json"))
    for file in files:
        schema.validate(json.loads(file.read_text()))
    order = json.loads(files[0].read_text())
    for wrong in (
        {**order, "dat": "2026-03-02"},
        {**order, "kind": "sale"},
        {**order, "date": "2 March"},
        {**order, "lines": [{**order["lines"][0], "quantity": "many"}]},
        {**order, "lines": [{**order["lines"][0], "colour": "red"}]},
        {name: value for name, value in order.items() if name != "kind"},
    ):
        assert list(schema.iter_errors(wrong))
        assert book.orders(dokima.Order.from_dict(wrong)).problems


def test_the_command_prints_them_and_the_page_of_settings_is_not_stale():
    assert json.loads(run_here(DEMO, "schema", "rulebook")[1]) == rulebook_schema()
    assert json.loads(run_here(DEMO, "schema", "order")[1])["title"] == "An order of the rulebook quillmere"
    page = Path(__file__).parents[2] / "docs" / "settings.md"
    assert run_here(DEMO, "schema", "rulebook", "--format", "markdown")[1] == settings_page()
    assert page.read_text(encoding="utf-8") == settings_page(), "dokima schema rulebook -f markdown > docs/settings.md"
    assert {*model_of(RulebookSections).model_fields} <= {
        row.split("`")[1] for row in settings_page().splitlines() if row.startswith("| `")
    }
