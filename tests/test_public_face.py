"""The public face: what it exports, how light it is to import, and that the examples run."""

import ast
import pickle
import re
import runpy
import subprocess
import sys
from pathlib import Path

import pytest

import dokima
from dokima import errors

ROOT = Path(__file__).parents[1]


def test_all_is_sorted_and_true():
    assert dokima.__all__ == sorted(dokima.__all__, key=lambda name: (not name.isupper(), name))
    public = set(dokima._HOMES)
    assert public == set(dokima.__all__)


def test_a_name_is_imported_when_it_is_used_and_known_to_type_checkers_before():
    """The map of homes, the imports that type checkers read, and `__all__` say the same."""
    tree = ast.parse(Path(dokima.__file__).read_text())
    (block,) = [node for node in tree.body if isinstance(node, ast.If)]
    assert {name.asname: node.module for node in block.body for name in node.names} == dokima._HOMES
    assert {*dokima.__all__} <= {*dir(dokima)}
    assert dokima.errors.DokimaError.__module__ == dokima.FormulaError.__module__ == "dokima"
    with pytest.raises(AttributeError, match="module 'dokima' has no attribute 'prise'"):
        getattr(dokima, "prise")  # noqa: B009 (as a misspelt name would be looked up)


def test_every_public_class_and_method_has_a_docstring():
    for name in dokima.__all__:
        value = getattr(dokima, name)
        assert value.__doc__, name
        for method, body in vars(value).items() if isinstance(value, type) else ():
            if not method.startswith("_") and callable(body):
                assert body.__doc__, f"{name}.{method}"


@pytest.mark.parametrize(
    "error",
    [
        dokima.DokimaError("no such folder"),
        dokima.DocumentError(
            [errors.Problem("SO-1", "10", "quantity", "expected a number", "a.csv", 3)], "of two files"
        ),
        dokima.RulebookError([errors.RulebookProblem("rulebook.toml", "table.item", "expected a key")]),
        dokima.FormulaError("price * qty", 8, "there is no qty"),
        dokima.Refused("refused", ["a finding"]),
        dokima.Locked("it is closed", "closed"),
        dokima.StaleBaseline("it has moved", ["line 10"]),
        dokima.Conflict("two changes", ["line 10", "line 20"]),
    ],
    ids=lambda error: type(error).__name__,
)
def test_an_error_comes_from_another_process_as_it_was(error):
    came = pickle.loads(pickle.dumps(error))
    assert (type(came), str(came), vars(came)) == (type(error), str(error), vars(error))


def test_import_dokima_stays_light():
    heavy = ["pandas", "matplotlib", "sqlalchemy", "rich", "typer", "pyarrow", "babel"]
    code = f"import sys, dokima; print([name for name in {heavy} if name in sys.modules])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)

    assert done.stdout.strip() == "[]"


EACH_FIRST = """
import importlib, pkgutil, sys, dokima
names = [each.name for each in pkgutil.walk_packages(dokima.__path__, "dokima.") if not each.name.endswith("__main__")]
for name in names:
    for each in [each for each in sys.modules if each.partition(".")[0] == "dokima"]:
        del sys.modules[each]
    try:
        importlib.import_module(name)
    except ImportError as error:
        print(name, error)
"""


@pytest.mark.long
def test_every_module_can_be_the_first_that_is_imported():
    """No two modules need each other, whichever of them comes first."""
    done = subprocess.run([sys.executable, "-c", EACH_FIRST], capture_output=True, text=True, check=True)
    assert done.stdout == ""


@pytest.mark.parametrize("script", sorted((ROOT / "examples").glob("*.py")), ids=lambda path: path.name)
def test_examples_run_and_print_what_they_say(script, capsys):
    """Each example ends with the output it promises in its docstring."""
    runpy.run_path(str(script), run_name="__main__")
    promised = re.search(r"Prints:\n\n(.*?)\n\"\"\"", script.read_text(encoding="utf-8"), re.S)

    assert promised is not None
    assert capsys.readouterr().out.splitlines() == [line[4:] for line in promised[1].splitlines()]


def test_every_public_name_has_its_group_in_the_pages_of_the_interface():
    """The pages are built late in a run of the checks; a name in no group shows here at once."""
    tree = ast.parse((ROOT / "docs" / "conf.py").read_text(encoding="utf-8"))
    (groups,) = [
        node.value for node in tree.body
        if isinstance(node, ast.Assign) and [each.id for each in node.targets if isinstance(each, ast.Name)] == ["GROUPS"]
    ]  # fmt: skip
    named = {name for names in ast.literal_eval(groups).values() for name in names}
    raised = {
        name
        for name in dokima.__all__
        if isinstance(getattr(dokima, name), type) and issubclass(getattr(dokima, name), Exception)
    }
    assert named | raised | {"Problem", "RulebookProblem"} == set(dokima.__all__)
