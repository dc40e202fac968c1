"""What a document says, as canonical text and as a digest: the same content always gives the same bytes."""

from __future__ import annotations

import datetime
import hashlib
import json
from collections.abc import Collection, Iterable, Mapping
from decimal import Decimal
from typing import Any

HEADER_ASIDE = (
    "number", "state", "state_before", "revision", "links",
    "payments", "deliveries", "acknowledgements", "pending", "terms", "drawn",
    "stated_line_net", "stated_without_tax", "stated_tax", "stated_with_tax", "stated_payable",
)  # fmt: skip
"""Header fields that are not commercial: what happened to an order, and what others say it comes to."""
LINE_ASIDE = ("state", "delivered", "unit_price", "stated_net", "drawn")
"""Line fields that are not commercial."""
_STATED = "says what a document states, and is compared, never agreed"
_HAPPENS = "happens to the order itself; record it there"
_KEPT = "is kept by the editor itself"
NOT_AGREED: Mapping[str, str] = {
    **dict.fromkeys(("line.unit_price", "line.stated_net"), _STATED),
    **dict.fromkeys((f"header.{name}" for name in HEADER_ASIDE if name.startswith("stated_")), _STATED),
    "line.delivered": "is summed from deliveries; record those on the order itself",
    **dict.fromkeys(("header.deliveries", "header.payments"), _HAPPENS),
    **dict.fromkeys(("header.pending", "header.terms", "header.acknowledgements"), _KEPT),
    **dict.fromkeys(("header.drawn", "line.drawn"), _KEPT),
    "header.state_before": "is kept by the editor itself",
    "header.revision": "rises by itself when a change is approved",
    "header.links": "is set when a change is approved",
}
"""Fields that a change of an order cannot move, and why: approving it would not carry them out."""


FINGERPRINT_FORM, TERMS_FORM, ACCEPTANCE_FORM = "3", 2, "2"
"""Forms in which fingerprints of rulebooks, agreed terms and digests of acceptances are written. One of another form is
recognised by its mark and told, never compared or read as if it were of this one."""


def plain(value: Any) -> Any:
    """A value as canonical JSON holds it: decimals as text without trailing zeros, dates in ISO 8601.

    Raises:
        TypeError: Documents hold no such value.
    """
    if value is None or isinstance(value, str | bool):
        return value
    if isinstance(value, int | Decimal):
        text = str(value) if isinstance(value, int) else format(value, "f")
        text = text.rstrip("0").rstrip(".") if "." in text else text
        return "0" if text == "-0" else text
    if isinstance(value, datetime.date):
        return value.isoformat()
    if isinstance(value, Mapping):
        return {str(name): plain(each) for name, each in value.items()}
    if isinstance(value, list | tuple):
        return [plain(each) for each in value]
    raise TypeError(f"expected a value of a document (got {value!r})")


def canonical_json(document: Any) -> str:
    """A document as JSON with sorted keys and nothing between its parts (in the manner of RFC 8785)."""
    return json.dumps(document, default=plain, sort_keys=True, separators=(",", ":"), ensure_ascii=False)


def digest_of(text: str) -> str:
    """SHA-256 of a text, in hexadecimal digits."""
    return hashlib.sha256(text.encode("utf-8")).hexdigest()


def fields_digest(header: Mapping[str, Any], lines: Iterable[Mapping[str, Any]], names: Collection[str]) -> str:
    """Digest of some fields of an order by dotted name, and of its line numbers."""
    of_header = {name: header.get(name) for name in sorted(each[7:] for each in names if each.startswith("header."))}
    wanted = sorted({"number", *(each[5:] for each in names if each.startswith("line."))})
    return digest_of(canonical_json([of_header, wanted, [[line.get(name) for name in wanted] for line in lines]]))
