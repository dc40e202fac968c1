"""Every command, script and setting of the README, the guide and the reference is run, and says what stands there."""

import ast
import contextlib
import datetime
import re
import shlex
import shutil
import tomllib
from pathlib import Path
from typing import Any

import jsonschema
import pytest

import dokima
from tests.books import DEMO
from tests.shell import run_here

ROOT = Path(__file__).parents[1]
SAID = r"  # (Decimal\(.*?\)|\[.*\]|\d+)(?:\s|$)"
"""A value that stands in a comment beside an expression."""
WIDTHS = (128, 120, 118)
"""Widths of the terminals in which the examples were taken."""


def told(text: str) -> list[str]:
    """The lines of a text, blanks as one; who did something today did it on the day of the example."""
    text = re.sub(r"\d{4}-\d\d-\d\d(?= (Ada|Ben))", "DAY", text).replace("...", "")
    lines = (" ".join(line.split()) for line in text.splitlines())
    return [line for line in lines if line and set(line) != {"─"}]


def missing(block: str, shown: str) -> list[str]:
    """The lines of an example that its commands did not show."""
    expected = "\n".join(line for line in block.splitlines() if not line.startswith("$ "))
    return [line for line in told(expected) if line not in shown]


def _broken(folder: Path) -> None:
    """The demo with the two slips that the guide shows: a misspelt column, and a price that is none."""
    shutil.copytree(DEMO, folder)
    for name, right, wrong in (
        ("rulebook.toml", "item.weight * line.quantity", "item.wieght * line.quantity"),
        ("tables/agreed_prices.csv", "44.25", "abc"),
    ):
        text = (folder / name).read_text(encoding="utf-8")
        assert right in text
        (folder / name).write_text(text.replace(right, wrong, 1), encoding="utf-8")


@pytest.mark.parametrize("page", ["README.md", "docs/guide.md", "docs/recipes.md"])
def test_commands_say_what_stands_there(page, tmp_path):
    folder = tmp_path / "quillmere"
    shutil.copytree(DEMO, folder)
    shutil.copytree(DEMO, tmp_path / "rulebook-next")
    discounts = (DEMO / "tables" / "volume_discounts.csv").read_text()
    (folder / "new_discounts.csv").write_text(
        discounts.replace("glazing,24,4", "glazing,24,5") if page == "docs/recipes.md" else discounts
    )
    _broken(tmp_path / "broken")
    blocks = re.findall(r"```console\n(.*?)```", (ROOT / page).read_text(encoding="utf-8"), re.S)
    assert blocks
    for block in blocks:
        shown = ""
        for command in re.findall(r"^\$ dokima (.*)$", block, re.M):
            arguments = shlex.split(re.split(r" [|>] ", command)[0], comments=True)
            reads = arguments[0] in ("check", "price", "explain", "audit", "variance", "compare")
            likely = sorted(WIDTHS, key=lambda width: abs(width - max(map(len, block.splitlines()))))
            for width in (
                likely if reads or arguments[:2] in (["change", "show"], ["change", "ledger"]) else WIDTHS[-1:]
            ):
                is_wrong = "error: the rulebook has" in block
                status, out, err = run_here(tmp_path / "broken" if is_wrong else folder, *arguments, width=width)
                assert status == 2 if is_wrong else status in (0, 1), (command, err)
                shown += " ".join(told(out + err)) + "\n"
                if not missing(block, shown):
                    break  # the terminal of the example was this wide
        if "        # " not in block:  # such a remark says what had been done to the demo before
            assert missing(block, shown) == []


def run_script(text: str, names: dict[str, Any]) -> int:
    """Run a script; where a value stands in a comment beside an expression, compare it. Returns how many were."""
    compared = 0
    for statement in ast.parse(text).body:
        code = ast.get_source_segment(text, statement) or ""
        if not isinstance(statement, ast.Expr):
            exec(compile(ast.Module([statement], []), code, "exec"), names)
            continue
        value = eval(compile(ast.Expression(statement.value), code, "eval"), names)
        if said := re.search(SAID, text.splitlines()[statement.lineno - 1]):
            assert repr(value) == said[1], code
            compared += 1
    return compared


@pytest.mark.parametrize(
    ("page", "values"), [("README.md", 4), ("docs/guide.md", 3), ("docs/reference.md", 0), ("docs/recipes.md", 7)]
)
def test_scripts_run_and_say_what_stands_there(page, values, tmp_path):
    for folder in (".", "quillmere", "next"):
        shutil.copytree(DEMO, tmp_path / folder, dirs_exist_ok=True)
    orders = tmp_path / "orders"
    names: dict[str, Any] = {
        "dokima": dokima,
        "Path": Path,
        "book": dokima.load(tmp_path),
        "path": orders,
        "before": orders / "SQ-2041.json",
        "after": orders / "SQ-2041.json",
        "today": datetime.date(2026, 3, 2),
    }
    scripts = re.findall(r"```python\n(.*?)```", (ROOT / page).read_text(encoding="utf-8"), re.S)
    with contextlib.chdir(tmp_path):
        assert sum(run_script(script, names) for script in scripts) == values


@pytest.mark.parametrize("page", ["README.md", "docs/guide.md", "docs/reference.md", "docs/recipes.md"])
def test_settings_are_those_of_a_rulebook(page):
    """A piece of a rulebook need not be whole, but each key in it exists and holds what it may."""
    schema = jsonschema.Draft202012Validator(dokima.rulebook_schema())
    for written in re.findall(r"```toml\n(.*?)```", (ROOT / page).read_text(encoding="utf-8"), re.S):
        if written.startswith(("[[case]]", "[[excuse]]")):
            continue
        text = written
        if text.lstrip().startswith("{"):  # steps of a routine, without what stands around them
            whole = "]" in re.sub(r"\[[^\[\]]*\]", "", text)
            text = f"[routine.some]\nstep = [\n{text.rstrip().rstrip(',')}{'' if whole else ']'}"
        wrong = [each for each in schema.iter_errors(tomllib.loads(text)) if each.validator != "required"]
        assert wrong == [], text


def test_cases_of_the_guide_pass_on_the_demo(tmp_path):
    shutil.copytree(DEMO, tmp_path / "own", ignore=shutil.ignore_patterns("cases"))
    page = (ROOT / "docs" / "guide.md").read_text(encoding="utf-8")
    (tmp_path / "own" / "cases").mkdir()
    for kind, start in (("toml", r"\[\[case"), ("csv", "case,")):
        (block,) = re.findall(rf"```{kind}\n({start}.*?)```", page, re.S)
        (tmp_path / "own" / "cases" / f"guide.{kind}").write_text(block, encoding="utf-8")
    proof = dokima.prove(tmp_path / "own")
    assert (len(proof.passed), len(proof.failed)) == (4, 0)


def test_recipes_are_of_a_few_lines_and_each_piece_of_a_rulebook_loads(tmp_path):
    page = (ROOT / "docs" / "recipes.md").read_text(encoding="utf-8")
    recipes = page.split("\n## ")[1:]
    assert len(recipes) == 36
    assert all(recipe.splitlines()[0].endswith("?") for recipe in recipes)
    for at, block in enumerate(re.findall(r"```(?:console|python|toml)\n(.*?)```", page, re.S)):
        assert len(block.splitlines()) <= 10, block
        if f"```toml\n{block}" in page:
            folder = tmp_path / str(at)
            shutil.copytree(DEMO, folder)
            (folder / "more.toml").write_text(block, encoding="utf-8")
            assert dokima.load(folder).name == "quillmere"


def test_the_architecture_lists_the_folders_as_the_contract_has_them():
    page = (ROOT / "docs" / "architecture.md").read_text(encoding="utf-8")
    listed = next(block for block in page.split("```")[1::2] if "errors, limits" in block)
    rows = [re.match(r"( +)(\w+(?:, \w+)*)", line) for line in listed.splitlines() if line.strip()]
    shown = [row[2].split(", ") for row in rows if row is not None and row[1] == " "]
    rooms = [row[2] for row in rows if row is not None and row[1] == "   "]
    contract = tomllib.loads((ROOT / "pyproject.toml").read_text(encoding="utf-8"))["tool"]["importlinter"]
    layers = [part.replace("dokima.", "").split(" : ") for part in contract["contracts"][0]["layers"]]
    source = ROOT / "src" / "dokima"
    assert shown == layers[::-1]
    assert sorted(rooms) == sorted(p.name for p in (source / "pricing").iterdir() if (p / "__init__.py").exists())
    folders = {p.name for p in source.iterdir() if (p / "__init__.py").exists()}
    assert folders == {name for names in shown for name in names} - {"errors", "limits"}


OUR_VERBS = frozenset(
    [
        "add",
        "begin",
        "beginning",
        "check",
        "choices",
        "coverage",
        "create",
        "delta",
        "detail",
        "dokima",
        "draw",
        "edited",
        "error",
        "exact",
        "file",
        "files",
        "found",
        "is",
        "kind",
        "leave",
        "list",
        "load",
        "many",
        "not",
        "open",
        "page",
        "prove",
        "refresh",
        "schema",
        "settling",
        "specify",
        "told",
        "to",
        "upgrade",
        "verify",
        "url",
        "visible",
        "working",
        "write",
        "csv",
        "json",
        "junit",
        "dask",
        "parquet",
        "sql",
        "processes",
        "comparison",
        "priced",
        "running",
    ]
)
"""Words of names that say what is done, or name a format: they mean what they mean everywhere."""


def test_every_noun_of_the_public_names_is_in_the_glossary():
    page = (ROOT / "docs" / "glossary.md").read_text(encoding="utf-8")
    entries = [line for line in page.splitlines() if line.startswith("- ")]
    heads = [head for line in entries for head in re.findall(r"\*\*(.+?)\*\*", line.partition(": ")[0])]
    assert len(heads) == len(set(heads))
    assert all(re.fullmatch(r"- \*\*.+\*\*: \S.*\.", line) for line in entries)
    headed = {word for head in heads for word in head.lower().split()}
    words = {word.lower() for name in dokima.__all__ for word in re.findall(r"[A-Z]?[a-z]+|[A-Z]+(?![a-z])", name)}
    forms = {
        word: {word, word.removesuffix("s"), word.removesuffix("ies") + "y", word.removesuffix("d")} for word in words
    }
    assert {word for word in words - OUR_VERBS if not forms[word] & headed} == set()
