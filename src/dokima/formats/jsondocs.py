"""Orders as JSON (RFC 8259). Numbers may be JSON numbers or text; none passes through a binary float."""

from __future__ import annotations

import datetime
import json
from collections.abc import Iterable
from decimal import Decimal
from pathlib import Path
from typing import Any

from dokima.errors import DocumentError, Problem
from dokima.model.columns import shown
from dokima.model.order import Order


def read_json(path: Path) -> list[Order]:
    """The orders of a JSON file: one order, a list of orders, or ``{"orders": [...]}``.

    Raises:
        DocumentError: There is no such file, or it is not JSON or holds no orders; names the row.
    """
    try:
        text = path.read_text(encoding="utf-8-sig")
    except OSError as error:
        raise DocumentError([Problem("", "", "", f"cannot be read: {error.strerror}", str(path))]) from None
    except UnicodeDecodeError as error:
        raise DocumentError([Problem("", "", "", f"expected text in UTF-8 ({error.reason})", path.name)]) from None
    try:
        return orders_of(parse_json(text))
    except json.JSONDecodeError as error:
        message = f"expected JSON ({error.msg} at column {error.colno})"
        raise DocumentError([Problem("", "", "", message, path.name, error.lineno)]) from None
    except DocumentError as error:
        raise DocumentError([_in_file(problem, path.name) for problem in error.problems]) from None


def _in_file(problem: Problem, file: str) -> Problem:
    return Problem(problem.order, problem.line, problem.field, problem.message, file, problem.row)


def parse_json(text: str) -> Any:
    """JSON with numbers as `Decimal`; a name given twice in one object is refused.

    Raises:
        json.JSONDecodeError: Not JSON.
        DocumentError: A name twice, or NaN or Infinity.
    """

    def once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
        names = [name for name, _ in pairs]
        if len(set(names)) < len(names):
            twice = next(name for name in names if names.count(name) > 1)
            raise DocumentError([Problem("", "", twice, "expected each name once in an object (got it twice)")])
        return dict(pairs)

    def refuse(constant: str) -> Any:
        raise DocumentError([Problem("", "", "", f"expected a number (got {constant})")])

    return json.loads(text, parse_float=Decimal, parse_constant=refuse, object_pairs_hook=once)


def orders_of(data: Any) -> list[Order]:
    """The orders in plain data: one order, a list of orders, or ``{"orders": [...]}``.

    Raises:
        DocumentError: With every problem.
    """
    if isinstance(data, dict) and "orders" in data:
        data = data["orders"]
    if isinstance(data, dict):
        data = [data]
    if not isinstance(data, list):
        raise DocumentError([Problem("", "", "", f"expected an order or a list of orders (got {data!r:.60})")])
    orders: list[Order] = []
    problems: list[Problem] = []
    for document in data:
        try:
            orders.append(Order.from_dict(document))
        except DocumentError as error:
            problems += error.problems
    if problems:
        raise DocumentError(problems)
    return orders


def json_text(data: Any) -> str:
    """Plain data as JSON; exact numbers, dates and the like are written as text."""
    return json.dumps(data, indent=2, ensure_ascii=False, default=_plain)


def _plain(value: Any) -> Any:
    if isinstance(value, Decimal | datetime.date):
        return shown(value)
    if isinstance(value, Iterable):
        return list(value)
    raise TypeError(f"cannot write {value!r} as JSON")
