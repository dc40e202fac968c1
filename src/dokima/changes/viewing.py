"""The rulebook as a change order sees it."""

from __future__ import annotations

from dataclasses import replace

from dokima.editing.document import Document
from dokima.engine.program import Program
from dokima.errors import Locked
from dokima.model.states import Lifecycle, State


def refuse_ended(program: Program, document: Document) -> None:
    """Refuse to change an order that has come to its end: its state leads nowhere and permits nothing.

    Raises:
        Locked: It has.
    """
    name = str(document.header.get("state") or program.definition.lifecycle.first)
    state = program.definition.lifecycle.states.get(name)
    if state is not None and not state.to and not state.permits:
        raise Locked(f"order {document.header.get('number') or ''} is {name}, and nothing about it can change", name)


def changing(program: Program, document: Document) -> Program:
    """The rulebook as a change of a document sees it: terms are kept whatever its state, and lines may be changed."""
    state = document.header.get("state") or program.definition.lifecycle.first
    lifecycle = Lifecycle({"": State(), state: State((), ("header", "lines"))}, {}, "", change_when_paid=True)
    changed = replace(program, definition=replace(program.definition, lifecycle=lifecycle))
    # Terms name the rulebook people know, not this view of it.
    changed.__dict__["fingerprint"] = program.fingerprint
    return changed
