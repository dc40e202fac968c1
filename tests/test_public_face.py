"""The public face: what it exports, how light it is to import, and that the examples run."""

import re
import subprocess
import sys
from pathlib import Path

import pytest

import dokima

ROOT = Path(__file__).parents[1]


def test_all_is_sorted_and_true():
    assert dokima.__all__ == sorted(dokima.__all__)
    public = {name for name, value in vars(dokima).items() if callable(value) and not name.startswith("_")}
    assert public == set(dokima.__all__)


def test_every_public_class_and_method_has_a_docstring():
    for name in dokima.__all__:
        value = getattr(dokima, name)
        assert value.__doc__, name
        for method, body in vars(value).items() if isinstance(value, type) else ():
            if not method.startswith("_") and callable(body):
                assert body.__doc__, f"{name}.{method}"


def test_import_dokima_stays_light():
    heavy = ["pandas", "matplotlib", "sqlalchemy", "rich", "typer", "pyarrow", "babel"]
    code = f"import sys, dokima; print([name for name in {heavy} if name in sys.modules])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)

    assert done.stdout.strip() == "[]"


@pytest.mark.parametrize("script", sorted((ROOT / "examples").glob("*.py")), ids=lambda path: path.name)
def test_examples_run_and_print_what_they_say(script):
    """Each example ends with the output it promises in its docstring."""
    done = subprocess.run([sys.executable, script], capture_output=True, text=True, check=True, encoding="utf-8")
    promised = re.search(r"Prints:\n\n(.*?)\n\"\"\"", script.read_text(encoding="utf-8"), re.S)

    assert promised is not None
    assert done.stdout.splitlines() == [line[4:] for line in promised[1].splitlines()]
