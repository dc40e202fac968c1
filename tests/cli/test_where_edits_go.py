"""Where ``dokima edit --out`` writes: only what was named, and only regular files."""

import json
import re

import pytest

from tests.books import DEMO
from tests.shell import run_here


@pytest.mark.parametrize(
    ("number", "why"),
    [
        ("../../x", "it begins or ends|it is blank, or begins or ends with a blank or a dot"),
        ("/abs/x", "it holds a control character or one of /"),
        ("a\\b", "it holds a control character"),
        ("CON", "it is the name of a device on Windows"),
        ("x" * 300, "it is longer than 200 characters"),
    ],
)
def test_an_order_number_never_names_a_place_outside_its_folder(tmp_path, number, why):
    order = json.loads((DEMO / "orders" / "SQ-2041.json").read_text())
    (tmp_path / "in.json").write_text(json.dumps([{**order, "number": "OK-1"}, {**order, "number": number}]))
    status, _, err = run_here(DEMO, "edit", tmp_path / "in.json", "--set", "10.quantity=40", "--out", tmp_path / "out")
    assert status == 2
    assert re.search(f"expected a number that can name a file .got .*({why})", err.replace("\n", ""))
    assert sorted(path.name for path in tmp_path.iterdir()) == ["in.json"]


def test_an_edit_writes_what_a_link_points_at_and_nothing_that_is_no_file(tmp_path):
    order = DEMO / "orders" / "SQ-2041.json"
    (tmp_path / "real.json").write_text("{}")
    (tmp_path / "link.json").symlink_to(tmp_path / "real.json")
    assert run_here(DEMO, "edit", order, "--set", "10.quantity=40", "--out", tmp_path / "link.json")[0] == 0
    assert (tmp_path / "link.json").is_symlink()
    assert json.loads((tmp_path / "real.json").read_text())["lines"][0]["quantity"] == "40"
    status, _, err = run_here(DEMO, "edit", order, "--set", "10.quantity=40", "--out", "/dev/null")
    assert (status, "'/dev/null' cannot be written: it is no regular file" in err) == (2, True)
    both = [{**json.loads(order.read_text()), "number": number} for number in ("sq-1", "SQ-1")]
    (tmp_path / "in.json").write_text(json.dumps(both))
    status, _, err = run_here(DEMO, "edit", tmp_path / "in.json", "--set", "10.quantity=40", "--out", tmp_path / "out")
    assert (status, "expected numbers that differ in more than case" in err, (tmp_path / "out").exists()) == (
        2,
        True,
        False,
    )
