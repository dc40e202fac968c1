"""A web request that saves an order in one transaction, and a nightly job on all orders that can be taken up again.

Prints:

    201 SO-2026-00001 revision 1 payable 348.80
    201 SO-2026-00001 revision 1 payable 348.80
    422 half-days: Installation day is sold by the half day: 1.25 is not a multiple of 0.5.
    409 order SO-2026-00001 has been saved meanwhile: revision 2, not 1
    close-stale: 1 of 1 done, 0 left
    1 dokima.order.created SO-2026-00001 by web
    2 dokima.order.changed SO-2026-00001 by Ada
    3 dokima.order.changed SO-2026-00001 by night
"""

import shutil
import tempfile
from pathlib import Path
from typing import Any

import dokima

FOLDER = Path(dokima.__file__).parent / "demo" / "quillmere"
NUMBERS = """
[numbering.sales]
pattern = "SO-{year}-{counter:05}"
"""


def numbered() -> dokima.Rulebook:
    """The demo's rulebook, with a series of numbers beside it: all ``*.toml`` files of a folder are one rulebook."""
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place) / "quillmere"
        shutil.copytree(FOLDER, folder)
        (folder / "numbers.toml").write_text(NUMBERS)
        return dokima.load(folder)


def handle(store: dokima.Store, request: str, body: dict[str, Any]) -> tuple[int, str]:
    """Status and text of the answer. A browser that sends the same request twice gets the same answer twice."""
    try:
        saved = store.save(dokima.Order.from_dict(body), by="web", operation=request)
    except dokima.Refused as error:
        return 422, "; ".join(f"{finding.rule}: {finding.message}" for finding in error.findings)
    except dokima.Conflict as error:
        return 409, str(error).splitlines()[0]
    total = store.book.price(saved)[saved.number].totals.payable
    return 201, f"{saved.number} revision {saved.header['revision']} payable {total}"


def posted(quantity: str, **header: Any) -> dict[str, Any]:
    """What a client might send."""
    lines = [{"number": "10", "item": "INST-D", "quantity": quantity}]
    return {"kind": "sales", "date": "2026-03-02", "customer": "PELLOW", **header, "lines": lines}


with tempfile.TemporaryDirectory() as place, dokima.create_store(f"sqlite:///{place}/orders.db", numbered()) as shop:
    print(*handle(shop, "request-1", posted("0.5")))
    print(*handle(shop, "request-1", posted("0.5")))
    print(*handle(shop, "request-2", posted("1.25")))
    with shop.edit("SO-2026-00001", by="Ada", reason="by phone") as editor:
        editor.change_line(10, quantity=1)
    print(*handle(shop, "request-3", posted("2", number="SO-2026-00001", revision=1)))

    # Every night: whatever stops it, the next call goes on, and no order is done twice.
    stale = shop.each(until="2026-03-31", state="draft")
    report = stale.apply("move", by="night", reason="stale", name="close-stale", to="cancelled")
    print(f"{report.name}: {report.done} of {report.orders} done, {report.left} left")
    for event in shop.feed(after=0):
        print(event["id"], event["type"], event["subject"], "by", event["data"]["by"])
