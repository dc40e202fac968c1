"""A rulebook's definitions, checked and put together into a program."""
