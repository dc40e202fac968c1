"""The specification of a rulebook: what it says in plain words, and the cases that verify it."""
