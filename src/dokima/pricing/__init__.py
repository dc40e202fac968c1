"""A program, its names, and its run: defaults, steps, tax, totals."""
