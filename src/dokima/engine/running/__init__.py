"""A program at work on orders: contexts, rules, steps, totals, agreed terms."""
