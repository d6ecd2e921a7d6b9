"""Layers of what lies flat: those that recipes state, those that follow from the motion, and ones that cannot be.

The conditions are those of flat folding (origami mathematics): what lies across an open crease lies on one side of both panels, and
nothing lies inside a closed one that it crosses.
"""

import unittest
from dataclasses import replace

import numpy as np

from lexipod.assembly import Drive, FlatState, Folding, FoldJoint, Panel, Stage
from lexipod.building import build_assembly
from lexipod.geometry.space import planar_frame, turned_over
from lexipod.motion import lay_flat, order_at, solve_folds
from tests.motion.test_folds import folding_of
from tests.solid_sheets import layers_exist
from tests.zoo import CATALOG, FOLDED, card_with

KINDS = [
    *((recipe, {}) for recipe in FOLDED),
    ("wiper", {"placement": "own"}),
    ("flip-panels", {"panels": "2"}),
    ("flip-panels", {"drive": "link"}),
    ("flip-panels", {"drive": "link", "panels": "2"}),
    ("spin-popup", {"arms": "2"}),
    ("waterfall", {"leaves": "6"}),
]


def panel(name, x0, x1, y0=0.0, y1=30.0, **more):
    outline = np.array([(x0, y0), (x1, y0), (x1, y1), (x0, y1)], dtype=float)
    return Panel(name, name, "m1", name, outline, "card-300", 0.4, **more)


def door(*others, joints=(), order=()):
    """A base from 0 to 60 and a door hinged at its right edge that shuts over it, and what else lies there."""
    base, leaf = panel("base", 0, 60, base=True), panel("leaf", 60, 120)
    line = ((60.0, 0.0, 0.0), (60.0, 30.0, 0.0))
    hinge = FoldJoint("m1.hinge", "hinge", "leaf", "base", line[::-1], line[::-1])
    drive = Drive("m1", "m1.hinge", "leaf", "open", 0.0, 180.0, 90.0)
    stage = Stage(0.0, 180.0, 90.0, {"m1.hinge": (180.0, 0.0)}, {}, (), (True, True))
    states = (FlatState("shut", 0.0, True, True, order), FlatState("open", 180.0, False, False))
    return Folding("m1", "card", (base, leaf, *others), (hinge, *joints), (stage,), drive, (), states, "base")


class RecipeTest(unittest.TestCase):
    def test_the_order_that_a_recipe_states_is_the_one_its_motion_gives(self):
        for recipe, given in KINDS:
            folding = folding_of(recipe, **given)
            for state, layers in zip(folding.states, lay_flat(folding), strict=True):
                self.assertEqual(layers.tangles, (), (recipe, given, state.name))
                if (recipe, given) == ("spin-popup", {"arms": "2"}):
                    continue  # of two corners beside each other neither lies over the other
                named = {p: k for k, p in enumerate(state.order)}
                last = len(folding.panels)
                stated = sorted((p.id for p in folding.panels), key=lambda p: named.get(p, [q.id for q in folding.panels].index(p) - last))
                self.assertEqual(sorted(layers.rank, key=lambda p: layers.rank[p]), stated, (recipe, given, state.name))

    def test_a_wrong_order_is_put_right_by_the_motion(self):
        """Leaves of a waterfall hang behind in the order in which they turned, whatever a recipe says."""
        folding = folding_of("waterfall")
        turned = [f"m1.leaf-{k}" for k in range(1, 5)]

        def reversed_leaves(order, many):
            back = iter(turned[:many][::-1])
            return tuple(next(back) if p in turned[:many] else p for p in order)

        states = tuple(replace(s, order=reversed_leaves(s.order, k)) for k, s in enumerate(folding.states))
        rank = order_at(replace(folding, states=states), folding.states[-1].at)
        self.assertEqual(sorted(turned, key=lambda p: rank[p]), turned)
        self.assertLess(max(rank[p] for p in turned), rank["m1.section-1"])

    def test_the_corner_of_a_wiper_stays_on_the_front_of_its_strut(self):
        for placement in ("flange", "own"):
            folding = folding_of("wiper", placement=placement)
            track = solve_folds(folding, np.array([s.at for s in folding.states]))
            for k, state in enumerate(folding.states):
                rank = order_at(folding, state.at)
                up = track.frames["m1.strut-1"][k][2, 2] > 0
                self.assertEqual(rank["m1.corner"] > rank["m1.strut-1"], up, (placement, state.name))


class ConditionTest(unittest.TestCase):
    def kinds(self, folding):
        told = {t.kind for layers in lay_flat(folding) for t in layers.tangles}
        exists = [layers_exist([folding], [s], solve_folds) for s in folding.states]
        self.assertEqual(not told, all(exists), (told, exists))
        return told

    def test_a_door_lies_over_what_it_shuts_on(self):
        self.assertEqual(self.kinds(door()), set())
        self.assertGreater(order_at(door(), 0.0)["leaf"], order_at(door(), 0.0)["base"])

    def test_nothing_stays_between_two_glued_faces(self):
        """A pad glued on the door's front comes down on the base; a loose strip that was stated to lie under it is laid over it."""
        pad = panel("pad", 70, 110, 5, 25)
        glue = FoldJoint("g", "fixed", "pad", "leaf")
        self.assertEqual(self.kinds(door(pad, joints=(glue,), order=("base", "pad", "leaf"))), set())
        strip = panel("strip", 75, 105, 10, 20)
        lies = FoldJoint("s", "slide", "strip", "leaf", along=(0.0, 1.0, 0.0))
        folding = door(pad, strip, joints=(glue, lies), order=("base", "pad", "strip", "leaf"))
        stages = tuple(replace(s, driven=s.driven | {"s": (0.0, 0.0)}) for s in folding.stages)
        folding = replace(folding, stages=stages)
        self.assertEqual(self.kinds(folding), set())
        for state in folding.states:
            rank = order_at(folding, state.at)
            low, high = sorted((rank["pad"], rank["leaf"]))
            self.assertFalse(low < rank["strip"] < high, state.name)

    def test_a_sheet_across_a_closed_fold_cannot_lie_in_it(self):
        """A bar that is fixed to the base's front and reaches past its right edge would go through the hinge of the door."""
        bar = panel("bar", 40, 80, 10, 20)
        on = FoldJoint("b", "fixed", "bar", "base")
        self.assertEqual(self.kinds(door(bar, joints=(on,), order=("base", "bar", "leaf"))), {"through"})
        self.assertEqual(self.kinds(door(bar, joints=(on,), order=("bar", "base", "leaf"))), set())

    def test_a_panel_that_leaves_on_the_other_side_passes(self):
        """Two doors on one hinge that open to both sides, a sheet glued under one and over the other: a ring."""
        under = panel("under", 62, 118, 2, 28)
        glue = FoldJoint("g", "fixed", "under", "leaf", place=planar_frame(0, 0, 0))
        told = lay_flat(door(under, joints=(glue,), order=("base", "leaf", "under")))
        rank = told[0].rank
        self.assertLess(rank["base"], rank["leaf"])
        self.assertLess(rank["leaf"], rank["under"])  # glued on its back, which is up when it is shut
        self.assertGreater(told[1].rank["leaf"], told[1].rank["under"])  # and down when it is open

    def test_faces_keep_their_side_when_turned_over(self):
        lined = panel("lining", 0, 56, 2, 28)
        place = turned_over(120.0, 0.0)
        glue = FoldJoint("g", "fixed", "lining", "leaf", place=place)
        folding = door(lined, joints=(glue,), order=("base", "lining", "leaf"))
        shut, opened = lay_flat(folding)
        self.assertLess(shut.rank["lining"], shut.rank["leaf"])
        self.assertGreater(opened.rank["lining"], opened.rank["leaf"])


class StateTest(unittest.TestCase):
    def test_a_state_that_is_not_reached_keeps_the_stated_order(self):
        folding = build_assembly(card_with("flip-panels", drive="link").with_parameters("m1", {"link": 12.0}), CATALOG).foldings[0]
        layers = lay_flat(folding)
        self.assertEqual([t for one in layers for t in one.tangles], [])
        for state, one in zip(folding.states, layers, strict=True):
            self.assertEqual(sorted(state.order, key=lambda p: one.rank[p]), list(state.order))


if __name__ == "__main__":
    unittest.main()
