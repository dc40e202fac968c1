"""Every command shows an example that runs; the shell completes; the rulebook is found from below and by DOKIMA_BOOK."""

import ast
import io
import os
import shlex
import shutil
import subprocess
import sys
from contextlib import redirect_stdout
from pathlib import Path
from unittest import mock

import pytest

from dokima.__main__ import run_app
from dokima.cli.commands import commands
from dokima.cli.help_examples import EXAMPLES
from tests.books import DEMO
from tests.cli.options_told import told
from tests.shell import run_here

ROOT = Path(__file__).parents[2]

WALKS = {
    "an approval": ("open", "edit", "show", "list", "rebase", "submit", "approve", "ledger"),
    "a rejection": ("open", "edit", "submit", "reject"),
    "a withdrawal": ("open", "edit", "submit", "withdraw"),
}
"""The sequences in which commands of a change can be tried."""
ALONE = [words for words in EXAMPLES if " " not in words and words != "demo"]
STORES = [f"store {word}" for word in ("create", "load", "sql", "check", "upgrade", "refresh", "history", "feed")]


def test_every_command_has_an_example_that_is_tried_here():
    assert {words.split()[0] for words in EXAMPLES} == {*commands(), "demo"}
    walked = {f"change {word}" for walk in WALKS.values() for word in walk}
    assert {*walked, *ALONE, *STORES, "store trim", "demo"} == {*EXAMPLES}


@pytest.mark.parametrize(
    "walk",
    [[f"change {word}" for word in walk] for walk in WALKS.values()] + [[*STORES, "store trim"], ALONE],
    ids=[*WALKS, "a store", "all else"],
)
def test_the_example_of_a_command_stands_below_its_help_and_runs(walk, tmp_path):
    folder = tmp_path / "quillmere"
    shutil.copytree(DEMO, folder)
    shutil.copytree(DEMO, tmp_path / "rulebook-next")
    shutil.copy(DEMO / "exports" / "depot_2026.csv", folder / "export.csv")
    for words in walk:
        assert EXAMPLES[words].startswith(f"dokima {words}")
        assert EXAMPLES[words] in run_here(folder, *words.split(), "--help")[1]
        status, _, err = run_here(folder, *shlex.split(EXAMPLES[words])[1:])
        assert status in (0, 1), (words, err)


@pytest.mark.parametrize(
    ("words", "offered"),
    [
        ("dokima e", {"explain", "eval", "edit"}),
        ("dokima check --rule p", {"pane-needs-crate", "paid-order"}),
        ("dokima check --at s", {"save"}),
        ("dokima explain --orders orders SQ-204", {f"SQ-204{at}" for at in range(1, 8)}),
        ("dokima explain orders/SQ-2041.json ", {"10", "20", "30"}),
        ("dokima explain orders/SQ-2041.json 10 fr", {"freight"}),
        ("dokima eval --rows works", {"works_rate", "works_vat"}),
        ("dokima price --table agr", {"agreed="}),
        ("dokima price --value fr", {"freight_rate="}),
        ("dokima price orders/SQ-2042", {"orders/SQ-2042.json"}),
        ("dokima price --locale de_A", {"de_AT"}),
        ("dokima price -l d", {"depot"}),
        ("dokima edit x.json --to conf", {"confirmed"}),
    ],
)
def test_the_shell_completes(words, offered):
    settings = {"_DOKIMA_COMPLETE": "complete_bash", "COMP_WORDS": words, "COMP_CWORD": str(len(words.split(" ")) - 1)}
    out = io.StringIO()
    with mock.patch.dict(os.environ, settings), redirect_stdout(out), pytest.MonkeyPatch.context() as patch:
        patch.chdir(DEMO)
        with pytest.raises(SystemExit):
            run_app([])
    assert set(out.getvalue().split()) == offered


def test_the_list_of_commands_says_what_their_help_says_and_imports_none(tmp_path):
    """Each with what it does, short enough for one row; and each has a help of its own."""
    told = " ".join(run_here(tmp_path, "--help")[1].split())
    for name, listed in commands().items():
        assert f"{name} {listed.says}" in told
        assert len(listed.says) <= 66
        assert run_here(tmp_path, name, "--help")[0] == 0
    code = "import sys; from dokima.__main__ import run_app\ntry: run_app(['--help'])\nexcept SystemExit: pass\n"
    code += "print(sorted(each for each in sys.modules if each.startswith('dokima.cli.')))"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    loaded = ast.literal_eval(done.stdout.splitlines()[-1])
    assert not {listed.place.partition(":")[0] for listed in commands().values()} & set(loaded)


def test_the_rulebook_is_found_from_below_and_by_its_name(tmp_path):
    assert run_here(DEMO / "orders", "check", "SQ-2041.json")[0] == 0
    order = DEMO / "orders" / "SQ-2041.json"
    assert run_here(tmp_path, "price", order)[0] == 2
    with mock.patch.dict(os.environ, {"DOKIMA_BOOK": str(DEMO)}):
        assert "4339.39" in run_here(tmp_path, "price", order)[1]


def test_an_empty_value_is_asked_about():
    status, _, err = run_here(DEMO, "edit", "orders/SQ-2041.json", "--set", "20.unit=", "--dry-run")
    assert (status, "20.unit=(blank) makes it blank; leave it out to leave it as it is" in " ".join(err.split())) == (
        2,
        True,
    )
    assert run_here(DEMO, "edit", "orders/SQ-2041.json", "--set", "header.requested_by=(blank)", "--dry-run")[0] == 0


def test_lines_of_an_item_over_files():
    status, out, _ = run_here(
        DEMO, "lines", "--orders", "orders", "--item", "PANE-T6", "--open", "--customer", "OAKMERE"
    )
    assert (status, "SQ-2043" in out, "SQ-2041" in out) == (0, True, False)


def test_the_reference_says_which_commands_take_an_option():
    """The table is made from the commands: `python -c "from tests.cli.options_told import told; print(told())"`."""
    assert told() in (ROOT / "docs" / "reference.md").read_text(encoding="utf-8")


def test_help_says_what_an_option_takes_and_cuts_nothing_off():
    names = [*commands(), *(f"{group} {name}" for group in ("change", "store") for name in ("edit", "load"))]
    for name in names:
        if name in ("change load", "store edit"):
            continue
        said = run_here(DEMO, *name.split(), "--help", width=80)[1]
        assert "<list[" not in said, name
        assert "<str>" not in said, name
        assert not [line for line in said.partition("Commands:")[2].splitlines() if line.endswith("...")], name
