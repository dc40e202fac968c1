"""What an edit changed, for the terminal."""

from __future__ import annotations

from rich.console import Group, RenderableType
from rich.text import Text

from dokima.editing.editor import Editor
from dokima.reports.findings import finding_lines
from dokima.reports.formatting import number, plural, signed


def edit_report(editor: Editor) -> RenderableType:
    """What was done, what it does to the total, and the warnings that remain."""
    order = editor.order
    parts: list[RenderableType] = [Text(f"{order.number or '(no order number)'}   {editor.state}", style="bold")]
    parts += [Text(f"  {entry}") for entry in editor.journal]
    was, now = Editor(editor.program, editor.original, editor.by).totals.payable, editor.totals.payable
    if was is not None and now is not None:
        moved = f" ({signed(now - was)})" if now != was else ""
        parts.append(Text(f"  payable {number(was)} to {number(now)}{moved}" if moved else f"  payable {number(now)}"))
    found = editor.check("save")
    left, noted = found.stopping, found.where(lambda finding: finding.severity == "warning" and not finding.stops)
    if left:
        parts += [Text(f"  before it can be saved, {plural(len(left), 'finding')}:"), finding_lines(left)]
    if noted:
        parts += [Text(f"  to be noted, {plural(len(noted), 'warning')}:"), finding_lines(noted)]
    return Group(*parts, Text(""))
