"""What a rulebook declares and never reads, rules that cannot speak, comparisons that never hold."""

from __future__ import annotations

from collections.abc import Iterator

from dokima.columns.column import values_of
from dokima.columns.texts import Texts
from dokima.compiling.places import formula_places
from dokima.errors import nearest
from dokima.formulas import Formula, Level
from dokima.formulas.comparing import shape
from dokima.formulas.operators import flags
from dokima.formulas.tree import Node
from dokima.model.fields import HEADER_FIELDS, LINE_FIELDS
from dokima.model.validity import Validity, gaps
from dokima.pricing.program import Program
from dokima.proving.remark import AuditRemark
from dokima.tables.preference import RowFrame


def all_formulas(program: Program) -> list[Formula]:
    """Every formula of a rulebook, those of named formulas where they are read."""
    return [place.formula for place in formula_places(program) if not place.path.startswith("formula.")]


def read_tables(program: Program) -> set[str]:
    """The tables whose answers a formula reads, by name."""
    formulas = all_formulas(program)
    tables = {name.split(".")[0] for formula in formulas for name in formula.reads}
    tables |= {table for formula in formulas for table in formula.tables}
    return tables | {
        what.split(".")[0] for table in program.tables.values() for what in table.definition.roll_up.values()
    }


def audit_usage(program: Program) -> Iterator[AuditRemark]:
    """Fields, tables and named values that no formula reads."""
    formulas = all_formulas(program)
    read = {name for formula in formulas for name in formula.reads}
    read |= {name.replace(short, level, 1) for name in read for short, level in _OTHER if name.startswith(short)}
    read |= {f"line.{name.partition('.')[2]}" for name in read if name.startswith("parent.")}
    tables = read_tables(program) | {each.table for each in program.definition.context}
    python = " by a formula; a rule in Python may" if any(r.definition.python for r in program.rules) else ""
    for name, table in program.tables.items():
        if name not in tables:
            said = f"table {name} is never read{python}"
            yield AuditRemark("unused", "notice", said, name, table.source.file, path=f"table.{name}")
    for name in program.definition.values:
        if f"value.{name}" not in read:
            yield AuditRemark("unused", "notice", f"value.{name} is never read{python}", path=f"value.{name}")
    named = {dotted for formula in (*formulas, *program.named.values()) for _, _, dotted in formula.named}
    for name in program.named:
        if f"formula.{name}" not in named:
            yield AuditRemark("unused", "notice", f"formula.{name} is never read{python}", path=f"formula.{name}")
    standard = {f"header.{each.name}" for each in HEADER_FIELDS} | {f"line.{each.name}" for each in LINE_FIELDS}
    for level, fields in (("header", program.fields.header), ("line", program.fields.line)):
        for field in fields:
            name = f"{level}.{field}"
            if name not in standard and name not in read:
                yield AuditRemark("unused", "notice", f"{name} is never read{python}", path=name)


_OTHER = (("was.", "line."), ("was_header.", "header."))


def audit_rules(program: Program) -> Iterator[AuditRemark]:
    """Rules that can never speak: what they require is always true, or what they speak about never is."""
    for rule in program.rules:
        if rule.definition.python is not None or rule.require is None:
            continue
        why = ""
        if _constant(rule.require) is True:
            why = f"'{rule.require.source}' is always true"
        elif rule.when is not None and _constant(rule.when) is False:
            why = f"'{rule.when.source}' is never true"
        elif rule.when is not None and shape(rule.when.root) == shape(rule.require.root):
            why = "it requires just what it asks for"
        elif _is_same_twice(rule.require.root):
            why = f"'{rule.require.source}' compares a value with itself"
        if why:
            said = f"rule {rule.key} can never fail: {why}"
            yield AuditRemark("cannot-fail", "warning", said, path=f"rule.{rule.key}")
    yield from _audit_versions(program)


def _audit_versions(program: Program) -> Iterator[AuditRemark]:
    """Days between two versions of a rule on which none of them is asked."""
    versions: dict[str, list[Validity]] = {}
    for rule in program.definition.rules:
        if rule.version and rule.valid is not None:
            versions.setdefault(rule.id, []).append(rule.valid)
    for name, each in versions.items():
        for first, last in gaps(each):
            said = f"no version of rule {name} counts from {first} to {last}"
            yield AuditRemark("gap", "warning", said, path=f"rule.{name}")


def _constant(formula: Formula) -> bool | None:
    if formula.level is not Level.CONSTANT or formula.reads or formula.tables:
        return None
    value = flags(formula.evaluate(RowFrame({}, 1), Level.CONSTANT))
    return None if value.is_missing()[0] else bool(value.is_true()[0])


def _is_same_twice(node: Node) -> bool:
    return node.role in ("==", "<=", ">=") and shape(node.operands[0]) == shape(node.operands[1])


def audit_comparisons(program: Program) -> Iterator[AuditRemark]:
    """Comparisons of a field or a table's column with a text that it cannot hold."""
    for place in formula_places(program):
        for node in place.formula.root.walk():
            if node.role not in ("==", "!=", "in", "not in"):
                continue
            name = next((each.name for each in node.operands if each.name), "")
            known = _values_of(program, name)
            for operand in node.operands if known else ():
                if operand.value is None or operand.kind != "text":
                    continue
                (text,) = values_of(operand.value)
                if text is not None and text not in known:
                    said = f"{name} is never '{text}', as in: {place.formula.source}{nearest(text, known)}"
                    yield AuditRemark("never-equal", "warning", said, path=place.path)


def _values_of(program: Program, name: str) -> list[str]:
    """The texts that a name may stand for; empty if it may be any."""
    head, _, column = name.partition(".")
    fields = {"header": program.fields.header, "was_header": program.fields.header}.get(head)
    if head in ("line", "parent", "was"):
        fields = program.fields.line
    if fields is not None:
        return list(fields[column].choices) if column in fields else []
    table = program.tables.get(head)
    if table is None or column not in table.fields or not table.size:
        return []
    if table.fields[column].choices:
        return list(table.fields[column].choices)
    default = [table.defaults[column]] if column in table.defaults else []
    columns = [each for each in (table.columns[column], *default) if isinstance(each, Texts)]
    return sorted({word for each in columns for word in each.to_list() if word})
