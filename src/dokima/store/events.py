"""What is told of a change: field by field, and as CloudEvents 1.0 (cloudevents.io, JSON format)."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from dokima.formats.json_files import dumped
from dokima.model.content import plain
from dokima.model.fields import DRAWN
from dokima.model.listing import Listing
from dokima.store.documents import Event

_BESIDE = ("lines", "revision", "terms", "pending", DRAWN)
"""What is not told: what stands below, and what the editor keeps for itself."""


def changes_between(before: Mapping[str, Any] | None, after: Mapping[str, Any]) -> list[dict[str, Any]]:
    """What moved from one state of an order to another: line (blank for the header), field, from and to; ``drawn``
    where nobody gave it, because a default did.

    A line that is new or gone is told by all its fields. Values are those of canonical JSON: numbers as text.
    """
    old: Mapping[str, Any] = before or {"lines": []}
    found = list(_moved("", old, after))
    lines = {str(line["number"]): line for line in old["lines"]}
    others = {str(line["number"]): line for line in after["lines"]}
    for number in [*others, *(number for number in lines if number not in others)]:
        found += _moved(number, lines.get(number, {}), others.get(number, {}))
    return found


def _moved(line: str, before: Mapping[str, Any], after: Mapping[str, Any]) -> Iterator[dict[str, Any]]:
    drawn = after.get(DRAWN) or ()
    for name in [each for each in {**before, **after} if each not in _BESIDE]:
        was, now = before.get(name), after.get(name)
        if type(was) is type(now) and was == now:
            continue
        was, now = plain(was), plain(now)
        if was != now:
            told = {"line": line, "field": name, "from": was, "to": now}
            yield {**told, "drawn": True} if name in drawn else told


def saved_event(
    before: Mapping[str, Any] | None, after: Mapping[str, Any], by: str, *, reason: str = "", **more: Any
) -> Event:
    """The event of an order that was saved.

    Args:
        before: The order as it was kept, None for a new one.
        after: The order as it is kept from now on.
        by: Who saved it.
        reason: Why.
        more: Name of the operation and digest of what was handed over.
    """
    data: dict[str, Any] = {"changes": changes_between(before, after)}
    if reason:
        data["reason"] = reason
    known = "order.created" if before is None else "order.changed"
    return Event(known, str(after.get("number")), by, int(after.get("revision") or 0), data, **more)


def cloud_event(event: Event, source: str) -> dict[str, Any]:
    """An event as CloudEvents 1.0 wants it.

    Args:
        event: The event.
        source: The identity of the store, a URI.
    """
    kind = "change order" if event.type.startswith("change.") else "order"
    return {
        "specversion": "1.0",
        "id": str(event.number),
        "source": source,
        "type": f"dokima.{event.type}",
        "subject": event.subject,
        "time": event.time,
        "datacontenttype": "application/json",
        "data": {"document": kind, "number": event.subject, "revision": event.revision, "by": event.by, **event.data},
    }


def event_list(events: Iterable[Event]) -> Listing:
    """Events as a list: a row for each field that moved."""
    rows = []
    for event in events:
        about = {
            "time": event.time[:19].replace("T", " "),
            "by": event.by,
            "event": event.type,
            "revision": event.revision or None,
            "reason": event.data.get("reason"),
        }
        # Of a new order every field is new, which nobody needs to be told one by one.
        for moved in (event.type != "order.created" and event.data.get("changes")) or [{}]:
            told = {name: _cell(moved.get(name)) for name in ("line", "field", "from", "to")}
            rows.append({**about, **({"by": "(default)"} if moved.get("drawn") else {}), **told})
    columns = ("time", "by", "event", "line", "field", "from", "to", "reason", "revision")
    return Listing(tuple(rows), columns, "events")


def _cell(value: Any) -> Any:
    """A value of an event as a cell: records are told as JSON."""
    return value if value is None or isinstance(value, str | int | bool) else dumped(value)
