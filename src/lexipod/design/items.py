"""What the maker puts on besides what the mechanisms bring: pads, films and decorations, pictures, greetings and cut-out shapes."""

from __future__ import annotations

from typing import Literal

import msgspec

LARGEST_MM = 2000.0
LEAST_ITEM_MM = 1.0
LEAST_CAPS_MM = 0.5
MOST_LETTERS = 500
MOST_CORNERS = 4000
MOST_RINGS = 200
MOST_CUT = 400
ItemKind = Literal["pad", "glide", "decoration", "film", "picture", "greeting", "shape", "mat"]
INK: tuple[ItemKind, ...] = ("picture", "greeting")
"""Kinds that are printed, stamped or stuck on flat: they have no thickness and are no part of their own."""
Ring = tuple[tuple[float, float], ...]


class Item(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Something the maker puts on a part or panel.

    A foam ``pad``, a ``glide`` pad (its liner left on: it slides under what overhangs), a ``decoration`` on ``layers`` of foam (0: glued
    flat), a ``film`` (a pane over a window, or a leader past an edge), a ``shape`` with an outline of its own (cut out, and raised like a
    decoration), a ``picture``, or a ``greeting``. ``on`` is the part that carries it, on its ``face``; ``at`` is its middle, mm to the
    right and up from the middle of that part; ``stock`` its foam or paper, empty for the usual one. It is ``turn``ed anticlockwise by so
    many degrees. A ``share`` (left, bottom, right, top of the part's own box) puts it there instead, whatever size the part has.

    ``source`` is the file of a picture beside the design, or ``demo:NAME``; its ``proportion`` is width over height (0: it fills its box),
    its ``outline`` what of the box is painted or cut out, as rings of shares of the box (none: all of it).

    A picture over two parts is ``cut`` along a line of points (shares of its box) that is drawn on at both ends; the item is what lies on one
    ``cut_side`` of it.

    A ``mat`` is a layer of paper that leaves a ``border`` of what carries it, all round it and round its openings. Laid
    ``across`` the fold to a panel beside it, it is one piece that covers both and is scored where they are.

    A greeting says ``text`` in a ``font`` (empty for the usual one) whose capitals are ``height`` mm high, along a line, or along an arc
    or a circle of ``radius`` mm (below 0: along its lower side).

    An item may be wanted to ``hide_at_rest``, and to be seen whole: to ``show_at_end``, or to ``show_at_halt``, at one of the positions at
    least where its mechanism is held (one of the leaves of a waterfall has its turn long before the end).
    """

    id: str
    kind: ItemKind
    on: str
    face: Literal["front", "back"] = "front"
    at: tuple[float, float] = (0.0, 0.0)
    width: float = 8.0
    height: float = 8.0
    round: bool = False
    layers: int = 1
    stock: str = ""
    turn: float = 0.0
    share: tuple[float, float, float, float] | None = None
    source: str = ""
    proportion: float = 0.0
    outline: tuple[Ring, ...] = ()
    text: str = ""
    font: str = ""
    along: Literal["line", "arc", "circle"] = "line"
    radius: float = 0.0
    align: Literal["left", "middle", "right"] = "middle"
    colour: str = ""
    border: float = 0.0
    across: str = ""
    cut: tuple[tuple[float, float], ...] = ()
    cut_side: Literal["", "left", "right"] = ""
    hide_at_rest: bool = False
    show_at_end: bool = False
    show_at_halt: bool = False

    @property
    def title(self) -> str:
        """What the file of its picture is called, as it is spoken of; empty for what has none."""
        name = self.source.removeprefix("demo:")
        return (name.rpartition(".")[0] or name).replace("_", " ")

    @property
    def named(self) -> str:
        """How it is spoken of, with its article."""
        if self.kind == "greeting":
            words = " ".join(self.text.split())
            return f"the greeting “{words if len(words) <= 24 else words[:23] + '…'}”"
        return f"the {self.kind} “{self.title}”" if self.title else f"the {self.kind} {self.id}"

    @property
    def is_asked(self) -> bool:
        """Whether it is to be hidden or to be shown."""
        return self.hide_at_rest or self.show_at_end or self.show_at_halt

    def __post_init__(self) -> None:
        if not (1 <= len(self.id) <= 24 and self.id.isascii() and self.id.isalnum()):
            raise ValueError("an item's id is 1 to 24 letters and digits")
        self._check_place()
        if not (1 if self.kind in ("pad", "glide") else 0) <= self.layers <= 8:
            raise ValueError("a pad has 1 to 8 layers of foam, a decoration 0 to 8")
        if self.kind == "greeting":
            self._check_text()
        elif self.text or self.along != "line" or self.font:
            raise ValueError("only a greeting has a text")
        if (self.kind == "mat") != (self.border > 0) or self.border > 200:
            raise ValueError("a mat has a border of up to 200 mm, and nothing else has one")
        if self.across and self.kind != "mat":
            raise ValueError("only a mat lies across a fold")
        if self.kind == "picture" and not self.source:
            raise ValueError("a picture needs a source")
        if self.source and self.kind not in ("picture", "shape"):
            raise ValueError("only a picture or a shape has a source")
        self._check_outline()

    def _check_place(self) -> None:
        least = LEAST_CAPS_MM if self.kind == "greeting" else LEAST_ITEM_MM
        for name, value in (("width", self.width), ("height", self.height)):
            if not least <= value <= LARGEST_MM:
                raise ValueError(f"the {name} of an item must be {least:g} to {LARGEST_MM:g} mm, not {value:g}")
        if not all(-LARGEST_MM <= v <= LARGEST_MM for v in self.at):
            raise ValueError(f"an item lies at most {LARGEST_MM:g} mm from the middle of its part")
        if not -360 <= self.turn <= 360:
            raise ValueError(f"an item is turned by -360 to 360 degrees, not {self.turn:g}")
        if not 0 <= self.proportion <= 1000:
            raise ValueError(f"a picture is 0 to 1000 times as wide as high, not {self.proportion:g}")
        if self.share is not None:
            left, bottom, right, top = self.share
            if not all(-5 <= v <= 5 for v in self.share):
                raise ValueError("a picture must lie within five times the part's size")
            if not (left < right and bottom < top):
                raise ValueError("a share needs left < right and bottom < top")
        if self.colour and not (len(self.colour) == 7 and self.colour[0] == "#" and all(c in "0123456789abcdef" for c in self.colour[1:])):
            raise ValueError(f"a colour is written like #2b5b6e, not {self.colour}")

    def _check_text(self) -> None:
        if not self.text.strip():
            raise ValueError("a greeting needs a text")
        if len(self.text) > MOST_LETTERS:
            raise ValueError(f"a greeting has at most {MOST_LETTERS} letters, not {len(self.text)}")
        if any("\ud800" <= letter <= "\udfff" for letter in self.text):
            raise ValueError("a greeting must be text in UTF-8")
        if self.along != "line" and not 2 <= abs(self.radius) <= LARGEST_MM:
            raise ValueError(f"the radius of an arc of letters must be 2 to {LARGEST_MM:g} mm, not {self.radius:g}")

    def _check_outline(self) -> None:
        if bool(self.cut) != bool(self.cut_side) or (self.cut and self.kind != "picture"):
            raise ValueError("only a picture is cut, along a line, and is one side of it")
        if self.cut and (not 2 <= len(self.cut) <= MOST_CUT or not all(-20 <= v <= 20 for at in self.cut for v in at) or len(set(self.cut)) < 2):
            raise ValueError(f"a line along which a picture is cut has 2 to {MOST_CUT} points near its box")
        if self.kind == "shape" and not self.outline:
            raise ValueError("a shape needs an outline")
        if len(self.outline) > MOST_RINGS or sum(len(ring) for ring in self.outline) > MOST_CORNERS:
            raise ValueError(f"an outline has at most {MOST_RINGS} rings and {MOST_CORNERS} corners")
        if any(len(ring) < 3 or not all(-0.01 <= v <= 1.01 for at in ring for v in at) for ring in self.outline):
            raise ValueError("a ring of an outline has three corners at least, each within the box of its picture")

    @property
    def is_ink(self) -> bool:
        """Whether it lies on its part without being one."""
        return self.kind in INK


__all__ = ["INK", "Item", "ItemKind", "Ring"]
