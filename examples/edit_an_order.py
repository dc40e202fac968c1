"""The editor: all or nothing, refusals with reasons, undo, a warning that somebody accepts.

Prints:

    payable 4339.39
    line 40 added; payable 4881.23
    refused: change line is refused: line 30: Installation day is sold by the half day: 1.25 is not a multiple of 0.5.
    undone; payable 4339.39
    I. Marrow: change line: line 10, fields quantity = 40
    I. Marrow: change line: line 20, fields quantity = 3
    I. Marrow: add line: line 40, fields item = BENCH-K, quantity = 1
    I. Marrow: undo
    I. Marrow: undo
    I. Marrow: undo
"""

from importlib import resources
from pathlib import Path

import dokima

quillmere = Path(str(resources.files("dokima.demo"))) / "quillmere"
book = dokima.load(quillmere)
editor = book.edit(quillmere / "orders" / "SQ-2041.json", by="I. Marrow")
print(f"payable {editor.totals.payable}")

editor.change_line(10, quantity=40)
editor.change_line(20, quantity=3)
number = editor.add_line(item="BENCH-K", quantity=1)
print(f"line {number} added; payable {editor.totals.payable}")

try:
    editor.change_line(30, quantity="1.25")
except dokima.Refused as refused:
    print(f"refused: {refused}")

while editor.undo():
    pass
print(f"undone; payable {editor.totals.payable}")
for entry in editor.journal:
    print(f"{entry.by}: {entry}")
