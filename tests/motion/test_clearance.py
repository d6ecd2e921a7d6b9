"""Gaps over the travel."""

import math
import unittest

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from lexipod.assembly import Drive, Joint, Segment
from lexipod.geometry.shapes import circle, rectangle
from lexipod.motion import find_free_range, find_meeting_pairs, measure_clearances, solve_track
from lexipod.motion.clearance import measure_pair
from tests.zoo import assembly, part


def sliding(moving, *others, travel=100.0, level=1, start=(50.0, 100.0)):
    """A part that slides to the right past others that stand still."""
    mover = part("mover", moving, home=(*start, 0), level=level)
    stands = [part(f"post{k}", outline, role="spacer", level=level) for k, outline in enumerate(others)]
    joints = [Joint("j1", "slide", "mover", "card.front", (0, 0), path_b=Segment(start, (start[0] + 300, start[1]), zero_mm=0.0), turn="fixed")]
    joints += [Joint(f"g{k}", "fixed", s.id, "card.front") for k, s in enumerate(stands)]
    return assembly([mover, *stands], joints, Drive("m1", "j1", "mover", "slide", 0.0, travel, 0.0))


class GapTest(unittest.TestCase):
    def test_the_least_gap_is_that_of_the_shapes(self):
        a = sliding(rectangle(0, 0, 10, 4), rectangle(90, 106, 100, 120))
        found = measure_clearances(a, solve_track(a, a.drives[0], a.drives[0].coordinates(31)), needed_mm=lambda a, b: 0.5)
        self.assertEqual(len(found), 1)
        self.assertAlmostEqual(found[0].minimum_mm, 2.0, places=9)
        self.assertEqual(found[0].needed_mm, 0.5)

    def test_an_overlap_is_minus_the_largest_circle_in_the_common_area(self):
        a = sliding(rectangle(0, 0, 10, 4), rectangle(90, 101, 100, 120))
        found = measure_clearances(a, solve_track(a, a.drives[0], a.drives[0].coordinates(101)), needed_mm=lambda a, b: 0.5)
        self.assertAlmostEqual(found[0].minimum_mm, -3.0, delta=0.02)

    @settings(max_examples=60, deadline=None)
    @given(st.floats(60, 140), st.floats(0.05, 0.8), st.floats(0.05, 0.8))
    def test_a_thin_post_between_two_positions_is_never_missed(self, x, post, finger):
        a = sliding(rectangle(0, 0, finger, 5), rectangle(x, 104, x + post, 108))
        track = solve_track(a, a.drives[0], a.drives[0].coordinates(8))
        gaps, steps, _ = measure_pair(a.by_id["mover"], a.by_id["post0"], track, needed_mm=0.5)
        self.assertLessEqual(min(gaps.min(), steps.min()), 0.0)

    def test_turning_parts_are_held_against_monte_carlo_points(self):
        arm = part("arm", rectangle(0, -2, 60, 2), home=(200, 200, 0.0))
        post = part("post", circle((200 + 50 * math.cos(1.0), 200 + 50 * math.sin(1.0)), radius_mm=1.0), role="spacer")
        far = part("far", circle((200 + 64 * math.cos(2.0), 200 + 64 * math.sin(2.0)), radius_mm=1.0), role="spacer")
        joints = [
            Joint("j1", "pin", "arm", "card.front", (0, 0), (200, 200)),
            Joint("g1", "fixed", "post", "card.front"),
            Joint("g2", "fixed", "far", "card.front"),
        ]
        a = assembly([arm, post, far], joints, Drive("m1", "j1", "arm", "turn", 0.0, 150.0, 0.0))
        track = solve_track(a, a.drives[0], a.drives[0].coordinates(46))
        by_pair = {c.b: c for c in measure_clearances(a, track, needed_mm=lambda a, b: 0.5)}
        self.assertLess(by_pair["post"].minimum_mm, 0)
        rng = np.random.default_rng(5)
        turns = rng.uniform(0, math.radians(150), 4000)
        corners = [
            shapely.Polygon(
                np.column_stack([c[:, 0] * math.cos(t) - c[:, 1] * math.sin(t) + 200, c[:, 0] * math.sin(t) + c[:, 1] * math.cos(t) + 200])
            )
            for t in turns
            for c in [arm.outline]
        ]
        sampled = shapely.distance(np.array(corners), far.region).min()
        self.assertAlmostEqual(by_pair["far"].minimum_mm, sampled, delta=0.06)  # far from what is needed it is not swept

    def test_the_answer_does_not_depend_on_how_finely_it_was_asked(self):
        a = sliding(circle((0, 0), radius_mm=5), circle((100, 107), radius_mm=1.5))
        least = [
            measure_clearances(a, solve_track(a, a.drives[0], a.drives[0].coordinates(n)), needed_mm=lambda a, b: 0.5)[0].minimum_mm
            for n in (5, 46, 181)
        ]
        for value in least:
            self.assertAlmostEqual(value, 0.5, delta=0.02)


class MeetingTest(unittest.TestCase):
    def test_parts_meet_only_on_a_common_level_and_in_different_bodies(self):
        a = sliding(rectangle(0, 0, 10, 4), rectangle(90, 106, 100, 120))
        self.assertEqual(find_meeting_pairs(a, "m1"), [("mover", "post0")])
        other = assembly(
            [part("mover", home=(50, 100, 0)), part("high", level=2, role="cover")],
            [a.joints[0], Joint("g", "fixed", "high", "card.front")],
            a.drives[0],
        )
        self.assertEqual(find_meeting_pairs(other, "m1"), [])

    def test_a_pillar_meets_the_levels_it_passes_but_not_what_lies_beyond_its_ends(self):
        base = part("disc", home=(50, 100, 0), level=1)
        pillar = part("pillar", home=(50, 100, 0), level=2, through=(1, 2, 3), joins=("disc", "top"))
        top = part("top", home=(50, 100, 0), level=3)
        slot = part("sheet", rectangle(0, 90, 300, 98), level=2, role="cover")
        over = part("over", rectangle(0, 90, 300, 98), level=4, role="cover")
        joints = [
            sliding(rectangle(0, 0, 1, 1))
            .joints[0]
            .__class__("j1", "slide", "disc", "card.front", (0, 0), path_b=Segment((50, 100), (200, 100)), turn="fixed"),
            Joint("w1", "fixed", "pillar", "disc"),
            Joint("w2", "fixed", "top", "pillar"),
            Joint("g1", "fixed", "sheet", "card.front"),
            Joint("g2", "fixed", "over", "card.front"),
        ]
        a = assembly([base, pillar, top, slot, over], joints, Drive("m1", "j1", "disc", "slide", 0.0, 60.0, 0.0))
        self.assertIn(("pillar", "sheet"), find_meeting_pairs(a, "m1"))
        self.assertNotIn("over", {name for pair in find_meeting_pairs(a, "m1") for name in pair})


class FreeRangeTest(unittest.TestCase):
    def test_contacts_stop_it_on_both_sides_where_the_shapes_touch(self):
        a = sliding(rectangle(0, 0, 10, 4), rectangle(147.5, 100, 150, 104), rectangle(30, 100, 49.2, 104), travel=80.0)
        free = find_free_range(a, a.drives[0])
        self.assertEqual((free.high.cause, free.high.side), ("contact", "end"))
        self.assertAlmostEqual(free.high.at, 87.5, delta=1e-3)
        self.assertAlmostEqual(free.low.at, 0.0, delta=1e-6)  # its path begins at rest: an open end, nothing that holds
        self.assertEqual(free.low.cause, "path end")
        self.assertFalse(free.low.is_physical)

    def test_what_is_known_of_the_gaps_changes_no_stop_on_either_side_or_way_round(self):
        """A block between two posts 17.3 and 23.9 away, driven from its middle; the stops are those distances. Narrow fins that lie
        between two positions stop it too, and so does what lies beyond the designed travel."""
        for rest, end in ((-40.0, 40.0), (40.0, -40.0), (-10.0, 12.0), (12.0, -10.0)):
            for wide, block in ((20.0, 10.0), (0.3, 10.0), (0.3, 2.0)):
                mover = part("mover", rectangle(0, 0, block, 4), home=(150, 100, 0), level=1)
                left = part("left", rectangle(150 - 17.3 - wide, 90, 150 - 17.3, 120), role="spacer", level=1)
                right = part("right", rectangle(150 + block + 23.9, 90, 150 + block + 23.9 + wide, 120), role="spacer", level=1)
                path = Segment((20, 100), (280, 100), zero_mm=130.0)
                joints = [Joint("j1", "slide", "mover", "card.front", (0, 0), path_b=path, turn="fixed")]
                joints += [Joint(f"g-{p.id}", "fixed", p.id, "card.front") for p in (left, right)]
                a = assembly([mover, left, right], joints, Drive("m1", "j1", "mover", "slide", rest, end, 0.0))
                drive = a.drives[0]
                for steps in (181, 7):
                    measured = measure_clearances(a, solve_track(a, drive, drive.coordinates(steps)), needed_mm=lambda a, b: 0.5)
                    for free in (find_free_range(a, drive), find_free_range(a, drive, measured=measured)):
                        self.assertEqual((free.low.parts, free.high.parts), (("mover", "left"), ("mover", "right")), (rest, end, wide, steps))
                        self.assertAlmostEqual(free.low.at, -17.3, delta=1e-2)
                        self.assertAlmostEqual(free.high.at, 23.9, delta=1e-2)

    def test_a_path_with_stops_ends_as_slot_end_exactly(self):
        mover = part("mover", home=(100, 100, 0))
        path = Segment((98.5, 100), (141.25, 100), zero_mm=1.5)
        a = assembly(
            [mover],
            [Joint("j1", "slide", "mover", "card.front", (0, 0), path_b=path, ends=("stop", "stop"), turn="fixed")],
            Drive("m1", "j1", "mover", "slide", 0.0, 40.0, 0.0),
        )
        free = find_free_range(a, a.drives[0])
        self.assertAlmostEqual(free.low.at, -1.5, places=9)
        self.assertAlmostEqual(free.high.at, 41.25, places=9)
        self.assertEqual({free.low.cause, free.high.cause}, {"slot end"})
