"""The fold engine: rigid panels, creases that stay joined, loops that close, and what is published of folded vertices.

Sources: the relations of a flat-foldable degree-4 vertex are those of the origami mathematics literature (Kawasaki's condition; the
two modes of folding, tangents of half angles in a constant ratio), here from memory; spherical triangles are elementary.
"""

import math
import unittest

import numpy as np
import shapely

from lexipod.assembly import FlatState, Folding, FoldJoint, Panel, Stage
from lexipod.assembly.joints import Drive
from lexipod.building import build_assembly
from lexipod.geometry.space import apply_frame, compose_frames, invert_frame, line_frame, turn_frames
from lexipod.motion import MechanismError, fold_systems, solve_folds
from tests.zoo import CATALOG, FOLDED, card_with

KINDS = [(r, {}) for r in FOLDED] + [
    ("wiper", {"placement": "own"}),
    ("flip-panels", {"drive": "link"}),
    ("flip-panels", {"panels": "2"}),
    ("spin-popup", {"arms": "2"}),
    ("twist-popup", {"opening": "150deg"}),
]


def folding_of(recipe, **given):
    """The folding of a card with one mechanism."""
    return build_assembly(card_with(recipe, **given), CATALOG).foldings[0]


def over_the_travel(folding, steps=37):
    """The panels over the whole travel."""
    return solve_folds(folding, np.linspace(folding.drive.rest, folding.drive.end, steps))


def vertex(sectors_deg, driven_deg, guess):
    """Four panels about a point in the plane, the first one lying still; the crease between the first and second is driven."""
    rays = np.radians(np.concatenate([[0.0], np.cumsum(sectors_deg)]))
    tips = [(50 * math.cos(a), 50 * math.sin(a)) for a in rays[:4]]
    panels, joints = [], []
    for k in range(4):
        points = [(0.0, 0.0), tips[k]]
        points += [(50 * math.cos(a), 50 * math.sin(a)) for a in np.linspace(rays[k], rays[k + 1], 7)[1:]]
        panels.append(Panel(f"p{k}", f"p{k}", "m1", "s", np.array(points), "card-160", 0.2))
    for k in range(3):  # panel k + 1 lies on the left of the ray that starts it
        line = ((0.0, 0.0, 0.0), (*tips[k + 1], 0.0))
        joints.append(FoldJoint(f"c{k + 1}", "hinge", f"p{k + 1}", f"p{k}", line, line))
    line = ((0.0, 0.0, 0.0), (*tips[0], 0.0))
    joints.append(FoldJoint("c0", "hinge", "p0", "p3", line, line, closes=True))
    stage = Stage(0.0, driven_deg, driven_deg / 2, {"c1": (0.0, driven_deg)}, guess, ("c0",), (True, False))
    drive = Drive("m1", "c1", "p1", "open", 0.0, driven_deg, driven_deg / 2)
    return Folding("m1", "face", tuple(panels), tuple(joints), (stage,), drive, (), (FlatState("flat", 0.0, True, True),), "p0")


class VertexTest(unittest.TestCase):
    def test_flat_foldable_vertices_keep_the_ratio_of_their_half_angle_tangents(self):
        rng = np.random.default_rng(11)
        for _ in range(12):
            a, b = rng.uniform(35, 80), rng.uniform(95, 140)
            sectors = (a, b, 180 - a, 180 - b)  # opposite ones add up to 180: Kawasaki
            across = math.cos(math.radians((a + b) / 2)) / math.cos(math.radians((a - b) / 2))
            other = math.sin(math.radians((a - b) / 2)) / math.sin(math.radians((a + b) / 2))
            for ratio in (across, other):
                start = 2 * math.degrees(math.atan(math.tan(math.radians(30)) * abs(ratio)))
                found = []
                for sign in (1, -1):
                    for third in (60.0, -60.0):
                        # c1 is driven; c2 and c3 follow in one of the two modes
                        try:
                            folding = vertex(sectors, 120.0, {"c2": sign * start, "c3": third})
                        except (MechanismError, ValueError):
                            continue
                        try:
                            track = solve_folds(folding, np.linspace(10, 120, 12))
                        except MechanismError:
                            continue
                        if track.reached.all():
                            found.append(track)
                self.assertTrue(found, (sectors, ratio))
                for track in found:
                    half = [np.tan(np.radians(track.coordinates[f"c{k}"]) / 2) for k in (1, 2, 3)]
                    share = half[1] / half[0]
                    np.testing.assert_allclose(share, share[0], atol=1e-6, err_msg=str(sectors))
                    modes = [abs(across), abs(other)]
                    self.assertLess(min(abs(abs(share[0]) - m) for m in modes), 1e-6, (sectors, share[0], modes))
                    np.testing.assert_allclose(np.abs(half[2]), np.abs(half[0]), atol=1e-6)

    def test_any_vertex_closes_as_spherical_triangles_say(self):
        rng, judged = np.random.default_rng(12), 0
        for _ in range(40):
            a, b, c = rng.uniform(60, 110, 3)
            d = 360 - a - b - c
            if not 40 < d < 140:
                continue
            try:
                folding = vertex((a, b, c, d), 70.0, {"c2": 40.0, "c3": -40.0})
                track = solve_folds(folding, np.linspace(20, 70, 6))
            except MechanismError:
                continue
            for k in np.flatnonzero(track.reached):
                # The sector between creases 0 and 2 seen across the first two panels equals that seen across the other two.
                rho1, rho3 = (math.radians(180 - track.coordinates[n][k]) for n in ("c1", "c3"))
                one, two = (
                    math.cos(math.radians(p)) * math.cos(math.radians(q)) + math.sin(math.radians(p)) * math.sin(math.radians(q)) * math.cos(rho)
                    for p, q, rho in ((a, b, rho1), (c, d, rho3))
                )
                self.assertAlmostEqual(one, two, places=7)
                judged += 1
        self.assertGreater(judged, 10)


class RigidTest(unittest.TestCase):
    def test_creases_stay_joined_and_panels_keep_length_and_area(self):
        for recipe, given in KINDS:
            folding = folding_of(recipe, **given)
            track = over_the_travel(folding)
            self.assertTrue(track.reached.all(), (recipe, given))
            self.assertLess(track.residual_mm, 1e-6, (recipe, given))
            for panel in folding.panels:
                turns = track.frames[panel.id][..., :3]
                np.testing.assert_allclose(np.einsum("nji,njk->nik", turns, turns), np.broadcast_to(np.eye(3), turns.shape), atol=1e-9)
                np.testing.assert_allclose(np.linalg.det(turns), 1.0, atol=1e-9)
                seen = apply_frame(track.frames[panel.id], panel.corners[: len(panel.outline)])
                middle = seen.mean(axis=1, keepdims=True)
                areas = np.linalg.norm(np.cross(seen - middle, np.roll(seen, -1, axis=1) - middle).sum(axis=1), axis=1) / 2
                np.testing.assert_allclose(areas, shapely.Polygon(panel.outline).area, rtol=1e-9, err_msg=f"{recipe} {panel.id}")
            used = {name for stage in folding.stages for name in stage.closes}
            for joint in folding.joints:
                if joint.kind != "hinge" or (joint.closes and joint.id not in used) or (joint.closes and len(folding.stages) > 1):
                    continue
                ends = [apply_frame(track.frames[p], at) for p, at in ((joint.a, joint.at_a), (joint.b, joint.at_b))]
                np.testing.assert_allclose(ends[0], ends[1], atol=1e-6, err_msg=f"{recipe} {joint.id}")
                length = np.linalg.norm(np.subtract(*joint.at_a))
                np.testing.assert_allclose(np.linalg.norm(ends[0][:, 0] - ends[0][:, 1], axis=1), length, atol=1e-9)

    def test_flat_states_are_flat_to_the_last_digit(self):
        for recipe, given in KINDS:
            folding = folding_of(recipe, **given)
            track = solve_folds(folding, np.array([s.at for s in folding.states]))
            for panel in folding.panels:
                if panel.spins:
                    continue
                normal = track.frames[panel.id][:, :, 2]
                np.testing.assert_allclose(np.abs(normal[:, 2]), 1.0, atol=1e-9, err_msg=f"{recipe} {panel.id}")

    def test_positions_do_not_depend_on_what_else_is_asked_for(self):
        for recipe, given in KINDS:
            folding = folding_of(recipe, **given)
            many, few = over_the_travel(folding, 61), over_the_travel(folding, 7)
            for panel, frames in few.frames.items():
                np.testing.assert_allclose(frames, many.frames[panel][::10], atol=1e-8, err_msg=f"{recipe} {panel}")

    def test_what_hangs_on_nothing_is_refused(self):
        folding = folding_of("wiper")
        with self.assertRaises(MechanismError):
            fold_systems(Folding(**{f: getattr(folding, f) for f in folding.__dataclass_fields__} | {"joints": folding.joints[1:]}))


class DerivativeTest(unittest.TestCase):
    def test_the_analytic_derivative_is_the_numeric_one(self):
        rng = np.random.default_rng(3)
        compared = 0
        for recipe, given in KINDS:
            for system in fold_systems(folding_of(recipe, **given)):
                if not system.free:
                    continue
                travel = np.array([system.stage.home])
                q = system.scaled_home + rng.uniform(-2, 2, len(system.free))
                _, slopes = system.residual_and_jacobian(q[None], travel)
                for k in range(len(q)):
                    step = np.zeros(len(q))
                    step[k] = 1e-5
                    more, less = (system.residual_and_jacobian((q + s * step)[None], travel)[0][0] for s in (1, -1))
                    np.testing.assert_allclose(slopes[0, :, k], (more - less) / 2e-5, atol=1e-6, err_msg=recipe)
                    compared += 1
        self.assertGreater(compared, 10)


class FrameTest(unittest.TestCase):
    def test_frames_go_there_and_back(self):
        rng = np.random.default_rng(4)
        for _ in range(20):
            p, q = rng.uniform(-50, 50, (2, 3))
            q[2] = p[2] = 0.0
            frame = compose_frames(line_frame(p, q), turn_frames(rng.uniform(-3, 3))[0])
            points = rng.uniform(-50, 50, (5, 3))
            np.testing.assert_allclose(apply_frame(invert_frame(frame), apply_frame(frame, points)), points, atol=1e-9)

    def test_between_two_positions_a_panel_lies_between(self):
        track = over_the_travel(folding_of("twist-popup"), 181)
        exact = solve_folds(track.folding, np.array([77.5]))
        for panel, frame in track.frames_at(77.5).items():
            np.testing.assert_allclose(frame, exact.frames[panel][0], atol=0.02)
        for panel, frame in track.frames_at(400.0).items():  # past the end it stays there
            np.testing.assert_allclose(frame, track.frames[panel][-1], atol=1e-12)
