"""The plan as it is told: JSON and text."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

from lexipod.errors import ParameterError, quoted
from lexipod.geometry.frames import Array
from lexipod.planning.model import Plan, Step
from lexipod.planning.schedule import Schedule
from lexipod.units import UnitStyle


def plan_json(plan: Plan, schedule: Schedule, copies: int) -> dict[str, object]:
    """The plan as the documented JSON object: times are minutes, outlines in the frame of their part (mm)."""
    critical = {schedule.by_task[i].task.step for i in schedule.critical}
    return {
        "format": "lexipod-plan/1",
        "title": plan.title,
        "copies": copies,
        "minutes_hands": round(schedule.hands, 2),
        "minutes_total": round(schedule.total, 2),
        "steps": [_step_json(s, schedule.starts.get(s.id, 0.0), is_critical=s.id in critical) for s in plan.steps],
        "faults": list(plan.faults),
        "set_aside": list(plan.moved),
    }


def _step_json(step: Step, start: float, *, is_critical: bool) -> dict[str, object]:
    return {
        "id": step.id,
        "kind": step.kind,
        "after": [e.step for e in step.earlier],
        "because": {e.step: e.why for e in step.earlier},
        "do": step.do,
        "why": step.why,
        "parts": list(step.parts),
        "blanks": list(step.blanks),
        "minutes": round(step.minutes, 2),
        "setup_minutes": round(step.setup, 2),
        "wait_minutes": step.wait,
        "wait_for": step.wait_for,
        "glue": [
            {"part": g.part, "face": g.face, "to": g.onto, "polygon": _ring(g.outline), "holes": [_ring(h) for h in g.holes]} for g in step.glue
        ],
        "adhesive": step.adhesive,
        "position": {m: round(v, 6) for m, v in step.position.items()},
        "reach": step.reach,
        "tools": list(step.tools),
        "tips": list(step.tips),
        "cautions": list(step.cautions),
        "measures": [{"id": a.id, "name": a.name, "designed": a.designed_mm, "kind": a.kind} for a in step.asks],
        "start": round(start, 2),
        "critical": is_critical,
    }


def _ring(points: Array) -> list[list[float]]:
    return [[round(float(x), 4), round(float(y), 4)] for x, y in points]


def minutes_text(minutes: float) -> str:
    """So many minutes, as they are spoken.

    >>> minutes_text(0.4), minutes_text(12.2), minutes_text(95.0)
    ('under a minute', '12 min', '1 h 35 min')
    """
    whole = round(minutes)
    if whole < 1:
        return "under a minute"
    return f"{whole} min" if whole < 60 else f"{whole // 60} h {whole % 60:02d} min"


def parse_clock(text: str, now: datetime) -> datetime:
    """A time of today; one that is past is meant for tomorrow. ``ParameterError`` for what is no time of day.

    >>> parse_clock("18:00", datetime(2026, 3, 1, 12, 0))
    datetime.datetime(2026, 3, 1, 18, 0)
    """
    try:
        given = datetime.strptime(text.strip(), "%H:%M")
    except ValueError as error:
        raise ParameterError("time", f"{quoted(text)} is no time of day; write it like 18:00") from error
    made = now.replace(hour=given.hour, minute=given.minute, second=0, microsecond=0)
    return made if made >= now.replace(second=0, microsecond=0) else made + timedelta(days=1)


def plan_text(
    plan: Plan, schedule: Schedule, style: UnitStyle, *, copies: int = 1, begin: datetime | None = None, until: datetime | None = None
) -> str:
    """The plan to read: numbered steps with their reasons, waits and cautions, and when they are done."""
    cards = f" for {copies} cards" if copies > 1 else ""
    lines = [
        f"{plan.title}: {len(plan.steps)} steps{cards}, {minutes_text(schedule.hands)} of work, {minutes_text(schedule.total)} from beginning to end",
        *plan.faults,
        *plan.moved,
    ]
    said: set[str] = set()
    for number, step in enumerate(plan.steps, 1):
        clock = f"{begin + timedelta(minutes=schedule.starts.get(step.id, 0.0)):%H:%M}  " if begin is not None else ""
        lines.append(f"{number:3}. {clock}{step.do}")
        lines += _notes(step, said)
    if until is not None and begin is not None:
        lines.append(until_text(schedule, begin, until, plan))
    return "\n".join(lines) + "\n"


def _notes(step: Step, said: set[str]) -> list[str]:
    """What is said below a step; a caution once in a plan."""
    notes = [f"why: {step.why}"] if step.why else []
    notes += [f"position: {step.told}"] if step.told else []
    notes += [f"tip: {t}" for t in step.tips]
    notes += [f"measure, if you like: {a.name}" for a in step.asks]
    if step.wait:
        notes.append(f"then wait {minutes_text(step.wait)} (our guess) before what needs {step.wait_for or 'it'}")
    fresh = [c for c in step.cautions if c not in said]
    said |= set(fresh)
    return [f"       {n}" for n in (*notes, *(f"care: {c}" for c in fresh))]


def until_text(schedule: Schedule, begin: datetime, until: datetime, plan: Plan) -> str:
    """Whether all is done by a time, else how far one comes."""
    have = (until - begin).total_seconds() / 60
    if have <= 0:
        return f"{until:%H:%M} is past already."
    if schedule.total <= have + 1e-6:
        return f"Done at {begin + timedelta(minutes=schedule.total):%H:%M}, {minutes_text(have - schedule.total)} before {until:%H:%M}."
    done = schedule.done_by(have)
    late = schedule.total - have
    steps = _steps_done(schedule, done)
    text = f"By {until:%H:%M} {len(steps)} of {len(plan.steps)} steps are done; all is done {minutes_text(late)} later."
    return text if schedule.copies == 1 else text + f" {_cards_done(schedule, have)} of {schedule.copies} cards are ready."


def _steps_done(schedule: Schedule, done: Sequence[object]) -> set[str]:
    ended = {id(s) for s in done}
    open_steps = {s.task.step for s in schedule.slots if id(s) not in ended}
    return {s.task.step for s in schedule.slots} - open_steps


def _cards_done(schedule: Schedule, have: float) -> int:
    cards: dict[int, float] = {}
    for slot in schedule.slots:
        cards[slot.task.card] = max(cards.get(slot.task.card, 0.0), slot.end)
    return sum(end <= have for card, end in cards.items() if card > 0)
