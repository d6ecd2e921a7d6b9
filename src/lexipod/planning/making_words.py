"""How steps speak: names of pieces in a row, positions, and what is done."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence

from lexipod.assembly import Assembly
from lexipod.motion.folds.pulled import pulled_lengths
from lexipod.units import UnitStyle

_NUMBER = re.compile(r" \d+( |$)")
_HEAD = re.compile(r"(.+?)( (?:of|over|under|behind|for|in|on|before|with)(?: .+)?)")


def listed(names: Iterable[str]) -> str:
    """Names as they are spoken in a row.

    >>> listed(["strip"]), listed(["strip", "rail"]), listed(["strip", "rail", "stop"])
    ('strip', 'strip and rail', 'strip, rail and stop')
    """
    row = list(dict.fromkeys(names))
    return row[0] if len(row) == 1 else f"{', '.join(row[:-1])} and {row[-1]}" if row else ""


def stem(name: str) -> str:
    """A name without its number.

    >>> stem("foam 3 under the frame"), stem("blade 1")
    ('foam under the frame', 'blade')
    """
    return _NUMBER.sub(" ", name).strip()


def plural(name: str, count: int) -> str:
    """So many of a thing.

    >>> plural("blade", 3), plural("connector over the top ring", 3), plural("foam under the frame", 6)
    ('3 blades', '3 connectors over the top ring', '6 pieces of foam under the frame')
    >>> plural("disc behind", 2), plural("leaf", 6)
    ('2 discs behind', '6 leaves')
    """
    if name.startswith("foam"):
        return f"{count} pieces of {name}"
    head = _HEAD.fullmatch(name)
    noun, rest = (head[1], head[2]) if head else (name, "")
    if noun.endswith(("leaf", "half")):
        return f"{count} {noun[:-1]}ves{rest}"
    ends = "es" if noun.endswith(("s", "x", "ch", "sh")) else "s"
    return f"{count} {noun}{ends}{rest}"


def counted(names: Sequence[str], most: int = 6) -> str:
    """Several pieces in a row, those that differ by their number alone counted together; of a long row the first are named.

    >>> counted(["foam 1 under the frame", "foam 2 under the frame", "strip"]), counted(["upper rail", "lower rail"])
    ('2 pieces of foam under the frame and strip', 'upper rail and lower rail')
    """
    found: dict[str, int] = {}
    for name in names:
        found[stem(name)] = found.get(stem(name), 0) + 1
    single = {stem(n): n for n in names}
    told = [single[name] if count == 1 else plural(name, count) for name, count in found.items()]
    return listed(told) if len(told) <= most else f"{', '.join(told[: most - 1])} and {len(told) - most + 1} more"


def position_words(assembly: Assembly, position: Mapping[str, float], style: UnitStyle) -> str:
    """Where each mechanism stands, as its maker knows it: “at rest”, “at its end”, or how far."""
    told = []
    several = len(assembly.all_drives) > 1
    for drive in assembly.all_drives:
        if drive.mechanism not in position:
            continue
        at = position[drive.mechanism]
        folding = assembly.folding_of(drive.mechanism)
        state = next((s.name for s in folding.states if abs(s.at - at) < 1e-6), "") if folding is not None else ""
        pulled = pulled_lengths(folding) if folding is not None else None
        if abs(at - drive.rest) < 1e-6:
            words = f"at rest ({state})" if state and state != "rest" else "at rest"
        elif abs(at - drive.end) < 1e-6:
            words = f"at its end ({state})" if state else "at its end"
        elif pulled is not None:
            words = f"pulled by {style.length(pulled.length_at(at))}"
        else:
            words = f"moved by {style.amount(abs(at - drive.rest), drive.unit)}"
        told.append(f"{assembly.part_name(drive.part)} {words}" if several else words)
    return "; ".join(told)
