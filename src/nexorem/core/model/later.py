"""A tuple that is made when somebody looks into it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import Any, TypeVar, overload

Item = TypeVar("Item")


class Later(Sequence[Item]):
    """What `make` gives, made at the first look. Equal to a tuple with the same items, and joined with one as a tuple is."""

    __slots__ = ("_items", "_make")

    def __init__(self, make: Callable[[], tuple[Item, ...]]) -> None:
        self._make: Callable[[], tuple[Item, ...]] | None = make
        self._items: tuple[Item, ...] = ()

    def _made(self) -> tuple[Item, ...]:
        make = self._make
        if make is not None:
            self._items = make()
            self._make = None
        return self._items

    @overload
    def __getitem__(self, place: int) -> Item: ...
    @overload
    def __getitem__(self, place: slice) -> tuple[Item, ...]: ...
    def __getitem__(self, place: int | slice) -> Item | tuple[Item, ...]:
        return self._made()[place]

    def __len__(self) -> int:
        return len(self._made())

    def __iter__(self) -> Iterator[Item]:
        return iter(self._made())

    def __add__(self, other: Sequence[Item]) -> tuple[Item, ...]:
        return (*self._made(), *other)

    def __radd__(self, other: Sequence[Item]) -> tuple[Item, ...]:
        return (*other, *self._made())

    def __eq__(self, other: Any) -> bool:
        return self is other or (isinstance(other, tuple | Later) and self._made() == tuple(other))

    def __hash__(self) -> int:
        return hash(self._made())

    def __repr__(self) -> str:
        return repr(self._made())
