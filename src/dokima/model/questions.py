"""Questions that a rulebook leaves open, and what their answers set."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any

from dokima.model.settings import Name, Reads, setting


@dataclass(frozen=True)
class Question:
    """A question that stays open until somebody answers it."""

    id: Name = setting("Its id.")
    asks: str = setting("The question.")
    choices: Mapping[str, Mapping[str, Annotated[Any, Reads("anything exact")]]] = setting(
        "What each answer sets: values by the path of a setting, such as header.kind.default.", default_factory=dict
    )
    sets: str = setting("The path of the setting that an answer becomes, where any text may be one.", default="")
    answer: str = setting("The answer; open if blank.", default="")

    def wrong(self) -> str:
        """What is wrong with the settings together, blank for nothing."""
        if bool(self.choices) == bool(self.sets):
            return "expected either 'choices' or 'sets'"
        return ""

    @property
    def is_open(self) -> bool:
        """Whether nobody has answered it."""
        return not self.answer
