"""Rows as CSV text."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from dokima.formats.guarding import neutral


def csv_text(rows: Iterable[Mapping[str, Any]], columns: Sequence[str] = (), *, raw: bool = False) -> str:
    """Rows as CSV with a heading (RFC 4180, lines ended with a line feed); a blank is an empty cell.

    Args:
        rows: The rows, values by heading.
        columns: Headings that stand first, whether or not there are rows.
        raw: Leave texts that a spreadsheet would take for a formula as they are, for programs.
    """
    rows = list(rows)
    if not raw:
        rows = [{n: neutral(v) if isinstance(v, str) else v for n, v in row.items()} for row in rows]
    names = list(dict.fromkeys([*columns, *(name for row in rows for name in row)]))
    out = io.StringIO()
    writer = csv.DictWriter(out, names, lineterminator="\n", restval="")
    writer.writeheader()
    writer.writerows(rows)
    return out.getvalue()
