"""Auditing: what is doubtful in a rulebook and its tables, found without any order."""
