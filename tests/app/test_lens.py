"""Looking closer: what lies under the pointer stays there, and nothing jumps that was not asked to."""

import unittest

import numpy as np
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication

from lexipod.app.card.card_sight import HOT, LIGHT
from lexipod.app.card.glass import LARGER, mark_of
from lexipod.app.card.lens import LEAST, MOST, SEEN_PX
from lexipod.app.card.measures import is_near
from lexipod.app.card.painter import polygon_of
from lexipod.demo import load_demo
from lexipod.editing.change import change_design
from tests.app.windowing import WindowTest
from tests.zoo import CATALOG


def wheel(view, at, notches, keys=Qt.KeyboardModifier.NoModifier, pixels=None, phase=Qt.ScrollPhase.NoScrollPhase):
    """A turn of the wheel, or two fingers on a pad."""
    event = QWheelEvent(at, view.mapToGlobal(at), pixels or QPoint(), QPoint(0, round(120 * notches)), Qt.MouseButton.NoButton, keys, phase, False)
    QApplication.sendEvent(view, event)


class LensTest(WindowTest):
    def setUp(self):
        super().setUp()
        self.window.view.go_to("mechanism")
        self.card = self.window.card_view
        self.app.processEvents()

    def test_the_wheel_brings_the_card_nearer_about_the_pointer(self):
        at = QPointF(300.0, 200.0)
        before, scale = self.card.to_card(at), self.card.picture.scale
        wheel(self.card, at, 3)
        self.assertAlmostEqual(self.card.picture.scale / scale, 1.2**3, places=6)
        for one, other in zip(self.card.to_card(at), before, strict=True):
            self.assertAlmostEqual(one, other, places=6)
        wheel(self.card, at, -3)
        self.assertAlmostEqual(self.card.picture.scale, scale, places=6)

    def test_it_comes_only_so_near_and_goes_only_so_far(self):
        whole = self.card.lens.whole_scale
        wheel(self.card, QPointF(300.0, 200.0), 60)
        self.assertAlmostEqual(self.card.picture.scale, whole * MOST)
        wheel(self.card, QPointF(300.0, 200.0), -90)
        self.assertAlmostEqual(self.card.picture.scale, whole * LEAST)

    def test_two_fingers_and_a_dragged_ground_move_it_but_never_out_of_sight(self):
        wheel(self.card, QPointF(300.0, 200.0), 4)
        origin = QPointF(self.card.picture.origin)
        wheel(self.card, QPointF(300.0, 200.0), 0, pixels=QPoint(25, -10), phase=Qt.ScrollPhase.ScrollUpdate)
        self.assertEqual(self.card.picture.origin - origin, QPointF(25.0, -10.0))
        self.card.move_card(QPointF(99_999.0, 99_999.0))
        seen = self.card.seen_rect.intersected(QRectF(self.card.rect()))
        self.assertGreaterEqual(min(seen.width(), seen.height()), SEEN_PX - 1e-6)

    def test_the_keys_of_the_menu_do_the_same_and_give_the_whole_card_back(self):
        scale, origin = self.card.picture.scale, QPointF(self.card.picture.origin)
        self.window.actions_by_id["nearer"].trigger()
        self.assertGreater(self.card.picture.scale, scale)
        self.window.actions_by_id["whole"].trigger()
        self.assertEqual((self.card.picture.scale, self.card.picture.origin), (scale, origin))

    def test_a_measure_of_what_is_out_of_sight_is_not_painted(self):
        texts = {m.text for m, _ in self.card._weighed(None)}
        self.assertIn("4\u2009¼ in", texts)
        middle = self.card.seen_rect.center()
        self.card.come_nearer(6.0, middle)  # the card's edges are far outside now
        left = {m.text for m, _ in self.card._weighed(None)}
        self.assertNotIn("4\u2009¼ in", left)
        self.assertLess(len(left), len(texts))

    def test_text_and_handles_keep_their_size(self):
        boxes = {m.text: (m.box.width(), m.box.height()) for m in self.card._measures}
        wheel(self.card, QPointF(300.0, 200.0), 5)
        self.assertEqual({m.text: (m.box.width(), m.box.height()) for m in self.card._measures}, boxes)

    def test_the_card_stays_where_it_is_when_its_measures_change(self):
        scale, origin = self.card.picture.scale, QPointF(self.card.picture.origin)
        travel = self.session.design.mechanisms[0].parameters["travel"]
        self.session.edit(change_design(self.session.design, CATALOG, {"travel": travel - 6.0}), text="travel")
        self.until(self.is_looked_at)
        self.assertEqual((self.card.picture.scale, self.card.picture.origin), (scale, origin))
        wheel(self.card, QPointF(300.0, 200.0), 2)
        near, place = self.card.picture.scale, QPointF(self.card.picture.origin)
        self.session.undo()
        self.until(self.is_looked_at)
        self.assertEqual((self.card.picture.scale, self.card.picture.origin), (near, place))

    def test_what_would_be_out_of_sight_is_brought_into_it(self):
        self.window.view.go_to("travel")
        self.app.processEvents()
        self.session.edit(change_design(self.session.design, CATALOG, {"protrusion": 60.0}), text="tab")
        self.until(self.is_looked_at)
        room = QRectF(self.card.rect())
        for track in self.window.desk.tracks.values():
            for part, poses in track.poses.items():
                x, y = self.window.desk.assembly.by_id[part].outline[0] + poses[-1, :2]
                self.assertTrue(room.contains(self.card.to_view(float(x), float(y))), part)

    def test_another_card_is_seen_whole(self):
        wheel(self.card, QPointF(300.0, 200.0), 6)
        self.session.edit(change_design(self.session.design, CATALOG, {"card": "iso.a5"}), text="card")
        self.until(self.is_looked_at)
        self.assertAlmostEqual(self.card.picture.scale, self.card.lens.whole_scale)

    def test_a_larger_window_keeps_the_middle(self):
        wheel(self.card, QPointF(300.0, 200.0), 6)
        middle = self.card.to_card(QPointF(self.card.width() / 2, self.card.height() / 2))
        width = self.card.width()
        self.window.resize(1440, 900)
        self.until(lambda: self.card.width() > width)
        for one, other in zip(self.card.to_card(QPointF(self.card.width() / 2, self.card.height() / 2)), middle, strict=True):
            self.assertAlmostEqual(one, other, places=1)


class PolygonTest(unittest.TestCase):
    def test_a_ring_becomes_the_polygon_of_its_corners(self):
        rings = [np.zeros((0, 2)), np.array([[1, 2], [3, 4], [5, 6]]), np.random.default_rng(4).normal(size=(400, 2)), np.eye(6)[::2, ::3]]
        for ring in rings:
            self.assertEqual([(p.x(), p.y()) for p in polygon_of(ring).toList()], [tuple(map(float, corner)) for corner in ring])


class GlassTest(WindowTest):
    def test_the_glass_shows_what_is_under_the_pointer_larger(self):
        """A dot of the glass at a distance d from its middle has the colour of the card at d / 4."""
        self.window.view.go_to("card")  # no measures, handles or hidden edges in the way
        self.app.processEvents()
        card = self.window.card_view
        assembly = self.window.desk.assembly
        edge = card.to_view(0.0, assembly.card.height_mm / 2)
        plain = card.grab().toImage()
        QTest.mouseMove(card, edge.toPoint())
        self.app.processEvents()
        card.setAttribute(Qt.WidgetAttribute.WA_UnderMouse, True)
        card._pointer = edge
        self.window.actions_by_id["glass"].trigger()
        larger = card.grab().toImage()
        for away in (-60, -24, 24, 60):
            there = QPointF(edge.x() + away, edge.y())
            source = QPointF(edge.x() + away / LARGER, edge.y())
            if away > 0:  # on the card; its shadow is not enlarged
                self.assertEqual(larger.pixelColor(there.toPoint()), plain.pixelColor(source.toPoint()), away)
        self.assertNotEqual(larger, plain)
        self.window.actions_by_id["glass"].trigger()
        self.assertEqual(card.grab().toImage(), plain)

    def test_what_rises_and_what_lies_folded_is_larger_in_the_glass_too(self):
        self.session.start(load_demo("whale-rises"))
        self.until(self.is_looked_at)
        bench = self.window.bench
        for station, view in (("travel", bench.fold_view), ("card", bench.card_view)):
            self.window.view.go_to(station)
            self.app.processEvents()
            self.assertTrue(view.isVisible(), station)
            at = QPointF(view.width() / 2, view.height() / 2)
            view.setAttribute(Qt.WidgetAttribute.WA_UnderMouse, True)
            view._pointer, view._hot = at, ""
            plain = view.grab().toImage()
            self.window.actions_by_id["glass"].trigger()
            larger = view.grab().toImage()
            self.assertNotEqual(larger, plain, station)
            same = 0
            for away in range(-70, 71, 14):
                spot, source = QPointF(at.x() + away, at.y() + 8), QPointF(at.x() + away / LARGER, at.y() + 8 / LARGER)
                same += larger.pixelColor(spot.toPoint()) == plain.pixelColor(source.toPoint())
            self.assertGreaterEqual(same, 9, station)  # of eleven: on an outline the lines are as thin as ever
            self.window.actions_by_id["glass"].trigger()
            self.assertEqual(view.grab().toImage(), plain, station)

    def test_its_ruler_is_as_long_as_it_says(self):
        for unit, text, expected in (("mm", "1 mm", 24.0), ("in", "1/16 in", 25.4 / 16 * 24.0)):
            long, told = mark_of(unit, 24.0)
            self.assertEqual(told, text)
            self.assertAlmostEqual(long, expected)
        self.assertEqual(mark_of("mm", 60.0)[1], "0.5 mm")


class CrowdedTest(WindowTest):
    design = load_demo("mussel-bank")

    def setUp(self):
        super().setUp()
        self.window.view.go_to("mechanism")
        self.card = self.window.card_view
        self.app.processEvents()

    def weights(self):
        focused = self.card.handles[self.card._focused] if self.card.hasFocus() else None
        return {m.handle.parameter: w for m, w in self.card._weighed(focused) if m.handle is not None}

    def test_no_text_of_a_measure_lies_over_another_or_over_a_handle(self):
        boxes = [m.box for m in self.card._measures]
        for k, box in enumerate(boxes):
            for other in boxes[k + 1 :]:
                self.assertFalse(box.intersects(other))
            for handle in self.card.handles:
                self.assertFalse(box.contains(self.card._handle_point(handle)))

    def test_what_the_pointer_is_not_near_is_light_and_what_is_picked_lies_on_top(self):
        self.card.setFocus()
        self.card._focused = next(k for k, h in enumerate(self.card.handles) if h.parameter == "crank")
        weights = self.weights()
        self.assertEqual(weights["crank"], HOT)
        self.assertEqual({w for name, w in weights.items() if name != "crank"}, {LIGHT})
        self.assertEqual([w for _, w in self.card._weighed(self.card.handles[self.card._focused])][-1], HOT)
        far = next(m for m in self.card._measures if m.handle is not None and m.handle.label == "notch")
        self.assertTrue(is_near(far, far.box.center(), 5.0))
        self.assertFalse(is_near(far, far.box.center() + QPointF(-400.0, 0.0), 44.0))

    def test_a_pin_is_set_on_the_card_and_in_the_list_and_seen_in_both(self):
        handle = next(h for h in self.card.handles if h.parameter == "crank")
        self.card._focused = self.card.handles.index(handle)
        QTest.keyClick(self.card, Qt.Key.Key_K)
        box = self.window.mechanism_panel._pin_boxes["m1", "crank"]
        self.assertTrue(box.isChecked())
        self.assertTrue(self.card._is_pinned(handle))
        self.assertEqual(self.session.design.mechanisms[0].pinned, ("crank",))
        before = self.window.grab().toImage()
        box.click()
        self.assertFalse(self.card._is_pinned(handle))
        self.assertNotEqual(self.window.grab().toImage(), before)
        keep = next(a for a in self.card.menu_for(handle).actions() if a.isCheckable())
        self.assertFalse(keep.isChecked())
        keep.trigger()
        self.assertTrue(box.isChecked())

    def test_the_place_of_a_whole_mechanism_cannot_be_kept(self):
        shift = next(h for h in self.window.desk.assembly.handles if h.parameter == "shift")
        self.assertEqual(sum(a.isCheckable() for a in self.card.menu_for(shift).actions()), 0)


class StandingLensTest(WindowTest):
    design = load_demo("whale-rises")

    def test_what_stands_is_brought_nearer_about_the_pointer_too(self):
        self.window.view.go_to("travel")
        fold = self.window.fold_view
        self.until(fold.isVisible)
        at = QPointF(250.0, 180.0)
        before = (at - fold.origin) / fold.scale
        wheel(fold, at, 3)
        after = (at - fold.origin) / fold.scale
        self.assertAlmostEqual((after - before).manhattanLength(), 0.0, places=6)
        fold.show_whole()
        self.assertAlmostEqual(fold.scale, fold.lens.whole_scale)


if __name__ == "__main__":
    unittest.main()
