"""A make, and what belongs to it."""

from __future__ import annotations

import re
from typing import Literal, get_args

import msgspec

from lexipod.design import MeasureKind

Ran = Literal["", "free", "tight", "stuck", "caught", "showed"]
RAN = get_args(Ran)
RAN_WORDS: dict[str, str] = {
    "": "not told",
    "free": "ran free",
    "tight": "ran tight",
    "stuck": "bound at",
    "caught": "caught at",
    "showed": "showed what it should hide at",
}
KINDS = get_args(MeasureKind)
MOST_TEXT = 4000
LARGEST_MM = 2000.0
SLIP_MM, SLIP_SHARE = 2.0, 0.06


class Measure(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One measure of a piece (mm): what it was designed as and what it came to; ``kind`` is the kind of work that it tells about, ``way`` how
    it was cut. ``at`` is when it was taken (ISO 8601, UTC)."""

    name: str
    kind: MeasureKind
    way: str
    designed: float
    measured: float
    part: str = ""
    at: str = ""

    def __post_init__(self) -> None:
        for told, value in (("designed", self.designed), ("measured", self.measured)):
            if not 0 < value <= LARGEST_MM:
                raise ValueError(f"what was {told} is above 0 and at most {LARGEST_MM:g} mm, not {value:g}")

    @property
    def is_slip(self) -> bool:
        """Whether it is so far off that it was read or written wrongly: nobody cuts like that."""
        return abs(self.measured - self.designed) > max(SLIP_MM, SLIP_SHARE * self.designed)

    @property
    def error(self) -> float:
        """Measured less designed: mm, for foam and paper a share of what it was designed as."""
        off = self.measured - self.designed
        return off / self.designed if self.kind in ("foam", "paper") else off


class Event(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Something that was said or done while building: a ``note``, how it ``ran``, a ``change``, a ``step`` that was done, a ``wait``."""

    kind: Literal["note", "ran", "change", "step", "wait"]
    text: str
    at: str = ""
    step: str = ""


class Photograph(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A photograph by the name of its scaled copy beside the database."""

    name: str
    caption: str = ""
    width: int = 0
    height: int = 0

    def __post_init__(self) -> None:
        if not re.fullmatch(r"[\w-]{1,80}\.jpg", self.name):
            raise ValueError(f"“{self.name[:80]}” is no name of a kept photograph")


class Prediction(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What the program said of the design before it was made: its verdict, the rules that warned or blocked, and the share of builds that would
    run (None where it was not asked)."""

    verdict: str = ""
    rules: tuple[str, ...] = ()
    free_share: float | None = None


class Make(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One make. Times are ISO 8601 in UTC; ``design`` is the exact design as its file holds it. Nothing but its id and title has to be there."""

    id: str
    title: str
    began: str
    design: str = ""
    ended: str = ""
    copies: int = 1
    stock: str = ""
    calipers: str = ""
    foam: str = ""
    fasteners: str = ""
    glue: str = ""
    cutting: str = ""
    ran: Ran = ""
    where: str = ""
    note: str = ""
    changed: str = ""
    next_time: str = ""
    minutes: float = 0.0
    waits: float = 0.0
    whom: str = ""
    prediction: Prediction = Prediction()
    measures: tuple[Measure, ...] = ()
    events: tuple[Event, ...] = ()
    photographs: tuple[Photograph, ...] = ()

    def __post_init__(self) -> None:
        if not self.id or not self.title.strip():
            raise ValueError("a make has an id and a title")
        if self.ran not in RAN:
            raise ValueError(f"how it ran is one of {', '.join(r for r in RAN if r)}, not “{self.ran}”")
        if not 1 <= self.copies <= 10_000:
            raise ValueError("so many cards cannot have been made; a make has 1 to 10000 copies")
        for told in (self.note, self.changed, self.next_time, self.where, self.whom, self.title):
            if len(told) > MOST_TEXT:
                raise ValueError(f"a text of a make has at most {MOST_TEXT} characters")
        if not (0 <= self.minutes < 1e6 and 0 <= self.waits < 1e6):
            raise ValueError("minutes are 0 or more")

    def has(self, words: str) -> bool:
        """Whether all words stand somewhere in it."""
        told = " ".join(
            (
                self.title,
                self.note,
                self.changed,
                self.next_time,
                self.whom,
                self.stock,
                self.glue,
                self.foam,
                self.where,
                RAN_WORDS[self.ran],
                *(e.text for e in self.events),
            )
        ).lower()
        return all(word in told for word in words.lower().split())


PLAIN = tuple(f for f in Make.__struct_fields__ if f not in ("where", "prediction", "measures", "events", "photographs"))
"""Fields of a make that are one text or number each; “where” goes under a name of its own in the database."""
