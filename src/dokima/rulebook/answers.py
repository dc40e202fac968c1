"""Answers to a rulebook's questions: each puts its values in the place of those that were guessed.

An empty text takes a setting away: a column that an answer moves to the lines is none of the header's any more.
"""

from __future__ import annotations

import copy
from collections.abc import Mapping
from typing import Any

from dokima.errors import RulebookProblem, listed, nearest


def with_answers(data: Mapping[str, Any]) -> tuple[dict[str, Any], list[RulebookProblem]]:
    """A rulebook's data with what its answered questions set, and the problems of answers that are none."""
    problems: list[RulebookProblem] = []
    questions = data.get("question", [])
    if not isinstance(questions, list) or not any(
        isinstance(each, Mapping) and each.get("answer") for each in questions
    ):
        return dict(data), problems
    answered = copy.deepcopy(dict(data))
    for each in questions:
        if not isinstance(each, Mapping) or not each.get("answer"):
            continue
        path = f"question.{each.get('id', '')}.answer"
        answer, choices = str(each["answer"]), each.get("choices") or {}
        if choices and answer not in choices:
            message = f"expected one of {listed(choices)} (got '{answer}'{nearest(answer, choices)})"
            problems.append(RulebookProblem("", path, message))
            continue
        values = choices[answer] if choices else {str(each.get("sets", "")): answer}
        for target, value in values.items():
            if not _put(answered, str(target).split("."), value):
                problems.append(RulebookProblem("", path, f"expected the path of a setting (got '{target}')"))
    return answered, problems


def _put(data: dict[str, Any], path: list[str], value: Any) -> bool:
    """Put a value at a path; sections that are missing are made."""
    for part in path[:-1]:
        data = data.setdefault(part, {})
        if not isinstance(data, dict):
            return False
    if value == "":
        data.pop(path[-1], None)
    else:
        data[path[-1]] = value
    return bool(path[-1])
