"""The rulebook as a change order sees it."""

from __future__ import annotations

from dataclasses import replace

from dokima.editing.document import Document
from dokima.engine.program import Program
from dokima.model.states import DEEDS, Lifecycle, State


def changing(program: Program, document: Document) -> Program:
    """The rulebook as a change of a document sees it: terms are kept whatever its state, and lines may be changed."""
    state = document.header.get("state") or program.definition.lifecycle.first
    lifecycle = Lifecycle({"": State(), state: State((), DEEDS)}, {}, "", change_when_paid=True)
    changed = replace(program, definition=replace(program.definition, lifecycle=lifecycle))
    # Terms name the rulebook people know, not this view of it.
    changed.__dict__["fingerprint"] = program.fingerprint
    return changed
