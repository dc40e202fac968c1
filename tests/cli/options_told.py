"""Which commands take an option, as the commands themselves say it."""

import re

from dokima.cli.commands import commands
from tests.books import DEMO
from tests.shell import run_here

SHARED = (
    "--book", "--orders", "--store", "--layout", "--format", "--locale", "--by", "--today", "--set", "--table",
    "--value", "--without", "--report", "--chart", "--allow-draft",
)  # fmt: skip


def options_of(*words: str) -> set[str]:
    """The options that a command's help lists, and those of the commands below it."""
    _, said, _ = run_here(DEMO, *words, "--help", width=200)
    return set(re.findall(r"^\s+(?:-\w, )?(--[a-z-]+)", said, re.M))


def told() -> str:
    """A table: each option that several commands share, and which do."""
    takes = {name: options_of(name) for name in commands()}
    for group in ("change", "store"):
        said = run_here(DEMO, group, "--help", width=200)[1].partition("Commands:")[2]
        takes.pop(group)
        takes |= {f"{group} {name}": options_of(group, name) for name in re.findall(r"^  (\w+)  ", said, re.M)}
    rows = ["| option | commands that take it |", "|---|---|"]
    for option in SHARED:
        rows.append(f"| `{option}` | {', '.join(f'`{name}`' for name, known in takes.items() if option in known)} |")
    return "\n".join(rows) + "\n"
