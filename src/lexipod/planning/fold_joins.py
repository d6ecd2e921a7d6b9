"""What folds: which sheets are glued to what, in which order, so that no joint is out of reach and the last is glued pressed flat.

Source: what lies inside a loop comes before the loop is closed; sheets are joined in the hand before they go into the card; the last tab is
glued with everything pressed flat, the card is closed upon it (order of work as makers do it; common practice, no source).
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from lexipod.assembly import Assembly, Folding
from lexipod.assembly.folding import FoldJoint
from lexipod.checks.fold_items import glued_over


@dataclass(frozen=True, eq=False)
class FoldJoin:
    """Sheet ``sheet`` comes to ``onto`` (a sheet or a page of the card): its joints, the panels that meet, and whether it closes a loop. The ``kind``
    is “glued”, “tab” (a hinge), “thread” (it hangs) or “ends” (only its ends are glued). ``at`` is the travel at which it is done; ``over``
    are the joins (sheet and what it comes to) of pieces that lie under it."""

    sheet: str
    onto: str
    joints: tuple[str, ...]
    panels: tuple[tuple[str, str], ...]
    closes: bool
    kind: str
    at: float
    is_page: bool
    over: tuple[tuple[str, str], ...] = ()


def find_joins(assembly: Assembly, folding: Folding) -> tuple[FoldJoin, ...]:
    """All joins of one mechanism that folds, in the order in which they are made."""
    owner = {panel: sheet.id for sheet in folding.sheets for panel in sheet.panels}
    pages = {p.id for p in folding.panels if p.id not in owner}
    groups: dict[tuple[str, str], list[FoldJoint]] = {}
    for joint in folding.joints:
        a, b = owner.get(joint.a, joint.a), owner.get(joint.b, joint.b)
        if a in pages and b in pages:
            continue
        crosses = a != b and joint.kind in ("fixed", "hinge")
        if crosses or (a == b and joint.kind == "fixed" and joint.closes):
            groups.setdefault((a, b), []).append(joint)
    over = _lie_under(folding, groups)
    ordered = _lowest_first(_in_order(groups, pages), over)
    joined = _Joined(pages)
    out = []
    for (a, b), joints in ordered:
        closes = a == b or joined.same(a, b)
        joined.join(a, b)
        kind = "thread" if any(j.id.endswith("thread") for j in joints) else "tab" if any(j.kind == "hinge" for j in joints) else "glued"
        panels = tuple((j.a, j.b) for j in joints)
        at = _position(folding, closes=closes, page=b in pages)
        out.append(FoldJoin(a, b, tuple(j.id for j in joints), panels, closes, kind, at, b in pages, over.get((a, b), ())))
    if folding.kind == "face" and not any(j.is_page for j in out):
        out += _held_on_the_face(assembly, folding)
    return tuple(out)


Pair = tuple[str, str]
"""A sheet, and the sheet or page that it comes to."""


def _lie_under(folding: Folding, groups: dict[Pair, list[FoldJoint]]) -> dict[Pair, tuple[Pair, ...]]:
    """Of every join those of pieces which it covers: they are glued on first."""
    pair_of = {joint.id: pair for pair, joints in groups.items() for joint in joints}
    found: dict[Pair, list[Pair]] = {}
    for pair, joints in groups.items():
        for joint in joints:
            for covering, _, _ in glued_over(folding, joint) if joint.kind == "fixed" else ():
                later = pair_of.get(covering.id)
                if later is not None and later != pair and pair not in found.setdefault(later, []):
                    found[later].append(pair)
    return {later: tuple(first) for later, first in found.items()}


def _lowest_first(ordered: list[tuple[Pair, list[FoldJoint]]], over: dict[Pair, tuple[Pair, ...]]) -> list[tuple[Pair, list[FoldJoint]]]:
    """The same order, but what lies under something comes before it."""
    joints, placed = dict(ordered), dict[Pair, list[FoldJoint]]()

    def place(pair: Pair) -> None:
        for first in over.get(pair, ()):
            if first not in placed:
                place(first)
        placed[pair] = joints[pair]

    for pair in joints:
        if pair not in placed:
            place(pair)
    return list(placed.items())


def _held_on_the_face(assembly: Assembly, folding: Folding) -> Iterable[FoldJoin]:
    """What slides on the card is held by the sheets whose ends are glued to it."""
    for sheet in folding.sheets:
        if sheet.panels and any("nowhere else" in what for _, what in sheet.guides):
            ends = ((sheet.panels[0], assembly.ground),)
            yield FoldJoin(sheet.id, assembly.ground, (), ends, False, "ends", folding.drive.rest, True)


class _Joined:
    """Which sheets hang together already; the pages of a card do from the beginning."""

    def __init__(self, pages: Iterable[str]) -> None:
        self._root: dict[str, str] = {}
        first = next(iter(sorted(pages)), None)
        for page in pages:
            self._root[page] = first or page

    def root(self, name: str) -> str:
        found = self._root.setdefault(name, name)
        while self._root.setdefault(found, found) != found:
            found = self._root[found]
        return found

    def same(self, a: str, b: str) -> bool:
        return self.root(a) == self.root(b)

    def join(self, a: str, b: str) -> None:
        self._root[self.root(a)] = self.root(b)


def _in_order(groups: dict[tuple[str, str], list[FoldJoint]], pages: set[str]) -> list[tuple[tuple[str, str], list[FoldJoint]]]:
    """Single pieces first, then what ties several, threads and what closes on itself late, the card's pages last."""
    met: dict[str, set[tuple[str, str]]] = {}
    for pair in groups:
        for name in set(pair):
            met.setdefault(name, set()).add(pair)

    def rank(item: tuple[tuple[str, str], list[FoldJoint]]) -> int:
        (a, b), joints = item
        if b in pages or a in pages:
            return 5 if any(j.closes for j in joints) else 4
        if a == b:
            return 3
        if any(j.id.endswith("thread") for j in joints):
            return 2
        if any(j.closes for j in joints):
            return 2 if all(j.closes for j in joints) else 1
        return 0 if len(met[a]) == 1 or len(met[b]) == 1 else 1

    return sorted(groups.items(), key=rank)


def _position(folding: Folding, *, closes: bool, page: bool) -> float:
    """Pressed flat where a loop is closed; else lying open, flat where it can."""
    flat = [s for s in folding.states if s.closed]
    if closes:
        return flat[0].at if flat else folding.posted_at
    open_flat = [s.at for s in folding.states if not s.closed]
    if page and folding.kind == "inside":
        return folding.drive.end if not open_flat else open_flat[-1]
    return folding.drive.rest


def unjoined(folding: Folding, joins: Sequence[FoldJoin]) -> list[str]:
    """Sheets of a mechanism that no joint ties: they are only laid in, or wrapped round."""
    met = {j.sheet for j in joins} | {j.onto for j in joins}
    return [s.id for s in folding.sheets if s.id not in met]
