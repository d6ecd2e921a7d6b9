"""The slider judged a second time, from its parameters alone, by counting points and trying positions one by one.

Nothing of the program's geometry, solver or checks is used for the second opinion: plain rectangles, a grid, and SciPy's hull.
"""

import random
import unittest

import numpy as np
from scipy.spatial import ConvexHull

from lexipod.building import build_assembly
from lexipod.checks import Examination, run_checks
from lexipod.checks.outline import flat_size
from lexipod.design import Ways
from tests.zoo import CATALOG, slider

CARD, T, GAP = (107.95, 139.7), 0.38, 0.6
BREAKS = {
    "travel": (-15, 15),
    "slot_length": (-12, 12),
    "slot_height": (-4, 10),
    "strip_height": (-8, 8),
    "strip_length": (-30, 10),
    "rail_gap": (-3, 3),
    "picture_width": (-14, 12),
    "picture_height": (-14, 12),
    "picture_shift": (-9, 9),
    "reveal_width": (-9, 9),
    "reveal_shift": (-7, 7),
    "backing_lap": (-5, 4),
    "pad_length": (-3, 8),
}


def broken_values(rng):
    """Parameters of a default slider with one to three of them spoiled."""
    values = dict(slider(ways=Ways(units="mm")).mechanisms[0].parameters)
    for name in rng.sample(sorted(BREAKS), rng.randint(1, 3)):
        values[name] = (
            max(2.0, round(values[name] + rng.uniform(*BREAKS[name]), 2))
            if name not in ("picture_shift", "reveal_shift")
            else round(values[name] + rng.uniform(*BREAKS[name]), 2)
        )
    return values


def judged(values):
    """The program's own opinion."""
    design = slider(ways=Ways(units="mm")).with_parameters("m1", values)
    examination = Examination(build_assembly(design, CATALOG), CATALOG, design.ways, steps=61)
    return examination, {f.rule: f for f in reversed(run_checks(examination))}


class Rectangles:
    """Where everything lies at rest: (left, bottom, right, top) in the card's frame, for a pull to the right."""

    def __init__(self, v):
        m = v["slot_place"]

        def across(left, right, half):
            return (left, m - half, right, m + half)

        self.slot = across(v["slot_from"], v["slot_from"] + v["slot_length"], v["slot_height"] / 2)
        self.strip = across(CARD[0] - v["strip_length"], CARD[0], v["strip_height"] / 2)
        pad = v["slot_from"] + v["pad_start"]
        self.pad = across(pad, pad + v["pad_length"], max(1.0, v["slot_height"] - 2 * v["pad_play"]) / 2)
        lap = v["backing_lap"]
        self.backing = (self.slot[0] - lap, self.slot[1] - lap, self.slot[2] + lap, self.slot[3] + lap)
        u = pad + v["pad_length"] / 2
        w, h = v["picture_width"] / 2, v["picture_height"] / 2
        self.picture = (u - w, m + v["picture_shift"] - h, u + w, m + v["picture_shift"] + h)
        w, h = v["reveal_width"] / 2, v["reveal_height"] / 2
        self.reveal = (u - w, m + v["reveal_shift"] - h, u + w, m + v["reveal_shift"] + h)


def grid(box, step=0.25):
    """Points inside a box."""
    x, y = (np.arange(a + step / 2, b, step) for a, b in ((box[0], box[2]), (box[1], box[3])))
    return np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2)


def inside(points, box, shift=0.0, corner=0.0):
    """Which points lie in a box moved to the right, its corners rounded."""
    left, bottom, right, top = box[0] + shift, box[1], box[2] + shift, box[3]
    x, y = points.T
    dx = np.maximum(np.maximum(left + corner - x, x - (right - corner)), 0)
    dy = np.maximum(np.maximum(bottom + corner - y, y - (top - corner)), 0)
    return np.hypot(dx, dy) <= corner if corner else (dx == 0) & (dy == 0)


class SecondOpinionTest(unittest.TestCase):
    def setUp(self):
        rng = random.Random(77)
        self.cases = [broken_values(rng) for _ in range(40)]

    def test_how_far_it_goes(self):
        for v in self.cases:
            boxes = Rectangles(v)
            examination, _ = judged(v)
            free = examination.free_range("m1")
            if boxes.slot[2] - boxes.slot[0] <= v["pad_length"] + v["pad_start"]:
                continue  # the pad does not even fit at rest
            touches = [t for t in np.arange(0, v["travel"] + 12, 0.05) if boxes.pad[2] + t >= boxes.slot[2]]
            if not touches or v["rail_gap"] <= v["strip_height"]:
                continue
            self.assertAlmostEqual(free.high.at, touches[0], delta=0.06, msg=v)
            self.assertAlmostEqual(free.low.at, max(-GAP, -v["pad_start"]), delta=1e-3)

    def test_whether_something_shows_through_the_slot(self):
        seen = 0
        for v in self.cases:
            boxes = Rectangles(v)
            points = grid(boxes.slot)
            open_anywhere = any(
                (~inside(points, boxes.strip, t) & ~inside(points, boxes.backing)).mean() > 0.002 for t in np.linspace(0, v["travel"], 40)
            )
            finding = judged(v)[1].get("slot-hidden")
            self.assertEqual(open_anywhere, finding is not None and finding.measured < 0, v)
            seen += open_anywhere
        self.assertEqual(seen, 0)  # a backing cut from the slot's own size always covers it; the planted case is tested elsewhere

    def test_whether_the_surprise_is_hidden_and_shown(self):
        counts = {"rest": 0, "end": 0}
        for v in self.cases:
            boxes = Rectangles(v)
            points = grid(boxes.reveal, 0.2)
            rules = judged(v)[1]
            bare = (~inside(points, boxes.picture, 0.0, corner=2.0)).mean()
            covered = inside(points, boxes.picture, v["travel"], corner=2.0).mean()
            for name, share, rule in (("rest", bare, "reveal-rest"), ("end", covered, "reveal-end")):
                if 0 < share < 0.01:
                    continue  # thinner than the grid can tell
                finding = rules.get(rule)
                self.assertEqual(share >= 0.01, finding is not None and finding.measured < 0, (name, share, v))
                if finding is not None:  # a sliver of no more than a millimetre is only to be watched
                    self.assertEqual(finding.severity == "block", finding.measured < -1.0, (name, finding))
                counts[name] += share >= 0.01
        self.assertGreater(min(counts.values()), 3)

    def test_the_gap_beside_the_strip(self):
        for v in self.cases:
            finding = judged(v)[1].get("clearance")
            gap = (v["rail_gap"] - v["strip_height"]) / 2
            if gap < 0.5 - 1e-6 and finding is not None and "m1.strip" in finding.parts and gap > 0:
                self.assertAlmostEqual(finding.measured, gap, places=4)
            elif gap >= 0.5:
                self.assertTrue(finding is None or "m1.rail" not in " ".join(finding.parts), v)

    def test_the_girth_that_the_envelope_must_take(self):
        for v in self.cases[:12]:
            examination, _ = judged(v)
            width, _ = flat_size(examination)
            layers = []
            for part in examination.assembly.parts:
                x = part.outline[:, 0] + part.home[0]
                layers += [(a, z) for a in (x.min(), x.max()) for z in (part.z_mm, part.top_mm)]
            hull = ConvexHull(np.array(layers))
            self.assertAlmostEqual(width, hull.area / 2, places=6)  # the “area” of a plane hull is its length
