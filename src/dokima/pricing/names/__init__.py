"""The columns behind the names of formulas, while a program runs."""
