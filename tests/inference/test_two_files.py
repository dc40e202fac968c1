"""Two files of one export, whichever is named first; units beside other texts; one value of many."""

from __future__ import annotations

import pytest

import dokima


def written(path, rows, separator=","):
    path.write_text("".join(separator.join(row) + "\n" for row in rows))
    return path


@pytest.mark.parametrize("turned", [False, True])
@pytest.mark.parametrize("separator", [",", ";"])
def test_two_files_are_headers_and_lines_whichever_is_named_first(tmp_path, turned, separator):
    """Twelve orders of two lines at 2.50, quantities 1 to 12: all 24 amounts come out."""
    heads = [["order", "customer", "date"], *([f"A{n}", f"C{n % 3}", f"2026-03-{n + 1:02}"] for n in range(12))]
    lines = [[f"A{n}", str(k + 1), f"I{(n + k) % 5}", "C62" if k else "BOX", str(n + 1), "2.50", f"{(n + 1) * 2.5:.2f}"]
             for n in range(12) for k in range(2)]  # fmt: skip
    names = ["order", "line", "item", "unit", "quantity", "price", "amount"]
    files = [
        written(tmp_path / "heads.csv", heads, separator),
        written(tmp_path / "rows.csv", [names, *lines], separator),
    ]
    begun = dokima.begin(tmp_path / "rules", files[::-1] if turned else files)
    assert (begun.lines, begun.reproduced, list(begun.different)) == (24, 24, [])
    taken = {guess.about: guess.means for guess in begun.guesses}
    assert taken["unit"] == "line.unit"
    layout = dokima.load(tmp_path / "rules").layout("export")
    assert (layout.files.headers, layout.files.lines, layout.separator) == ("heads.csv", "rows.csv", separator)


def test_what_follows_from_the_item_is_its_description_and_short_codes_are_units(tmp_path):
    """Headings say nothing. The description is the text that goes with the item; a note that changes with the line is none."""
    words = {
        "I0": "Toughened pane six mm",
        "I1": "Roof vent with opener",
        "I2": "Horticultural pane",
        "I3": "Installation",
        "I4": "Clip",
    }
    lines = []
    for n in range(20):
        for k in range(2):
            item, quantity = f"I{(n + k) % 5}", n + 1
            price = 2.5 + (n + k) % 5
            lines.append([f"A{n}", str(k + 1), item, words[item], ("C62", "DAY", "BOX")[(n + k) % 3], f"call before {n} and {k}", str(quantity),
                          f"{price:.2f}", f"{quantity * price:.2f}"])  # fmt: skip
    names = ["order", "line", "f1", "f2", "unit", "f4", "quantity", "price", "amount"]
    begun = dokima.begin(tmp_path / "rules", [written(tmp_path / "e.csv", [names, *lines], ";")])
    taken = {guess.about: guess.means for guess in begun.guesses}
    assert {name: taken[name] for name in ("f1", "f2", "unit")} == {
        "f1": "line.item",
        "f2": "line.description",
        "unit": "line.unit",
    }
    assert taken["f4"] not in ("line.description", "line.unit", "line.item")
    assert (begun.lines, begun.reproduced) == (40, 40)
