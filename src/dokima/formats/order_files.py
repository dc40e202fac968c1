"""Orders as files: one file for one order, or a folder with a file for each."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from pathlib import Path

from dokima.errors import DokimaError
from dokima.formats.file_names import file_name
from dokima.formats.json_files import json_text
from dokima.formats.whole_files import write_whole
from dokima.model.order import Order


def write_order(order: Order, path: str | Path) -> Path:
    """Write an order as one JSON file, which is there whole or not at all.

    Args:
        order: The order.
        path: The file.

    Returns:
        The file.

    Raises:
        DokimaError: It cannot be written; says why.
    """
    write_whole(Path(path), json_text(order.to_dict()) + "\n")
    return Path(path)


def write_documents(orders: Sequence[Order], folder: str | Path) -> list[Path]:
    """Write each order as a JSON file named after its number; nothing is written if two names are the same.

    Args:
        orders: The orders.
        folder: The folder; it is made if it is missing.

    Returns:
        The files, one for each order.

    Raises:
        NotFound: A number cannot name a file.
        DokimaError: Two numbers differ in case only, or a file cannot be written.
    """
    targets = [Path(folder) / file_name(order.number) for order in orders]
    names = [target.name.casefold() for target in targets]
    counts = Counter(names)
    if twice := next((each for each, name in zip(targets, names, strict=True) if counts[name] > 1), None):
        raise DokimaError(f"expected numbers that differ in more than case (two would be written to '{twice}')")
    return [write_order(order, target) for order, target in zip(orders, targets, strict=True)]
