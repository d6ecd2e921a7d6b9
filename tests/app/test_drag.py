"""Drags and edits as plain values: what a pointer that goes somewhere makes of a measure, and how many undo steps it is."""

import unittest
from dataclasses import replace

import numpy as np

from lexipod.app.card.drag import (
    Pointer,
    drag_handle,
    drag_part,
    find_value,
    nearest_travel,
    nudged,
    parameter_of,
    ruler_step,
    set_parameter,
    snapped,
    value_at,
)
from lexipod.app.state.session import Session
from lexipod.assembly import Handle
from lexipod.building import build_assembly
from lexipod.design import Ways
from lexipod.editing.change import change_design
from lexipod.motion import solve_track
from tests.zoo import CATALOG, card_with, slider


def handles_of(session):
    return {h.parameter: h for h in build_assembly(session.design, CATALOG).handles}


def follow(drag, *pointers):
    """Runs a drag through some pointers; None gives it up."""
    next(drag)
    for pointer in pointers:
        try:
            drag.send(pointer)
        except StopIteration:
            return
    drag.close()


class RulerTest(unittest.TestCase):
    def test_a_step_is_a_mark_of_the_makers_ruler(self):
        for ways, step in ((Ways(units="mm"), 0.5), (Ways(units="in", denominator=16), 25.4 / 16), (Ways(units="in", denominator=32), 25.4 / 16)):
            self.assertAlmostEqual(ruler_step(slider(ways=ways), fine=False), step)
            self.assertEqual(ruler_step(slider(ways=ways), fine=True), 0.1)

    def test_values_fall_on_marks_and_stay_within_their_limits(self):
        session = Session(CATALOG, card_with("strip-slider"))
        handle = handles_of(session)["travel"]
        self.assertEqual(snapped(session.design, handle, 33.37, fine=False), 33.5)
        self.assertAlmostEqual(snapped(session.design, handle, 33.37, fine=True), 33.4)
        limits = parameter_of(session.design, "m1", "travel")
        self.assertEqual(snapped(session.design, handle, 1e6, fine=False), limits.maximum)
        self.assertEqual(snapped(session.design, handle, -1e6, fine=False), limits.minimum)

    def test_angles_fall_on_whole_degrees(self):
        session = Session(CATALOG, card_with("spinner"))
        handle = handles_of(session)["rest_angle"]
        self.assertEqual(parameter_of(session.design, "m1", "rest_angle").kind, "angle")
        self.assertEqual(snapped(session.design, handle, 41.4, fine=False), 41.0)

    def test_a_nudge_starts_from_what_is_there(self):
        session = Session(CATALOG, card_with("strip-slider"))
        handle = handles_of(session)["travel"]
        now = find_value(session.design, "m1", "travel")
        self.assertAlmostEqual(nudged(session, handle, 0.5, fine=False), round((now + 0.5) * 2) / 2)
        self.assertAlmostEqual(nudged(session, handle, -0.1, fine=True), round(now - 0.1, 1))

    def test_the_place_of_a_whole_mechanism_has_no_parameter(self):
        design = card_with("strip-slider")
        self.assertIsNone(parameter_of(design, "m1", "shift.x"))
        self.assertEqual(find_value(design, "m1", "shift"), (0.0, 0.0))
        item = change_design(design, CATALOG, {"item.d1": "decoration on card.frame front 8x8mm at 3x4mm"})
        self.assertEqual(find_value(item, "m1", "item.d1.at"), (3.0, 4.0))


class DragTest(unittest.TestCase):
    def setUp(self):
        self.session = Session(CATALOG, card_with("strip-slider"))
        self.handle = handles_of(self.session)["travel"]

    def value(self, name="travel"):
        return find_value(self.session.design, "m1", name)

    def pointer(self, along, across=0.0, *, fine=False):
        x, y = self.handle.direction
        return Pointer(50.0 + along * x - across * y, 50.0 + along * y + across * x, fine)

    def test_only_the_way_along_the_measure_counts_and_it_is_one_step(self):
        before = self.value()
        follow(drag_handle(self.session, self.handle, self.pointer(0.0)), self.pointer(1.0, 7.0), self.pointer(3.0, -20.0))
        self.assertAlmostEqual(self.value(), snapped(self.session.design, self.handle, before + 3.0 * self.handle.gain, fine=False))
        self.assertEqual(self.session.history.count, 1)
        self.session.undo()
        self.assertEqual(self.value(), before)

    def test_giving_up_puts_it_back_and_leaves_no_step(self):
        before = self.session.design
        follow(drag_handle(self.session, self.handle, self.pointer(0.0)), self.pointer(4.0), None)
        self.assertEqual(self.session.design, before)
        self.assertEqual(self.session.history.count, 0)

    def test_two_drags_are_two_steps(self):
        for along in (2.0, 3.0):
            follow(drag_handle(self.session, self.handle, self.pointer(0.0)), self.pointer(along))
        self.assertEqual(self.session.history.count, 2)

    def test_back_where_it_began_is_no_step(self):
        before = self.value()
        self.session.edit(
            self.session.design.with_parameters("m1", {"travel": snapped(self.session.design, self.handle, before, fine=False)}), text="x"
        )
        count = self.session.history.count
        follow(drag_handle(self.session, self.handle, self.pointer(0.0)), self.pointer(5.0), self.pointer(0.0))
        self.assertEqual(self.session.history.count, count)

    def test_an_angle_follows_the_pointer_round_its_middle_past_half_a_turn(self):
        session = Session(CATALOG, card_with("spinner"))
        wide = replace(handles_of(session)["rest_angle"], gain=0.25)
        start, (x, y) = float(find_value(session.design, "m1", "rest_angle")), wide.about
        turn = [Pointer(x + 30 * np.cos(np.radians(t)), y + 30 * np.sin(np.radians(t))) for t in range(0, 241, 20)]
        follow(drag_handle(session, wide, turn[0]), *turn[1:])
        self.assertEqual(find_value(session.design, "m1", "rest_angle"), snapped(session.design, wide, start + 60.0, fine=False))

    def test_a_point_goes_both_ways(self):
        session = Session(CATALOG, card_with("pivot-arm"))
        handle = next(h for h in handles_of(session).values() if h.cross is not None and h.parameter == "pivot")
        x, y = find_value(session.design, "m1", "pivot")
        follow(drag_handle(session, handle, Pointer(10.0, 10.0)), Pointer(12.0, 9.0))
        found = find_value(session.design, "m1", "pivot")
        along, up = (2.0 * d[0] - 1.0 * d[1] for d in (handle.direction, handle.cross))
        for now, then, moved in zip(found, (x, y), (along, up), strict=True):
            self.assertAlmostEqual(now, round((then + moved) * 2) / 2)

    def test_what_cannot_be_accepted_changes_nothing(self):
        before = self.session.design
        wrong = Handle("m1", "pull", "pull", (0, 0), (1, 0), 1.0, ((0, 0), (1, 0)))
        set_parameter(self.session, wrong, "nothing of the kind")
        self.assertEqual(self.session.design, before)


class PartDragTest(unittest.TestCase):
    def setUp(self):
        built = build_assembly(slider(ways=Ways(units="mm")), CATALOG)
        self.track = solve_track(built, built.drives[0], built.drives[0].coordinates(9))

    def test_a_strip_follows_the_pointer_along_its_way(self):
        told = []
        pose = self.track.poses["m1.strip"][0]
        press = Pointer(pose[0] + 5.0, pose[1] + 5.0)
        follow(
            drag_part(self.track, "m1.strip", 0.0, press, told.append), Pointer(press.x + 6.0, press.y + 3.0), Pointer(press.x - 9.0, press.y), None
        )
        way = self.track.poses["m1.strip"]
        sign = np.sign(way[-1, 0] - way[0, 0])
        self.assertAlmostEqual(told[0], 6.0 if sign > 0 else 0.0, places=6)
        self.assertAlmostEqual(told[1], 0.0 if sign > 0 else 9.0, places=6)
        self.assertEqual(told[2], 0.0)  # given up: back where it was

    def test_where_a_way_comes_back_the_place_beside_the_present_travel_is_taken(self):
        way = np.array([[0.0, 0.0], [10.0, 0.0], [10.0, 1.0], [0.0, 1.0]])
        travels = np.array([0.0, 10.0, 11.0, 21.0])
        point = np.array([4.0, 0.5])
        self.assertAlmostEqual(nearest_travel(travels, way, point, near=3.0), 4.0, places=6)
        self.assertAlmostEqual(nearest_travel(travels, way, point, near=18.0), 17.0, places=6)


class SessionTest(unittest.TestCase):
    def test_a_change_is_undone_and_done_again(self):
        session = Session(CATALOG, slider())
        told, before = [], session.design
        session.changed.connect(told.append)
        session.edit(before.with_parameters("m1", {"travel": 20.0}), text="travel")
        after = session.design
        session.undo()
        self.assertEqual(session.design, before)
        session.redo()
        self.assertEqual(session.design, after)
        self.assertEqual(told, [1, 2, 3])
        self.assertTrue(session.is_unsaved)

    def test_starting_anew_forgets_the_history(self):
        session = Session(CATALOG, slider())
        session.edit(slider(pull="tab"), text="pull")
        session.start(slider())
        self.assertEqual(session.history.count, 0)
        self.assertFalse(session.is_unsaved)

    def test_what_was_recovered_counts_as_unsaved(self):
        session = Session(CATALOG, slider())
        session.start(slider(), recovered=True)
        self.assertTrue(session.is_unsaved)


class CueHandleTest(unittest.TestCase):
    def test_a_cue_is_dragged_from_where_it_is_seen_and_is_one_undo_step(self):
        session = Session(CATALOG, card_with("strip-slider"))
        handle = handles_of(session)["cue.m1"]
        x, y = handle.at
        follow(drag_handle(session, handle, Pointer(x, y)), Pointer(x - 10.0, y + 4.0))
        self.assertLess(np.linalg.norm(np.subtract(session.design.cues["m1"], (x - 10.0, y + 4.0))), 0.5)
        self.assertEqual(session.history.count, 1)
        moved = handles_of(session)["cue.m1"]
        self.assertEqual(value_at(session.design, moved), session.design.cues["m1"])
        session.undo()
        self.assertEqual(session.design.cues, {})
        self.assertEqual(value_at(session.design, handle), (x, y))


if __name__ == "__main__":
    unittest.main()
