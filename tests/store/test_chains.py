"""Chains of change orders in a store: what holds for documents at hand holds for those that are kept."""

from __future__ import annotations

import datetime
import random

import pytest

import dokima
from tests.changes.test_chain import BOOKS, EDITS, ITEMS, MOVES, approved, edited, moved, tried
from tests.store.conftest import place_of


class Kept:
    """A change order of a store as the property takes one: approved there."""

    def __init__(self, store, change):
        self.store, self.change = store, change

    def __getattr__(self, name):
        return getattr(self.change, name)

    def approve(self, by, *_, **__):
        return self.store.approve(self.change.number, by)


@pytest.mark.parametrize(
    ("kind", "seeds"),
    [
        ("folder", range(1)), ("sqlite", range(1, 2)), ("postgres", range(1)),
        *(pytest.param(kind, range(2, 12), marks=pytest.mark.long) for kind in ("folder", "sqlite", "postgres")),
    ],
)  # fmt: skip
def test_a_chain_moves_in_a_store_what_it_moves_at_hand(kind, seeds, tmp_path, request):
    """Edits, changes and approvals, each document read back after every approval."""
    for seed in seeds:
        drawn = random.Random(seed)
        book = BOOKS[seed % len(BOOKS)][0]
        (tmp_path / str(seed)).mkdir()
        place = place_of(kind, tmp_path / str(seed), request)
        store = place.create(book)
        lines = [
            {"item": drawn.choice(ITEMS[:4])["item"], "quantity": drawn.randint(1, 30), "unit": "C62"} for _ in "abc"
        ]
        header = {"state": "confirmed", "date": datetime.date(2026, 3, 2), "ship_to_country": "NL"}
        store.save(book.edit(dokima.Order("O", **header, lines=lines), by="Ada").save(), "Ada")
        count = 0
        for _ in range(5):
            for number in [drawn.choice([each.number for each in store.with_supplements("O")]) for _ in range(2)]:
                editor = store.editor(number, "Cleo")
                edited(editor, drawn.choice(EDITS), drawn.randint(0, 9), drawn.randint(-4, 30))
                store.save(editor.save(), "Cleo")
            change, why = tried(lambda: store.open_change("O", "Ada"))  # noqa: B023
            if change is None:
                assert "worked out once for all documents" in why or "nothing about it can change" in why
                continue
            steps = [(drawn.choice(MOVES), drawn.randint(0, 9), drawn.randint(-4, 30)) for _ in range(3)]
            store.update_change(change.number, "Ada", lambda found: moved(found.edit("Ada"), steps))  # noqa: B023
            submitted, _ = tried(lambda: store.update_change(change.number, "Ada", lambda found: found.submit("Ada")))  # noqa: B023
            if submitted is None:
                store.update_change(change.number, "Ada", lambda found: found.withdraw("Ada"))
                continue
            done = approved(book, Kept(store, submitted), store.with_supplements("O"), [])
            again = store.with_supplements("O")
            assert [_lines(each) for each in again] == [_lines(each) for each in done]
            ledger = store.ledger("O")
            assert ledger.is_balanced or ledger.unknown or None in ledger.imbalance.values(), ledger.imbalance
            count += 1
        assert count
        place.close()


def _lines(order):
    """Fields that hold something; a place may read an explicit blank back as absent."""
    return [{name: str(value) for name, value in line.fields.items() if value is not None} for line in order.lines]
