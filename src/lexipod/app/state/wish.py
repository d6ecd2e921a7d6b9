"""What the maker wishes: the measures that she set last by hand, and those that she pinned. Cures keep them if they can."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from lexipod.design import Design


class Wish(QObject):
    """Pins, and what was set last. Neither is saved or undone."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._pins: set[tuple[str, str]] = set()
        self.last: tuple[str, tuple[str, ...]] | None = None

    def is_pinned(self, mechanism: str, name: str) -> bool:
        """Whether a measure is pinned."""
        return (mechanism, name) in self._pins

    def pin(self, mechanism: str, name: str, *, on: bool) -> None:
        """Pins a measure, or lets it go."""
        if on != self.is_pinned(mechanism, name):
            (self._pins.add if on else self._pins.discard)((mechanism, name))
            self.changed.emit()

    def pinned(self, mechanism: str) -> tuple[str, ...]:
        """The pinned measures of a mechanism."""
        return tuple(sorted(name for owner, name in self._pins if owner == mechanism))

    def note(self, before: Design, after: Design) -> None:
        """What an edit by hand changed is the wish from now on, where it is about one mechanism."""
        found = []
        for mechanism in after.mechanisms:
            old = before.find_mechanism(mechanism.id)
            if old is not None and old.recipe == mechanism.recipe:
                names = tuple(n for n, v in mechanism.parameters.items() if old.parameters.get(n) != v)
                found += [(mechanism.id, names)] if names else []
        self.last = found[0] if len(found) == 1 else None

    def forget(self) -> None:
        """Another design, or a step back: nothing was set last."""
        self.last = None

    def of(self, design: Design) -> dict[str, tuple[str, ...]]:
        """By mechanism of a design what is wished as it is."""
        wishes = {m.id: self.pinned(m.id) for m in design.mechanisms}
        if self.last is not None and self.last[0] in wishes:
            owner, names = self.last
            wishes[owner] = tuple(dict.fromkeys((*names, *wishes[owner])))
        return {m: names for m, names in wishes.items() if names}


__all__ = ["Wish"]
