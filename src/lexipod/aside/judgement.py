"""What the examiner answers, and how the processes on the side are begun: all that the window needs to know of them at its start."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from lexipod.aside.wire import command_for

if TYPE_CHECKING:
    from lexipod.checks import Finding
    from lexipod.ribbon import RibbonEvent, RibbonRow


@dataclass(frozen=True, eq=False)
class Judgement:
    """The checks' answer to one revision. ``stage``: coarse, fine, or cured. ``fault`` says why there is none."""

    revision: int
    stage: str
    findings: tuple[Finding, ...]
    rows: dict[str, tuple[RibbonRow, ...]]
    events: dict[str, tuple[RibbonEvent, ...]]
    fault: str = ""


EXAMINER = command_for("lexipod.aside.examiner", "main")
CHORE = command_for("lexipod.aside.chores", "main")
"""How a Python is called that examines designs, or does one chore."""
