"""`ByLine`: lines as if each were an order of its own, for what a line keeps of another header than its order's."""

from __future__ import annotations

from typing import Any

import numpy as np

from dokima.columns.column import Column
from dokima.exact import Grouping


class ByLine:
    """A frame in which a name of header level has a value for each line.

    Args:
        frame: The frame of the orders.
    """

    def __init__(self, frame: Any) -> None:
        self._frame = frame
        self.order_of = np.arange(len(frame.order_of))
        self.order_count = len(self.order_of)
        self.by_order = Grouping(self.order_of, self.order_count)
        self.leaf = None

    def column(self, name: str) -> Column:
        """The column of a dotted name, one value per line."""
        found: Column = self._frame.line_column(name)
        return found

    line_column = column

    def __getattr__(self, name: str) -> Any:
        return getattr(self._frame, name)
