"""How often the program was right about how a card would run."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass

from lexipod.records.makes import Make

TROUBLE = ("tight", "stuck", "caught", "showed")
FITTING: dict[str, tuple[str, ...]] = {
    "tight": ("clearance", "effort", "push", "jam", "bending", "buckling", "crowded", "height"),
    "stuck": ("clearance", "travel", "crossing", "stop", "jam", "effort", "buckling", "height", "layers", "gate", "closure", "spin", "fold"),
    "caught": ("catch", "slope", "crossing", "layers", "held", "gate"),
    "showed": ("reveal-rest", "reveal-end", "slot-hidden", "spacer-shows", "foam-seen", "land", "stands-out", "picture-hidden", "picture-edges"),
}
"""Rules that would have foretold how it ran."""


@dataclass(frozen=True, slots=True)
class Score:
    """Makes whose design had one verdict: how many, how many of them ran free, and the share of builds that was foretold for them (None: it was
    not asked)."""

    verdict: str
    count: int
    ran_free: int
    foretold: float | None


@dataclass(frozen=True, slots=True)
class Calibration:
    """``right`` of ``told`` makes ran as was said: free where it was free to move, with trouble where something warned or blocked. ``wrong``
    counts rules that warned of cards which then ran free; ``unseen`` troubles that nothing had warned of."""

    told: int
    right: int
    scores: tuple[Score, ...]
    wrong: tuple[tuple[str, int], ...]
    unseen: tuple[tuple[str, int], ...]


def calibrate(makes: Iterable[Make]) -> Calibration:
    """All makes of which it is known both what was said and how they ran."""
    rows = [m for m in makes if m.ran and m.prediction.verdict]
    right = sum((m.prediction.verdict == "free") == (m.ran == "free") for m in rows)
    scores = []
    for verdict in ("free", "tight", "blocked"):
        own = [m for m in rows if m.prediction.verdict == verdict]
        if own:
            shares = [m.prediction.free_share for m in own if m.prediction.free_share is not None]
            scores.append(Score(verdict, len(own), sum(m.ran == "free" for m in own), sum(shares) / len(shares) if shares else None))
    wrong = Counter(rule for m in rows if m.ran == "free" for rule in m.prediction.rules)
    unseen = Counter(m.ran for m in rows if m.ran in TROUBLE and not _was_warned(m))
    return Calibration(len(rows), right, tuple(scores), tuple(wrong.most_common()), tuple(unseen.most_common()))


def _was_warned(make: Make) -> bool:
    return bool(set(FITTING[make.ran]) & set(make.prediction.rules))


def bins(makes: Iterable[Make], count: int = 5) -> list[tuple[float, float, int]]:
    """For a drawing: foretold share of free builds against the share that ran free, in so many equal parts; only parts with makes."""
    rows = [(m.prediction.free_share, m.ran == "free") for m in makes if m.ran and m.prediction.free_share is not None]
    out = []
    for k in range(count):
        low, high = k / count, (k + 1) / count
        own = [(s, r) for s, r in rows if s is not None and (low <= s < high or (k == count - 1 and s == 1.0))]
        if own:
            out.append((sum(s for s, _ in own) / len(own), sum(r for _, r in own) / len(own), len(own)))
    return out
