"""When each step is done by one pair of hands: waits filled with other work, one card or a batch, what is critical, what fits until a time.

The hands do one thing at a time; a step may begin when the hands' part of all that comes before is done, and where it needs their glue set, when
that has rested. Steps are begun by the longest way that still follows them (hands and waits); a better order is then looked for by exchanging
neighbours. Source: a project network with minimal time lags on one resource; the priority is that of the critical-path method (J. E. Kelley and
M. R. Walker, Critical-Path Planning and Scheduling, 1959, from memory).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

from lexipod.planning.model import Plan

CLOSE_MIN = 1e-9
MOST_TRIED = 400
FEW_TASKS = 10
MOST_LOOKED_AT = 20_000


@dataclass(frozen=True, slots=True)
class Task:
    """One thing for the hands: minutes of ``hands``, and what comes before it, each with the minutes that must lie between its end and the
    beginning of this one."""

    id: str
    hands: float
    after: Mapping[str, float]
    step: str = ""
    card: int = 1


@dataclass(frozen=True, slots=True)
class Slot:
    """When a task is done (minutes from the beginning)."""

    task: Task
    start: float

    @property
    def end(self) -> float:
        return self.start + self.task.hands


@dataclass(frozen=True, slots=True)
class Rest:
    """A wait: from the end of one task to the beginning of the one that needs it; ``least`` is how long it must be."""

    first: str
    then: str
    start: float
    end: float
    least: float


@dataclass(frozen=True, eq=False)
class Schedule:
    """Tasks in the order of their beginnings."""

    slots: tuple[Slot, ...]
    copies: int = 1

    @property
    def total(self) -> float:
        """From the first beginning to the last end."""
        return max((s.end for s in self.slots), default=0.0)

    @property
    def hands(self) -> float:
        return sum(s.task.hands for s in self.slots)

    @property
    def idle(self) -> float:
        """How long the hands can do nothing but wait."""
        return max(0.0, self.total - self.hands)

    @cached_property
    def by_task(self) -> dict[str, Slot]:
        return {s.task.id: s for s in self.slots}

    @cached_property
    def starts(self) -> dict[str, float]:
        """When each step begins, for the first card."""
        out: dict[str, float] = {}
        for slot in self.slots:
            out.setdefault(slot.task.step, slot.start)
        return out

    @cached_property
    def rests(self) -> tuple[Rest, ...]:
        """Every wait that lies between two tasks."""
        out = []
        for slot in self.slots:
            for first, lag in slot.task.after.items():
                if lag > 0 and first in self.by_task:
                    out.append(Rest(first, slot.task.id, self.by_task[first].end, slot.start, lag))
        return tuple(out)

    @cached_property
    def critical(self) -> frozenset[str]:
        """Tasks that cannot begin later without a later end, in the order in which the hands do them."""
        latest: dict[str, float] = {}
        following: dict[str, list[tuple[str, float]]] = {}
        for slot in self.slots:
            for first, lag in slot.task.after.items():
                following.setdefault(first, []).append((slot.task.id, lag))
        end = self.total
        next_start = end
        for slot in reversed(self.slots):
            bound = min([end, next_start, *(latest[i] - lag for i, lag in following.get(slot.task.id, ()) if i in latest)])
            latest[slot.task.id] = bound - slot.task.hands
            next_start = latest[slot.task.id] if slot.task.hands > 0 else next_start
        return frozenset(s.task.id for s in self.slots if latest[s.task.id] - s.start < 1e-6)

    def done_by(self, minutes: float) -> tuple[Slot, ...]:
        """What is ended by then."""
        return tuple(s for s in self.slots if s.end <= minutes + CLOSE_MIN)


def tasks_of(plan: Plan, copies: int = 1, by: Literal["step", "card"] = "step") -> list[Task]:
    """The work on some cards. By step each step is one task for all cards: its wait counts from the card that was done last before it is that
    card's turn again. By card each step of each card is a task, and set-up times are taken anew for each."""
    if by == "card" or copies == 1:
        return _by_card(plan, copies)
    return _by_step(plan, copies)


def _by_card(plan: Plan, copies: int) -> list[Task]:
    out = []
    for card in range(1, copies + 1):
        for step in plan.steps:
            mark = f"#{card}" if copies > 1 else ""
            after = {f"{e.step}{mark}": _lag(plan, e.step, sets=e.sets) for e in step.earlier if e.step in plan.by_id}
            out.append(Task(f"{step.id}{mark}", step.minutes + step.setup, after, step.id, card))
    return out


def _by_step(plan: Plan, copies: int) -> list[Task]:
    out = []
    for step in plan.steps:
        hands = step.setup + copies * step.minutes
        after: dict[str, float] = {}
        for earlier in step.earlier:
            first = plan.by_id.get(earlier.step)
            if first is None:
                continue
            lag = _lag(plan, earlier.step, sets=earlier.sets)
            after[earlier.step] = max(_apart(first.minutes, step.minutes, step.setup, lag, copies))
        out.append(Task(step.id, hands, after, step.id, 0))
    return out


def _apart(first: float, then: float, setup: float, lag: float, copies: int) -> tuple[float, float, float]:
    """How long after the end of one step for all cards the next one may begin, so that for the first card and for the last one its wait is over:
    card k of the first ends (n - k) times its minutes before the end of all, and card k's turn comes setup + (k - 1) times later."""
    return (0.0, lag - (copies - 1) * first - setup, lag - (copies - 1) * then - setup)


def _lag(plan: Plan, step: str, *, sets: bool) -> float:
    return plan.by_id[step].wait if sets else 0.0


def make_schedule(tasks: Sequence[Task], copies: int = 1) -> Schedule:
    """The tasks in time. Raises ``ValueError`` where they go round in a ring."""
    tail = _tails(tasks)
    order = sorted(range(len(tasks)), key=lambda k: -tail[tasks[k].id])
    best = _placed([tasks[k] for k in order])
    if len(tasks) <= FEW_TASKS:
        best = _searched(tasks, tail, best)
    elif len(tasks) <= MOST_TRIED:
        best = _improved(tasks, tail, best)
    return Schedule(tuple(best), copies)


def in_order(tasks: Sequence[Task], copies: int = 1) -> Schedule:
    """The tasks in the order in which they are given, each as soon as it can. Raises ``ValueError`` where one stands before what it needs."""
    slots = _in_turn(tasks)
    if slots is None:
        raise ValueError("a step stands before what it needs")
    return Schedule(tuple(slots), copies)


def _tails(tasks: Sequence[Task]) -> dict[str, float]:
    """The longest way from the beginning of each task to the end of all: hands and waits."""
    following: dict[str, list[tuple[Task, float]]] = {}
    for task in tasks:
        for first, lag in task.after.items():
            following.setdefault(first, []).append((task, lag))
    tail: dict[str, float] = {}
    waiting = {t.id: len(following.get(t.id, ())) for t in tasks}
    by_id = {t.id: t for t in tasks}
    ready = [t for t in tasks if waiting[t.id] == 0]
    while ready:
        task = ready.pop()
        tail[task.id] = task.hands + max((lag + tail[t.id] for t, lag in following.get(task.id, ())), default=0.0)
        for first in task.after:
            if first in waiting:
                waiting[first] -= 1
                if waiting[first] == 0:
                    ready.append(by_id[first])
    if len(tail) < len(tasks):
        raise ValueError("the steps wait for each other in a ring")
    return tail


def _placed(priority: Sequence[Task]) -> list[Slot]:
    """By priority: whenever the hands are free the first task that can begin now, else they wait for the next that can."""
    rank = {t.id: k for k, t in enumerate(priority)}
    left = {t.id: t for t in priority}
    missing = {t.id: sum(f in rank for f in t.after) for t in priority}
    following: dict[str, list[str]] = {}
    for task in priority:
        for first in task.after:
            following.setdefault(first, []).append(task.id)
    earliest = {t.id: 0.0 for t in priority}
    free = {t.id for t in priority if missing[t.id] == 0}
    now, slots = 0.0, []
    while left:
        begin = max(now, min(earliest[i] for i in free))
        can = [i for i in free if earliest[i] <= begin + CLOSE_MIN]
        chosen = left.pop(min(can, key=lambda i: rank[i]))
        free.discard(chosen.id)
        slots.append(Slot(chosen, begin))
        now = begin + chosen.hands
        for name in following.get(chosen.id, ()):
            if name in left:
                earliest[name] = max(earliest[name], now + left[name].after[chosen.id])
                missing[name] -= 1
                if missing[name] == 0:
                    free.add(name)
    return slots


def _end(slots: Sequence[Slot]) -> float:
    return max((s.end for s in slots), default=0.0)


def _searched(tasks: Sequence[Task], tail: Mapping[str, float], best: list[Slot]) -> list[Slot]:
    """Of few tasks every order that could still end earlier."""
    looked = 0

    def go_on(done: list[Slot], ends: dict[str, float], left: list[Task]) -> None:
        nonlocal best, looked
        looked += 1
        if looked > MOST_LOOKED_AT:
            return
        if not left:
            best = list(done)
            return
        now = done[-1].end if done else 0.0
        can = [t for t in left if not any(f in {o.id for o in left} for f in t.after)]
        for task in sorted(can, key=lambda t: -tail[t.id]):
            begin = max([now, *(ends[f] + lag for f, lag in task.after.items() if f in ends)])
            rest = sum(t.hands for t in left)
            if max(begin + rest, begin + tail[task.id]) >= _end(best) - CLOSE_MIN:
                continue
            go_on([*done, Slot(task, begin)], {**ends, task.id: begin + task.hands}, [t for t in left if t is not task])

    go_on([], {}, list(tasks))
    return best


def _improved(tasks: Sequence[Task], tail: Mapping[str, float], best: list[Slot]) -> list[Slot]:
    """Exchanges and moves in the order, as long as one ends earlier; no shorter than the hands or the longest way."""
    bound = max(sum(t.hands for t in tasks), max(tail.values(), default=0.0))
    tried = 0
    better = True
    while better and _end(best) > bound + 1e-6:
        better = False
        order = [s.task for s in best]
        for i in range(len(order)):
            for j in (*range(max(0, i - 8), i), *range(i + 1, min(len(order), i + 8))):
                tried += 1
                if tried > 4 * MOST_TRIED:
                    return best
                changed = order[:i] + order[i + 1 :]
                changed.insert(j, order[i])
                made = _in_turn(changed)
                if made is not None and _end(made) < _end(best) - 1e-6:
                    best, better = made, True
                    break
            if better:
                break
    return best


def _in_turn(order: Sequence[Task]) -> list[Slot] | None:
    """The tasks one after the other in this order; None where one stands before what it needs."""
    names = {t.id for t in order}
    ends: dict[str, float] = {}
    now, slots = 0.0, []
    for task in order:
        if any(f in names and f not in ends for f in task.after):
            return None
        begin = max([now, *(ends[f] + lag for f, lag in task.after.items() if f in ends)])
        slots.append(Slot(task, begin))
        now = begin + task.hands
        ends[task.id] = now
    return slots
