"""The recipe that asks a store's own lines for what orders have reserved of an item."""

import re
import shutil
from pathlib import Path

import dokima
from tests.books import DEMO

RULE = """
[[rule]]
id = "enough-stock"
at = "save"
severity = "warning"
require = "line.quantity + reserved.promised <= stock.on_hand"
message = "Of {line.item} there are {stock.on_hand}, and {reserved.promised} are promised until then."
"""
RECIPE = (Path(__file__).parents[2] / "docs" / "recipes.md").read_text(encoding="utf-8").partition("## 36.")[2]


def test_what_confirmed_orders_have_still_to_deliver_is_reserved_until_its_day(tmp_path):
    """90 clips due in April, of which 20 are delivered, and 500 due in May: 70 by 30 April, 570 by 1 May."""
    folder = tmp_path / "q"
    shutil.copytree(DEMO, folder)
    url, book = f"sqlite:///{folder / 'orders.db'}", dokima.load(folder)
    line = {"item": "CLIP-S", "unit": "C62"}
    with dokima.create_store(url, book) as store:
        for number, quantity, day in (("A", 90, "2026-04-20"), ("B", 500, "2026-05-01"), ("C", 7, "2026-04-20")):
            lines = [{**line, "quantity": quantity, "due_date": day}]
            store.save(dokima.Order(number, kind="sales", customer="PELLOW", date="2026-03-02", lines=lines), "Ada")
        for number in "AB":  # C stays a draft and reserves nothing
            with store.edit(number, "Ada") as editor:
                editor.move_to("confirmed")
        with store.edit("A", "Ada") as editor:
            editor.record_delivery("D1", "delivered", line=10, quantity=20, date="2026-03-03")

    (folder / "reserved.toml").write_text(re.findall(r"```toml\n(.*?)```", RECIPE, re.S)[0] + RULE, encoding="utf-8")
    asking = dokima.load(folder).with_tables(
        stock=[{"item": "CLIP-S", "depot": "yard", "on_hand": "600", "counted": "2026-03-01"}]
    )

    def told(quantity, day):
        lines = [{**line, "quantity": quantity, "due_date": day}]
        order = dokima.Order("D", kind="sales", customer="PELLOW", date="2026-03-02", lines=lines)
        return [str(each.message) for each in asking.check(order)]

    assert told(530, "2026-04-30") == []
    assert told(531, "2026-04-30") == ["Of CLIP-S there are 600, and 70 are promised until then."]
    assert told(30, "2026-05-01") == []
    assert told(31, "2026-05-01") == ["Of CLIP-S there are 600, and 570 are promised until then."]
    assert told(600, "2026-04-19") == []
