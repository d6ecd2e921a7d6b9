"""The plan of the current design for the eyes: steps, their drawings, their time; the step that is looked at."""

from __future__ import annotations

from datetime import datetime

import msgspec
from PySide6.QtCore import QObject, Signal

from lexipod.app.state.desk import Desk
from lexipod.app.state.session import Session
from lexipod.checks import Examination
from lexipod.drawing import Drawing
from lexipod.planning.model import Plan, Step
from lexipod.planning.schedule import Schedule

STEPS_OF_TRAVEL = 25


class PlanDesk(QObject):
    """What follows from the design about its making, worked out when it is first asked for. ``changed`` tells that it did, ``turned`` that another
    step is looked at."""

    changed = Signal()
    turned = Signal()

    def __init__(self, owner: QObject, session: Session, desk: Desk) -> None:
        super().__init__(owner)
        self.session, self.desk = session, desk
        self.step_id = ""
        self.begin: datetime | None = None
        self.until: datetime | None = None
        self._for: object = None
        self._plan: Plan | None = None
        self._schedule: Schedule | None = None
        self._drawings: dict[str, Drawing] = {}
        self._examination: Examination | None = None
        session.changed.connect(self._renew)
        desk.rebuilt.connect(self._renew)

    def _renew(self, *_: object) -> None:
        self._plan = self._schedule = None
        self.changed.emit()

    @property
    def copies(self) -> int:
        return self.session.design.sheeting.copies

    @property
    def plan(self) -> Plan:
        """The plan of the design as it is now."""
        assembly = self.desk.assembly
        assert assembly is not None
        if self._plan is None:
            from lexipod.planning.plan import make_plan  # here and below: only who plans waits for it

            self._plan = make_plan(assembly, self.session.catalog, self.session.design)
            if self._for is not assembly:
                self._for = assembly
                self._examination = None
            self._drawings = {}
        return self._plan

    @property
    def schedule(self) -> Schedule:
        """When each step is done."""
        if self._schedule is None:
            from lexipod.planning.schedule import make_schedule, tasks_of

            self._schedule = make_schedule(tasks_of(self.plan, self.copies, self.session.design.making.by), self.copies)
        return self._schedule

    @property
    def step(self) -> Step | None:
        """The step that is looked at: the one that was turned to, or the first."""
        plan = self.plan
        return plan.by_id.get(self.step_id) or (plan.steps[0] if plan.steps else None)

    @property
    def number(self) -> int:
        """Which step that is, counted from 1."""
        step = self.step
        return self.plan.number(step.id) if step is not None else 0

    def turn_to(self, step_id: str) -> None:
        """Another step."""
        if step_id != self.step_id:
            self.step_id = step_id
            self.turned.emit()

    def go(self, by: int) -> None:
        """So many steps on or back, as far as there are any."""
        steps = self.plan.steps
        if steps:
            self.turn_to(steps[max(0, min(len(steps) - 1, self.number - 1 + by))].id)

    def drawing(self, step: Step) -> Drawing:
        """The drawing of a step; made once for each plan."""
        if step.id not in self._drawings:
            from lexipod.blanks import find_blanks
            from lexipod.planning.step_drawing import draw_step

            assembly = self.desk.assembly
            assert assembly is not None
            if self._examination is None:
                self._examination = Examination(assembly, self.session.catalog, self.session.design.ways, steps=STEPS_OF_TRAVEL)
            self._drawings[step.id] = draw_step(self.plan, step, self._examination, find_blanks(assembly))
        return self._drawings[step.id]

    def move(self, by: int) -> str:
        """The step one place earlier or later, undoable; why not, where something must come before it."""
        step = self.step
        if step is None:
            return ""
        to = self.number - 1 + by
        if not 0 <= to < len(self.plan.steps):
            return "It is the first step already." if by < 0 else "It is the last step already."
        from lexipod.planning.plan import move_refused, moved_order

        refused = move_refused(self.plan, step.id, to)
        if refused:
            return refused
        self._edit(order=moved_order(self.plan, step.id, to), text="order of steps")
        aside = self.plan.moved
        return aside[0] if aside else ""

    def use_own_order(self) -> None:
        """Back to the order that the program proposes."""
        self._edit(order=(), text="order of steps")

    def set_minutes(self, step_id: str, minutes: float | None) -> None:
        """What a step takes, as the maker says; None for what is usual."""
        kept = {k: v for k, v in self.session.design.making.minutes.items() if k != step_id}
        self._edit(minutes=kept if minutes is None else kept | {step_id: minutes}, text="minutes of a step")

    def build_by(self, by: str) -> None:
        """Each step for all cards, or card after card."""
        self._edit(by=by, text="way of building")

    def _edit(self, *, text: str, **changes: object) -> None:
        design = self.session.design
        making = msgspec.structs.replace(design.making, **changes)
        self.session.edit(msgspec.structs.replace(design, making=making), text=text)
