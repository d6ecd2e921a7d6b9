"""The machine: pen, sheet, way and time; one word at a time."""

from __future__ import annotations

import itertools
import math
from dataclasses import asdict, dataclass, field
from typing import Literal

from lexipod_plotter.words import KNOWN, Word

Point = tuple[float, float]
Kind = Literal["jam", "offline", "full", "slow", "power", "vanish"]
UNIT_MM = 0.025
SHORT_MM = 2.0
"""A move is done in pieces of this length, so that it can be seen, stopped and jammed on its way."""


@dataclass(frozen=True, slots=True)
class Fault:
    """What goes wrong, and after how much way with the pen down (mm)."""

    kind: Kind
    after_mm: float = 0.0


@dataclass(slots=True)
class Line:
    """What was drawn without lifting: with which pen, on which sheet."""

    pen: int
    sheet: int
    points: list[Point]


@dataclass(slots=True)
class Report:
    """What was done: seconds at the set speed, ways with the pen down and up (mm), lines, sheets that were given out, words that it does not
    know, and moves out of its area."""

    seconds: float = 0.0
    down_mm: float = 0.0
    up_mm: float = 0.0
    lines: int = 0
    sheets: int = 0
    words: int = 0
    unknown: list[str] = field(default_factory=list)
    outside: list[str] = field(default_factory=list)

    def plain(self) -> dict[str, object]:
        """As plain values."""
        return {k: round(v, 3) if isinstance(v, float) else v for k, v in asdict(self).items()}


@dataclass(eq=False)
class Machine:
    """``area_mm`` is how far it reaches (across, along); ``speed_mm_s`` with the pen down until it is told another, ``lift_s`` what lifting or
    lowering takes. ``state`` is “ready”, “jam”, “offline” or “off”."""

    area_mm: Point = (304.8, 609.6)
    speed_mm_s: float = 100.0
    up_speed_mm_s: float = 300.0
    lift_s: float = 0.05
    at: Point = (0.0, 0.0)
    pen: int = 0
    is_down: bool = False
    state: str = "ready"
    lines: list[Line] = field(default_factory=list)
    report: Report = field(default_factory=Report)
    faults: list[Fault] = field(default_factory=list)
    speed: float = 0.0
    error: int = 0

    def __post_init__(self) -> None:
        self.speed = self.speed or self.speed_mm_s

    # A word is done in pieces: `begin` says what there is to do, `go_on` does one piece of it.

    def begin(self, word: Word) -> list[tuple[Point, bool]]:
        """The moves that a word asks for: where to, and whether with the pen down. Words that move nothing are done at once."""
        self.report.words += 1
        if word.name not in KNOWN:
            self.report.unknown.append(word.text[:40])
            self.error = 1
            return []
        if word.name in ("IN", "DF"):
            self._set_down(False)
            self.speed, self.error = self.speed_mm_s, 0
        elif word.name == "SP":
            self._set_down(False)
            self.pen = int(word.numbers[0]) if word.numbers else 0
        elif word.name == "VS":
            self.speed = max(1.0, word.numbers[0] * 10.0) if word.numbers else self.speed_mm_s
        elif word.name == "PG":
            self.give_out()
        elif word.name in ("PU", "PD", "PA", "PR"):
            if word.name in ("PU", "PD"):
                self._set_down(word.name == "PD")
            return self._targets(word)
        return []

    @property
    def sheet(self) -> int:
        """The number of the sheet that lies in it, from 1."""
        return self.report.sheets + 1

    @property
    def shown(self) -> int:
        """The sheet to look at: the one that lies in it, or the last one that was given out, until something is drawn."""
        return max((line.sheet for line in self.lines), default=1)

    def give_out(self) -> None:
        """The sheet goes out and a fresh one comes in."""
        self._set_down(False)
        self.report.sheets += 1
        self.at = (0.0, 0.0)

    def _targets(self, word: Word) -> list[tuple[Point, bool]]:
        if len(word.numbers) % 2:
            self.report.unknown.append(word.text[:40])
            self.error = 2
            return []
        at, moves = self.at, []
        for x, y in zip(word.numbers[::2], word.numbers[1::2], strict=True):
            step = (x * UNIT_MM, y * UNIT_MM)
            at = (at[0] + step[0], at[1] + step[1]) if word.name == "PR" else step
            moves.append((at, self.is_down))
        return moves

    def _set_down(self, down: bool) -> None:
        if down and not self.is_down:
            self.report.lines += 1
            self.lines.append(Line(self.pen, self.sheet, [self.at]))
        if down != self.is_down:
            self.report.seconds += self.lift_s
        self.is_down = down

    def go_on(self, target: Point) -> tuple[float, bool]:
        """One piece of the way to a target: the seconds it takes, and whether the target is reached. A fault may come on the way."""
        way = math.dist(self.at, target)
        piece = min(way, SHORT_MM)
        share = piece / way if way else 1.0
        there = (self.at[0] + share * (target[0] - self.at[0]), self.at[1] + share * (target[1] - self.at[1])) if share < 1 else target
        if not self._reaches(there):
            told = f"{there[0]:.1f}, {there[1]:.1f} mm"
            if not self.report.outside or self.report.outside[-1] != told:
                self.report.outside.append(told)
            self.error = 3
        took = piece / (self.speed if self.is_down else self.up_speed_mm_s)
        self.at = there
        self.report.seconds += took
        if self.is_down:
            self.report.down_mm += piece
            if self._reaches(there):
                self.lines[-1].points.append(there)
        else:
            self.report.up_mm += piece
        return took, there == target

    def _reaches(self, point: Point) -> bool:
        return -1e-6 <= point[0] <= self.area_mm[0] + 1e-6 and -1e-6 <= point[1] <= self.area_mm[1] + 1e-6

    def due_fault(self) -> Fault | None:
        """The fault whose time has come; it comes once."""
        for fault in self.faults:
            if self.report.down_mm >= fault.after_mm:
                self.faults.remove(fault)
                return fault
        return None

    def answer(self, word: Word) -> str:
        """What a word is answered with, in its turn; empty for one that asks nothing."""
        if word.name == "OA":
            x, y = (round(v / UNIT_MM) for v in self.at)
            return f"{x},{y},{int(self.is_down)}\r"
        if word.name == "OE":
            told, self.error = f"{self.error}\r", 0
            return told
        return {"OS": "16\r", "OI": "PAPER-1\r"}.get(word.name, "")

    def lose_power(self) -> None:
        """It forgets where it is; what it has drawn stays on the sheet."""
        self.at, self.pen, self.is_down, self.speed = (0.0, 0.0), 0, False, self.speed_mm_s
        self.state = "off"


def tip_trace(points: list[Point], trail_mm: float, heading: Point = (1.0, 0.0), step_mm: float = 0.02) -> list[Point]:
    """The way of a knife's tip that trails behind its axis: at each small step it is drawn straight towards the axis (a tractrix)."""
    if trail_mm <= 0 or not points:
        return list(points)
    x, y = points[0][0] - trail_mm * heading[0], points[0][1] - trail_mm * heading[1]
    trace = [(x, y)]
    for (ax, ay), (bx, by) in itertools.pairwise(points):
        count = max(1, math.ceil(math.hypot(bx - ax, by - ay) / step_mm))
        for k in range(1, count + 1):
            px, py = ax + (bx - ax) * k / count, ay + (by - ay) * k / count
            gap = math.hypot(px - x, py - y)
            if gap > trail_mm:
                x, y = px + (x - px) * trail_mm / gap, py + (y - py) * trail_mm / gap
            trace.append((x, y))
    return trace
