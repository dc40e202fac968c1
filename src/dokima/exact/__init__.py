"""Exact decimal columns, quotients, rounding and sharing. Knows nothing of orders.

No figure in Dokima passes through a binary float; this package is why.
"""

from dokima.exact.conversion import (
    added,
    decimal_of,
    decimals,
    from_arrow,
    from_floats,
    from_fractions,
    from_pairs,
    parse,
    text,
    text_array,
    texts,
    texts_with,
    to_arrow,
    to_decimals,
)
from dokima.exact.decimals import Decimals
from dokima.exact.grouping import Grouping
from dokima.exact.quotients import (
    Number,
    Quotient,
    choose,
    compare,
    magnitude,
    remainder,
    simplified,
    stored,
    whole_division,
)
from dokima.exact.ranking import ranks
from dokima.exact.rounding import MODES
from dokima.exact.sharing import Shares, apportion, apportion_groups, share, share_groups
from dokima.exact.sums import any_in, group_counts, group_extremes, group_sums, marked, total

__all__ = [
    "MODES",
    "Decimals",
    "Grouping",
    "Number",
    "Quotient",
    "Shares",
    "added",
    "any_in",
    "apportion",
    "apportion_groups",
    "choose",
    "compare",
    "decimal_of",
    "decimals",
    "from_arrow",
    "from_floats",
    "from_fractions",
    "from_pairs",
    "group_counts",
    "group_extremes",
    "group_sums",
    "magnitude",
    "marked",
    "parse",
    "ranks",
    "remainder",
    "share",
    "share_groups",
    "simplified",
    "stored",
    "text",
    "text_array",
    "texts",
    "texts_with",
    "to_arrow",
    "to_decimals",
    "total",
    "whole_division",
]
