"""`LazyColumns`: columns by name, each made when it is first read."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any

from dokima.columns.column import C, Column


class LazyColumns(Mapping[str, C]):
    """Columns by name, each made when it is first read, so that nobody pays for what nobody reads.

    Args:
        names: Names in their order.
        make: Makes the column of a name.
        made: Those that there are already, by name.
    """

    def __init__(self, names: Iterable[str], make: Callable[[str], C], made: Mapping[str, C] | None = None) -> None:
        self._names = dict.fromkeys(names)
        self._make = make
        self._made: dict[str, C] = {} if made is None else dict(made)

    def __getitem__(self, name: str) -> C:
        found = self._made.get(name)
        if found is None:
            if name not in self._names:
                raise KeyError(name)
            found = self._made[name] = self._make(name)
        return found

    def get(self, name: str, default: Any = None) -> Any:
        """The column of a name, or the default if there is none."""
        found = self._made.get(name)
        return found if found is not None else self[name] if name in self._names else default

    def __contains__(self, name: object) -> bool:
        return name in self._names

    def __reduce__(self) -> tuple[Any, ...]:
        """To another process they go as they are: what makes them stays."""
        return dict, (dict(self),)

    def __iter__(self) -> Iterator[str]:
        return iter(self._names)

    def __len__(self) -> int:
        return len(self._names)


def laid_over(below: Mapping[str, Column], above: Mapping[str, Column]) -> Mapping[str, Column]:
    """Both sets of columns, those above first, without making any of them."""
    if not above:
        return below
    made = {name: column for name, column in _made(below).items() if name not in above}
    made.update(_made(above))
    return LazyColumns([*below, *above], lambda name: above[name] if name in above else below[name], made)


def _made(columns: Mapping[str, C]) -> Mapping[str, C]:
    """Those of some columns that are there already."""
    return columns._made if isinstance(columns, LazyColumns) else columns
