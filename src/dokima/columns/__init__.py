"""Columns of text, dates and flags, and what all kinds of columns have in common; numbers are `exact.Decimals`."""
