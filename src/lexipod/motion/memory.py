"""What was worked out before is kept: most changes of a design leave most pairs of parts as they lie towards each other.

Only functions of their key are kept here, told by content (shapes, poses, measures), never by a name.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

import numpy as np

from lexipod.geometry.frames import Array

T = TypeVar("T")
ROUNDED = 9
"""Decimals to which numbers count as the same in a key: less than what floating point loses on the way."""
_ALL: list[Memory[object]] = []


class Memory(Generic[T]):
    """The answers to the last ``most`` questions."""

    def __init__(self, most: int) -> None:
        self._most, self._known = most, OrderedDict[Hashable, T]()
        _ALL.append(self)  # type: ignore[arg-type]

    def once(self, key: Hashable, make: Callable[[], T]) -> T:
        """The answer to a question, worked out where it was not asked lately."""
        if key in self._known:
            self._known.move_to_end(key)
            return self._known[key]
        made = self._known[key] = make()
        if len(self._known) > self._most:
            self._known.popitem(last=False)
        return made

    def forget(self) -> None:
        """As in a new process."""
        self._known.clear()


def key_of(values: Array) -> bytes:
    """The content of an array of numbers, to `ROUNDED` decimals."""
    return (np.round(values, ROUNDED) + 0.0).tobytes()


def forget_all() -> None:
    """Forgets everything that was kept: for who measures times."""
    for memory in _ALL:
        memory.forget()


__all__ = ["Memory", "forget_all", "key_of"]
