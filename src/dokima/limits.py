"""How much of anything is read. Every limit stands here; a message that refuses something names it."""

NUMBER_DIGITS = 100
"""Digits of a number, before and after its decimal point together, and its exponent likewise."""
FORMULA_CHARACTERS = 2_000
"""Characters of a formula, and of a formula in a message."""
FORMULA_CHAIN = 100
"""Signs of one kind of a formula in a row, which count as one level: `a + b - c` has two."""
FORMULA_DEPTH = 40
"""Levels of parentheses, calls and operators of a formula within each other."""
FORMULA_PARTS = 400
"""Parts of a formula."""
NESTING = 100
"""Levels of lists and objects within each other in JSON and TOML. Python's own bound is another in each version."""
NAME_CHARACTERS = 200
"""Characters of an order's number that names a file."""
COLUMNS = 16_384
"""Columns of a table in a file; a workbook has no more either."""
CELL_CHARACTERS = 131_072
"""Characters of a heading in a CSV file."""
WORKBOOK_CELLS = 20_000_000
"""Cells of a sheet from A1 to its last filled one, empty ones among them, and rows that its merged cells span."""
WORKBOOK_MERGES = 100_000
"""Merged cells of a sheet."""
WORKBOOK_CELL_BYTES = 262_144
"""Bytes of the text of a cell; a spreadsheet writes at most 32,767 characters."""
WORKBOOK_BYTES = 2 * 2**30
"""Bytes of a workbook once it is unpacked."""
WORKBOOK_RATIO = 250
"""How many times larger than packed a large part of a workbook may be; sheets of real tables are 5 to 50 times."""
WORKBOOK_SHEETS = 5_000
"""Parts of a workbook: sheets, styles, texts, pictures."""
FILE_BYTES = 4 * 2**30
"""Bytes of a file of orders, rows or documents. Parquet is read in pieces, and may be of any length."""
ATTACK_ORDERS = 2_000
"""Orders on which two rulebooks are compared that were proved to say the same."""
TEXT_BYTES = 64 * 2**20
"""Bytes of a rulebook's or a case's text."""
