"""HPGL: the few old words that every plotter knows. One unit is 0.025 mm."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lexipod.catalog import Blade, Machine
from lexipod.geometry.frames import Array
from lexipod.plotting.blade import lead_round
from lexipod.plotting.order import order_runs
from lexipod.plotting.runs import Run

UNITS_PER_MM = 40.0
POINTS_A_COMMAND = 8


@dataclass(frozen=True, eq=False)
class Step:
    """One run as commands: ``text`` goes there with the tool up, along the line with it down, and lifts it. ``way`` ``(n, 2)`` is what the
    axis does with it down, in mm, as it is rounded."""

    run: Run
    text: str
    way: Array

    @property
    def start(self) -> tuple[float, float]:
        return float(self.way[0, 0]), float(self.way[0, 1])

    @property
    def end(self) -> tuple[float, float]:
        return float(self.way[-1, 0]), float(self.way[-1, 1])


@dataclass(frozen=True, eq=False)
class Program:
    """The steps of one sheet in order, and the words before and after them."""

    head: str
    steps: tuple[Step, ...]
    tail: str
    title: str = ""

    @property
    def text(self) -> str:
        """The whole sheet as one text."""
        return self.head + "".join(s.text for s in self.steps) + self.tail

    @property
    def down_mm(self) -> float:
        """The way with a tool down."""
        return sum(float(np.linalg.norm(np.diff(s.way, axis=0), axis=1).sum()) for s in self.steps)


def make_program(runs: Sequence[Run], machine: Machine | None, blade: Blade, *, title: str = "", in_order: bool = True) -> Program:
    """The program of one sheet: scores with the scoring pen, cuts with the knife that trails and overcuts as it is set. With ``in_order`` off the
    runs stay as they are listed, scores before cuts."""
    ordered = order_runs(runs) if in_order else sorted(runs, key=lambda r: r.tool != "score")
    pens = {"score": machine.score_pen if machine else 1, "cut": machine.cut_pen if machine else 2}
    steps: list[Step] = []
    tool = ""
    for run in ordered:
        way = lead_round(run, trail_mm=blade.offset_mm, overcut_mm=blade.overcut_mm) if run.tool == "cut" else run.path
        units = np.round(way * UNITS_PER_MM).astype(int)
        units = units[np.concatenate([[True], (np.diff(units, axis=0) != 0).any(axis=1)])]
        if len(units) < 2:
            continue
        head = ""
        if run.tool != tool:
            tool = run.tool
            head = _tool(pens[tool], blade, machine) if tool == "cut" else f"PU;SP{pens[tool]};"
        for _ in range(blade.passes if run.tool == "cut" else 1):
            steps.append(Step(run, head + _moves(units), units / UNITS_PER_MM))
            head = ""
    return Program("IN;PU;", tuple(steps), "PU;PA0,0;SP0;PG;", title)


def _tool(pen: int, blade: Blade, machine: Machine | None) -> str:
    speed = blade.speed_mm_s or (machine.speed_mm_s if machine else 0.0)
    return f"PU;SP{pen};" + (f"VS{max(1, round(speed / 10))};" if speed else "") + f"FS{blade.force_g};"


def _moves(units: Array) -> str:
    start, *rest = [f"{x},{y}" for x, y in units.tolist()]
    downs = [f"PD{','.join(rest[k : k + POINTS_A_COMMAND])};" for k in range(0, len(rest), POINTS_A_COMMAND)]
    return f"PU;PA{start};" + "".join(downs) + "PU;"


def write_hpgl(programs: Sequence[Program]) -> bytes:
    """All sheets in one file; after each the plotter is told to give it out (PG)."""
    return "".join(p.text + "\n" for p in programs).encode("ascii")
