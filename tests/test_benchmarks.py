"""Benchmarks are no tests, and their peers are not installed here; but what they measure must be there."""

import ast
from importlib import import_module
from pathlib import Path

import pytest

BENCHMARKS = sorted((Path(__file__).parents[1] / "benchmarks").glob("*.py"))


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
