"""Texts for people that keep what they are made of, so that a report can say them in another language."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from decimal import Decimal
from string import Formatter
from typing import Any

from dokima.columns.shown import shown

SHOWN = "print(dokima.report(...)) shows it"
"""What the short form of a result says of the long one."""


class Said(str):
    """An English text made of a template and facts; it is that text wherever a text is wanted.

    Attributes:
        template: The sentence, facts in braces. It is the id under which catalogues translate it.
        facts: Values by name; a fact may be a `Said` itself.
    """

    template: str
    facts: Mapping[str, Any]

    def __new__(cls, template: str, **facts: Any) -> Said:
        """Say a template with its facts; without facts the template is the text, whatever is in it."""
        said = super().__new__(cls, _ENGLISH.vformat(template, (), facts) if facts else template)
        said.template, said.facts = template, facts
        return said


class _English(Formatter):
    """Values as messages write them; ``{difference:+}`` has its sign."""

    def format_field(self, value: Any, format_spec: str) -> str:
        sign = "+" if format_spec == "+" and isinstance(value, Decimal) and value >= 0 else ""
        return sign + (format(value, "f") if isinstance(value, Decimal) else shown(value))


_ENGLISH = _English()


def listing(parts: Iterable[str], between: str = ", ") -> Said:
    """Several texts, one after the other; each keeps what it is made of."""
    facts = {f"part{at}": part for at, part in enumerate(parts)}
    return Said(between.join(f"{{{name}}}" for name in facts), **facts)
