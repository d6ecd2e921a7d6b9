"""The assembly of a whole card."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property

from lexipod.assembly.blanks import Seam
from lexipod.assembly.card_frame import GATES, CardFrame
from lexipod.assembly.doors import OnDoor, shut_doors
from lexipod.assembly.folding import Folding
from lexipod.assembly.joints import Drive, Joint
from lexipod.assembly.needs import Need, WantedGap
from lexipod.assembly.panels import Panel
from lexipod.assembly.parts import Cue, Handle, Part, Zone
from lexipod.design import Closure, Item
from lexipod.design.sheeting import Lap

NO_CLOSURE = Closure()


@dataclass(frozen=True, eq=False)
class Assembly:
    """All parts of a card with their joints, drives, zones and needs. Parts are in the order in which they are stacked.

    ``clearances`` are the gaps that single pairs of parts want; every other pair that meets wants the usual one. ``strays`` are
    items whose part is not there any more, ``items`` all that the maker put on. ``seams`` tie the parts that are folded from one blank.
    ``mark_mm`` is the finest mark of the maker's ruler on which measures are chosen.
    """

    card: CardFrame
    parts: tuple[Part, ...]
    joints: tuple[Joint, ...] = ()
    drives: tuple[Drive, ...] = ()
    zones: tuple[Zone, ...] = ()
    needs: tuple[Need, ...] = ()
    handles: tuple[Handle, ...] = ()
    clearances: tuple[WantedGap, ...] = ()
    cues: tuple[Cue, ...] = ()
    ground: str = "card.front"
    foldings: tuple[Folding, ...] = ()
    closure: Closure = NO_CLOSURE
    strays: tuple[str, ...] = ()
    seams: tuple[Seam, ...] = ()
    mark_mm: float = 0.5
    items: tuple[Item, ...] = ()
    laps: dict[str, Lap] = field(default_factory=dict)

    def __post_init__(self) -> None:
        ids = [part.id for part in self.parts]
        if len(set(ids)) != len(ids):
            raise ValueError("two parts have the same id")
        known = set(ids)
        for joint in self.joints:
            for end in (joint.a, joint.b):
                if end not in known:
                    raise ValueError(f"{joint.id} names a part that is not there: {end}")
        hung = [seam.a for seam in self.seams]
        if len(set(hung)) != len(hung) or not known.issuperset(hung) or not known.issuperset(seam.b for seam in self.seams):
            raise ValueError("a seam ties two parts that are there, and a part hangs on one other")

    @cached_property
    def gates(self) -> tuple[Part, ...]:
        """The two doors of a gate card, as they lie open beside its middle."""
        return tuple(p for p in self.parts if p.id in GATES)

    @cached_property
    def on_doors(self) -> tuple[OnDoor, ...]:
        """What is stuck on the doors of a gate card, as it lies when they are shut."""
        return shut_doors(self.card, [p for p in self.parts if p not in self.gates], self.gates, self.joints, self.foldings)

    @cached_property
    def open_doors(self) -> frozenset[str]:
        """Ids of the doors and of what is stuck on them: they are drawn open beside the card and lie on it when it is shut."""
        return frozenset(p.id for p in (*self.gates, *(d.part for d in self.on_doors)))

    @cached_property
    def shut_doors_mm(self) -> float:
        """How thick shut doors are with what is stuck on their outside (mm); 0 without doors."""
        outside = max((d.high_mm for d in self.on_doors if not d.inside), default=0.0)
        return self.gates[0].thickness_mm + outside if self.gates else 0.0

    @cached_property
    def by_id(self) -> dict[str, Part]:
        return {part.id: part for part in self.parts}

    @cached_property
    def bodies(self) -> dict[str, str]:
        """The body of each part, named after its first part in stacking order; parts joined by ``fixed`` share one."""
        body = {part.id: part.id for part in self.parts}

        def find(part: str) -> str:
            while body[part] != part:
                body[part] = body[body[part]]
                part = body[part]
            return part

        order = {part.id: k for k, part in enumerate(self.parts)}
        for joint in self.joints:
            if joint.kind == "fixed":
                low, high = sorted((find(joint.a), find(joint.b)), key=order.__getitem__)
                body[high] = low
        return {part.id: find(part.id) for part in self.parts}

    @cached_property
    def moving(self) -> tuple[str, ...]:
        """Ids of the parts that do not belong to the card's own body."""
        ground = self.bodies.get(self.ground)
        return tuple(part.id for part in self.parts if self.bodies[part.id] != ground)

    def part_name(self, part_id: str) -> str:
        """What the maker calls the part or panel; the id where it is unknown."""
        part = self.carriers.get(part_id)
        return part.name if part else part_id

    def item_of(self, part_id: str) -> str:
        """The id of the item that a part or panel is; empty for none."""
        part = self.carriers.get(part_id)
        return part.item if part else ""

    @cached_property
    def carriers(self) -> dict[str, Part | Panel]:
        """Everything that an item can lie on: parts, and panels of what folds (a page of the card is a part first)."""
        return {**self.panels, **self.by_id}

    @cached_property
    def panels(self) -> dict[str, Panel]:
        """The panels of everything that folds."""
        return {panel.id: panel for folding in self.foldings for panel in folding.panels}

    @property
    def all_drives(self) -> tuple[Drive, ...]:
        """What the reader moves: flat mechanisms and those that fold."""
        return (*self.drives, *(f.drive for f in self.foldings))

    def folding_of(self, mechanism_id: str) -> Folding | None:
        """How a mechanism folds, or None for one that stays flat."""
        return next((f for f in self.foldings if f.mechanism == mechanism_id), None)

    def drive_of(self, mechanism_id: str) -> Drive | None:
        """The drive of a mechanism, or None for one that has none."""
        return next((d for d in self.all_drives if d.mechanism == mechanism_id), None)

    def find_joint(self, joint_id: str) -> Joint:
        """The joint of that id; ``KeyError`` when there is none."""
        for joint in self.joints:
            if joint.id == joint_id:
                return joint
        raise KeyError(joint_id)


@dataclass(frozen=True, slots=True)
class Piece:
    """What a recipe gives back: its own share of the assembly, and openings it needs in parts that are there already."""

    parts: tuple[Part, ...]
    joints: tuple[Joint, ...] = ()
    drives: tuple[Drive, ...] = ()
    zones: tuple[Zone, ...] = ()
    needs: tuple[Need, ...] = ()
    handles: tuple[Handle, ...] = ()
    clearances: tuple[WantedGap, ...] = ()
    cues: tuple[Cue, ...] = ()
    openings: dict[str, tuple[object, ...]] = field(default_factory=dict)
    folding: Folding | None = None
    seams: tuple[Seam, ...] = ()
