"""Benchmarks are no tests, and their peers are not installed here; but what they measure must be there."""

import ast
import json
from importlib import import_module
from pathlib import Path

import pytest

FOLDER = Path(__file__).parents[1] / "benchmarks"
BENCHMARKS = sorted(path for path in FOLDER.glob("*.py") if path.stem not in ("all", "measuring"))


@pytest.mark.parametrize("script", BENCHMARKS, ids=lambda path: path.stem)
def test_what_a_benchmark_imports_of_dokima_is_there(script):
    """Imports within functions too: a module that was renamed would show only when somebody measures."""
    tree = ast.parse(script.read_text(encoding="utf-8"))
    wanted = [
        node for node in ast.walk(tree) if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("dokima")
    ]
    for node in wanted:
        module = import_module(str(node.module))
        assert [each.name for each in node.names if not hasattr(module, each.name)] == []
    assert wanted or "import dokima" in script.read_text(encoding="utf-8")


def test_the_table_is_made_of_the_results_and_every_benchmark_is_one_of_all(monkeypatch):
    """Nobody writes a figure by hand, and none is left of a benchmark that is gone."""
    monkeypatch.syspath_prepend(str(FOLDER))
    everything = import_module("all")
    results = json.loads((FOLDER / "results.json").read_text(encoding="utf-8"))
    assert everything.table(results) in (FOLDER / "README.md").read_text(encoding="utf-8")
    assert {path.stem for path in BENCHMARKS} == set(everything.BENCHMARKS)
    assert {case["benchmark"] for case in results["cases"]} <= set(everything.BENCHMARKS)
