"""What a store says of itself: its version, the fields its columns were made for, whose it is."""

from __future__ import annotations

import json
from dataclasses import dataclass

from sqlalchemy import Connection, column, inspect, select, table

from dokima.errors import DokimaError
from dokima.store.database.schema import SCHEMA_VERSION, Kinds


@dataclass(frozen=True)
class Kept:
    """A store as it is kept.

    Attributes:
        version: Version of its tables.
        fields: The kinds of its fields, by level and name.
        rulebook: Name of the rulebook whose orders it keeps; None where that was not kept.
    """

    version: int
    fields: Kinds
    rulebook: str | None

    @classmethod
    def of(cls, connection: Connection, schema: str, prefix: str) -> Kept | None:
        """What is kept; None if there is no store."""
        name = f"{prefix}store"
        if not inspect(connection).has_table(name, schema=schema or None):
            return None
        about = table(name, column("version"), column("fields"), column("rulebook"), schema=schema or None)
        version, fields = connection.execute(select(about.c.version, about.c.fields)).one()
        whose = connection.execute(select(about.c.rulebook)).scalar_one() if version > 1 else None
        return cls(version, json.loads(fields), whose)

    def refuse_unless_ours(self, rulebook: str, place: str) -> None:
        """Refuse a store that another rulebook keeps its orders in.

        Raises:
            DokimaError: Says whose it is.
        """
        if self.rulebook is not None and self.rulebook != rulebook:
            whose = f"{place} keeps the orders of the rulebook '{self.rulebook}', not of '{rulebook}'"
            raise DokimaError(f"{whose}; if that is its new name: dokima store upgrade --adopt")

    def refuse_other_version(self, place: str) -> None:
        """Refuse tables of another version.

        Raises:
            DokimaError: Says which command helps.
        """
        if self.version != SCHEMA_VERSION:
            helps = "dokima store upgrade" if self.version < SCHEMA_VERSION else "a newer Dokima made them"
            raise DokimaError(f"{place} has tables of version {self.version}, not {SCHEMA_VERSION}: {helps}")
