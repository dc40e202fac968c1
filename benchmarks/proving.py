"""Proving a rulebook of thirty rules and thirty steps: how long mutation with a hundred cases and suggestions take.

There is no peer: what is measured is what a person waits for. Rules compare fields, figures, sums by group and cells of
tables; steps are discounts and charges with conditions, some of them over the whole order. The cases are orders with
their figures as they come out, taken as confirmed.
"""

from __future__ import annotations

import datetime
import random
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from measuring import Case, compared, parser, show

import dokima

DAY = datetime.date(2026, 3, 2)
HEAD = """
[rulebook]
name = "bench"
currency = "EUR"

[header]
region = {{ kind = "text", choices = ["north", "south", "east"] }}
express = {{ kind = "flag", default = "False" }}

[line]
grade = {{ kind = "text", choices = ["a", "b", "c"] }}

[table.item]
file = "items.csv"
key = {{ item = "line.item" }}
columns.price = {{ kind = "decimal", places = 2 }}
columns.weight = {{ kind = "decimal" }}

[table.volume]
file = "volume.csv"
match = {{ family = "item.family" }}
breaks = {{ least = "sum(line.quantity, by=item.family)" }}
choose = "highest percent"
columns.percent = {{ kind = "decimal", default = 0 }}
columns.least = {{ kind = "decimal" }}

[routine.all]
step = [
  {{ name = "price", kind = "price", options = [{{ value = "item.price" }}] }},
  {{ name = "volume", kind = "discount", percent = "volume.percent" }},
{steps}
  {{ name = "vat", kind = "tax", percent = "21", category = "'S'" }},
]
{rules}
"""
RULES = (
    ("", "line.quantity <= {n}"),
    ("line.grade == 'a'", "line.quantity % {m} == 0"),
    ("item.family == 'f{f}'", "item.weight * line.quantity <= {n}"),
    ("header.express", "sum(line.quantity) <= {n}"),
    ("header.region == 'north'", "header.goods_{k} >= {m} or count() > 1"),
    ("any(item.family == 'f{f}')", "any(line.grade == 'b') or not header.express"),
)
STEPS = (
    'kind = "discount", percent = "{m} if line.quantity > {n} else 0"',
    'kind = "charge", amount = "line.quantity * 0.{m}", when = "line.grade == \'b\'"',
    'kind = "charge", over = "order", amount = "{m}.50", when = "header.express and header.region != \'east\'"',
    'kind = "discount", percent = "0.{m}", when = "item.family == \'f{f}\'"',
)


def rulebook(folder: Path, rules: int, steps: int) -> None:
    """A rulebook of so many rules and steps, of six and four kinds in turn."""
    said = []
    for at in range(rules):
        when, require = (
            text.format(n=5 + 7 * at, m=1 + at % 5, f=at % 4, k=at % steps) for text in RULES[at % len(RULES)]
        )
        told = f'when = "{when}"\n' if when else ""
        said.append(f'[[rule]]\nid = "r{at}"\nat = "save"\n{told}require = "{require}"\nmessage = "rule {at}"\n')
    made = []
    for at in range(steps):
        step = STEPS[at % len(STEPS)].format(n=2 + 3 * at, m=1 + at % 9, f=at % 4)
        made.append(f'  {{ name = "step_{at}", {step} }},\n  {{ name = "goods_{at}", kind = "subtotal" }},')
    (folder / "rulebook.toml").write_text(HEAD.format(rules="\n".join(said), steps="\n".join(made)))
    items = [f"I{at},f{at % 4},{3 + at}.{at:02},{1 + at % 7}" for at in range(40)]
    (folder / "items.csv").write_text("item,family,price,weight\n" + "\n".join(items) + "\n")
    (folder / "volume.csv").write_text("family,least,percent\nf0,10,2\nf0,40,4\nf1,25,3\n,100,5\n")


def write_cases(folder: Path, count: int) -> None:
    """So many orders of one to four lines, with what they come to and what the rules say."""
    rng = random.Random(11)
    made = []
    for at in range(count):
        lines = [
            {"item": f"I{rng.randrange(40)}", "quantity": rng.randrange(1, 60), "grade": rng.choice("abc")}
            for _ in range(rng.randrange(1, 5))
        ]
        order = {"region": rng.choice(["north", "south", "east"]), "express": rng.random() < 0.5, "lines": lines}
        given = ", ".join(
            f'{{ item = "{line["item"]}", quantity = {line["quantity"]}, grade = "{line["grade"]}" }}' for line in lines
        )
        head = f'region = "{order["region"]}", express = {str(order["express"]).lower()}'
        made.append((at, head, given))
    texts = [
        f'[[case]]\nname = "c{at}"\norder = {{ {head}, lines = [{given}] }}\nat = "save"\n' for at, head, given in made
    ]
    target = folder / "cases" / "all.toml"
    target.write_text("\n".join(f"{each}expect = {{ payable = 0, findings = [] }}\n" for each in texts))
    for at, outcome in enumerate(dokima.CaseFolder(folder).prove().outcomes):
        found = ", ".join(f'"{each}"' for each in outcome.values["findings"])
        payable = outcome.values["payable"]
        texts[at] += f'expect = {{ payable = "{payable}", findings = {{ only = [{found}] }} }}\n'
    target.write_text("\n".join(texts))


def cases(given: Any) -> Iterator[Case]:
    """Mutation with a hundred cases, and suggestions out of nothing."""
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        (folder / "cases").mkdir()
        rulebook(folder, given.rules, given.rules)
        bare = dokima.CaseFolder(folder)
        found: list[Any] = []

        def suggested() -> int:
            found.append(bare.suggest(DAY, most=200))
            return len(found[-1])

        case = compared(
            f"cases suggested for {given.rules} rules and {given.rules} steps", {"dokima": suggested}, runs=3
        )
        dokima.add_cases(folder / "cases" / "all.toml", [each.case for each in found[-1]])
        reached = dokima.CaseFolder(folder).prove(coverage=True).coverage.with_unconfirmed.headline()["conditions"]
        case.notes = f"{len(found[-1])} cases; conditions both ways {reached[0]} of {reached[1]}"
        yield case
        write_cases(folder, given.cases)
        full = dokima.CaseFolder(folder)
        assert not full.prove().failed
        scores: list[Any] = []

        def mutated() -> int:
            scores.append(full.mutate())
            return int(scores[-1].percent)

        case = compared(
            f"mutation of {given.rules} rules and {given.rules} steps, {given.cases} cases", {"dokima": mutated}, runs=3
        )
        case.notes = f"{scores[-1].made} changes, {scores[-1].percent} % noticed"
        yield case


if __name__ == "__main__":
    arguments = parser(__doc__)
    arguments.add_argument("--rules", type=int, default=30)
    arguments.add_argument("--cases", type=int, default=100)
    asked = arguments.parse_args()
    show(cases(asked), asked)
