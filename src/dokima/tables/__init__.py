"""Tables of terms: rows found by key or by matching, valid in a window, eligible from a break on, and chosen."""
