"""A routine's steps: what they say, how they run one after the other, tax, totals."""
