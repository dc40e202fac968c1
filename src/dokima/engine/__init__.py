"""One rulebook, compiled: fields, defaults, tables, rules and routines, run in order."""
