"""At the table: which step one is at, and which waits run; kept so that both go on when the window was closed.

A wait is kept as the moment at which it is over. A clock that was set back meanwhile would make it longer than it can be: then it counts anew
from now. One that was set on cannot be told from time that passed; the maker may begin a wait again.
"""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import msgspec

from lexipod.errors import shortened
from lexipod.records.store import LogError

SLACK_S = 2.0


class Wait(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One wait: for what, of how many minutes, and when it is over (ISO 8601, UTC)."""

    step: str
    name: str
    minutes: float
    over: str

    def left_s(self, now: datetime) -> float:
        """Seconds that are left, 0 when it is over; never more than it is long."""
        left = (datetime.fromisoformat(self.over) - now).total_seconds()
        return max(0.0, min(left, self.minutes * 60))

    def is_odd(self, now: datetime) -> bool:
        """Whether more is left than it is long: the clock was set back."""
        return (datetime.fromisoformat(self.over) - now).total_seconds() > self.minutes * 60 + SLACK_S


class TableState(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Where one is: the step, those that are done, the waits, and minutes of work so far."""

    step: str = ""
    done: tuple[str, ...] = ()
    waits: tuple[Wait, ...] = ()
    minutes: float = 0.0

    def at(self, step: str) -> TableState:
        """At another step."""
        return msgspec.structs.replace(self, step=step)

    def finish(self, step: str, *, wait: float = 0.0, name: str = "", now: datetime | None = None) -> TableState:
        """A step done; its wait begins."""
        now = now or datetime.now(UTC)
        waits = tuple(w for w in self.waits if w.step != step)
        if wait > 0:
            waits = (*waits, Wait(step, name, wait, (now + timedelta(minutes=wait)).isoformat()))
        return msgspec.structs.replace(self, done=(*(d for d in self.done if d != step), step), waits=waits)

    def undo(self, step: str) -> TableState:
        """A step that is not done after all."""
        return msgspec.structs.replace(self, done=tuple(d for d in self.done if d != step), waits=tuple(w for w in self.waits if w.step != step))

    def running(self, now: datetime | None = None) -> tuple[Wait, ...]:
        """Waits that are not over."""
        now = now or datetime.now(UTC)
        return tuple(w for w in self.waits if w.left_s(now) > 0)

    def set_right(self, now: datetime | None = None) -> tuple[TableState, bool]:
        """Waits that a clock set back made too long count anew from now; whether there were any."""
        now = now or datetime.now(UTC)
        odd = any(w.is_odd(now) for w in self.waits)
        waits = tuple(msgspec.structs.replace(w, over=(now + timedelta(minutes=w.minutes)).isoformat()) if w.is_odd(now) else w for w in self.waits)
        return msgspec.structs.replace(self, waits=waits), odd

    def text(self) -> str:
        """As it is kept."""
        return msgspec.json.encode(self).decode()


def read_table_state(text: str) -> TableState:
    """What was kept; nothing kept is the beginning. ``LogError`` where it is damaged."""
    if not text:
        return TableState()
    try:
        state = msgspec.json.decode(text, type=TableState)
        for wait in state.waits:
            datetime.fromisoformat(wait.over)
    except (msgspec.MsgspecError, ValueError) as error:
        raise LogError(f"where you stopped at the table cannot be read ({shortened(str(error))}); begin with the first step") from error
    return state
