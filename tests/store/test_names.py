"""Names of fields, schemas and prefixes: whatever they are, a store keeps them, and no statement is made of them."""

from __future__ import annotations

import uuid

import pytest
import sqlalchemy as sa
from hypothesis import given
from hypothesis import strategies as st

import dokima
from dokima.formats.database_urls import place_of as database_of
from dokima.store.database.column_names import SYSTEM, folded, names_of_columns
from tests.store.test_places import order, small

ODD = [
    "limit",
    "group",
    "table",
    "select",
    "order",
    "check",
    "primary",
    "end",
    "user",
    "offset",
    "Budget2",
    "ctid",
    "xmin",
    "tableoid",
    "rowid",
    "number_key",
    "absent",
    "id",
    "place",
    "order_id",
    "routine",
    "total_tax",
    "figure_net",
    "field_id",
    "Quantity",
    "QUANTITY",
    "straße",
    "default",
    "user_id",
]
KINDS = ("decimal", "integer", "text", "flag", "date")
VALUE = {"decimal": "1.5", "integer": "7", "text": "x", "flag": True, "date": "2026-03-02"}


@pytest.mark.parametrize("kind", KINDS)
def test_a_field_may_have_any_name(database, kind):
    fields = {name: {"kind": kind} for name in ODD}
    book = small(header=fields, line=fields)
    store = database.create(book)
    values = dict.fromkeys(ODD, VALUE[kind])
    blank = {**values, "ctid": None, "Quantity": None}
    for number, given_values in (("A", values), ("B", blank)):
        one = order(number, **given_values)
        one.lines[0].fields |= given_values
        store.save(one, "Ada")
        store.save(store.order(number), "Ben")
        kept = database.open(book).order(number)
        for found in (kept.header, kept.lines[0].fields):
            assert {n: found[n] if found[n] in (None, True) else str(found[n]) for n in ODD} == given_values
        assert "requested_by" not in kept.header, "what was never given is absent"
    assert list(dokima.check_store(database.where, book, schema=database.schema)) == []
    assert dokima.upgrade_store(database.where, book, schema=database.schema) == []
    kind_of = {"postgres": "postgresql"}.get(database.kind, database.kind)
    said = dokima.store_sql(book, kind_of)
    for column in ("field_ctid", "field_number_key", "field_total_tax", "field_field_id", "field_quantity_caps_1"):
        assert f"{column} " in said


def test_a_field_that_comes_later_takes_no_column_of_another(database):
    """First there is Colour. Then colour comes, which SQLite cannot tell from it; then Colour goes."""
    all_names = (["Colour"], ["Colour", "colour"], ["colour"])
    first, both, second = (small(line={name: {} for name in names}) for names in all_names)
    store = database.create(first)
    one = order("A")
    one.lines[0].fields["Colour"] = "green"
    store.save(one, "Ada")
    with pytest.raises(dokima.DokimaError, match="dokima store upgrade adds what the rulebook has won"):
        database.open(both).order("A")
    dokima.upgrade_store(database.where, both, schema=database.schema)
    store = database.open(both)
    with store.edit("A", by="Ben") as editor:
        assert editor.order.line("10").fields.get("colour") is None
        editor.change_line(10, colour="red")
    line = store.order("A").line("10")
    assert (line["Colour"], line["colour"]) == ("green", "red")
    assert database.open(second).order("A").line("10")["colour"] == "red"
    assert database.open(first).order("A").line("10")["Colour"] == "green"


@given(st.lists(st.text("aAbB_ßéÉ", min_size=1, max_size=3), max_size=12), st.sets(st.sampled_from(["id", "A", "b"])))
def test_no_two_fields_share_a_column(names, own):
    found = names_of_columns(own, names)
    columns = [folded(column) for column in found.values()]
    assert list(found) == sorted(set(names), key=lambda name: (name != folded(name), name))
    assert len(set(columns)) == len(columns)
    assert not set(columns) & {*SYSTEM, *map(folded, own)}
    assert names_of_columns(own, reversed(names)) == found


NASTY = 'x"; DROP TABLE public.victim; --'


def test_a_schema_and_a_prefix_are_names_and_no_statements(server, tmp_path):
    engine = sa.create_engine(database_of(server.url()).url, poolclass=sa.NullPool)
    with engine.begin() as connection:
        connection.exec_driver_sql("CREATE TABLE IF NOT EXISTS public.victim (a integer)")
    nasty = f"{uuid.uuid4().hex[:6]}.{NASTY}"
    for schema, prefix in ((nasty, ""), ("", nasty[:20]), (nasty, NASTY[:8])):
        with dokima.create_store(server.url(), small(), schema=schema, prefix=prefix) as store:
            store.save(order("A"), "Ada")
            assert list(dokima.check_store(server.url(), small(), schema=schema, prefix=prefix)) == []
        changed = small(line={"won": {}})
        (added,) = dokima.upgrade_store(server.url(), changed, schema=schema, prefix=prefix)
        assert added.endswith('ADD COLUMN won VARCHAR COLLATE "C"')
    with dokima.create_store(f"sqlite:///{tmp_path}/o.db", small(), prefix=NASTY) as store:
        store.save(order("A"), "Ada")
    with engine.begin() as connection:
        assert connection.exec_driver_sql("SELECT count(*) FROM public.victim").scalar() == 0


@pytest.mark.parametrize("name", ["x" * 64, "ü" * 32, "a\0b", "\ud800"])
def test_names_that_no_database_keeps_are_refused(tmp_path, name):
    said = "at most 63 bytes" if len(name) > 3 else "expected the name of a"
    for more in ({"schema": name}, {"prefix": name}):
        with pytest.raises(dokima.DokimaError, match=said):
            dokima.create_store(f"sqlite:///{tmp_path}/o.db", small(), **more)
        with pytest.raises(dokima.DokimaError, match=said):
            dokima.store_sql(small(), "postgresql", **more)
