"""The history of a design: what was there before and after each change. Designs never change, so both are kept as they are."""

from __future__ import annotations

from dataclasses import dataclass, replace

from lexipod.design import Design

MOST_STEPS = 500


@dataclass(frozen=True, slots=True)
class Step:
    """One change under a name; later ones of the same ``gesture`` (not 0) are taken into it."""

    before: Design
    after: Design
    text: str
    gesture: int = 0


class History:
    """Steps that were made, those of them that were taken back, and which state is saved."""

    def __init__(self) -> None:
        self._steps: list[Step] = []
        self._made = 0
        self._saved: int | None = 0

    @property
    def count(self) -> int:
        """How many steps there are, those that were taken back included."""
        return len(self._steps)

    @property
    def undo_text(self) -> str:
        """The name of the step that would be taken back; empty where there is none."""
        return self._steps[self._made - 1].text if self._made else ""

    @property
    def redo_text(self) -> str:
        """The name of the step that would be made again; empty where there is none."""
        return self._steps[self._made].text if self.can_redo else ""

    @property
    def can_undo(self) -> bool:
        """Whether a step can be taken back."""
        return self._made > 0

    @property
    def can_redo(self) -> bool:
        """Whether a step can be made again."""
        return self._made < len(self._steps)

    @property
    def is_saved(self) -> bool:
        """Whether the present state is the one that was saved last."""
        return self._saved == self._made

    def push(self, step: Step) -> None:
        """One more step; what was taken back is forgotten. Within a gesture it becomes part of the step before, which goes where nothing is
        left of it."""
        last = self._steps[-1] if self._steps and not self.can_redo else None
        if last is not None and step.gesture and last.gesture == step.gesture and not self.is_saved:
            self._steps[-1] = replace(last, after=step.after)
            if step.after == last.before:
                del self._steps[-1]
                self._made -= 1
            return
        if self._saved is not None and self._saved > self._made:
            self._saved = None
        del self._steps[self._made :]
        self._steps.append(step)
        self._made += 1
        if len(self._steps) > MOST_STEPS:
            del self._steps[0]
            self._made -= 1
            self._saved = self._saved - 1 if self._saved else None

    def undo(self) -> Design | None:
        """The design before the last step; None where there is none."""
        if not self.can_undo:
            return None
        self._made -= 1
        return self._steps[self._made].before

    def redo(self) -> Design | None:
        """The design after the step that was taken back last; None where there is none."""
        if not self.can_redo:
            return None
        self._made += 1
        return self._steps[self._made - 1].after

    def mark_saved(self) -> None:
        """The present state is the saved one."""
        self._saved = self._made
