"""The wish in the window: dragged, kept by the first cure, its ghost on the card while it is pointed at."""

import unittest

from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from lexipod.app.card.drag import set_parameter
from lexipod.app.card.reach import ReachFrom, limits_of
from lexipod.app.panels.findings_view import WrappingButton
from lexipod.assembly import Handle
from tests.app.windowing import WindowTest


class WishWindowTest(WindowTest):
    def test_the_first_cure_keeps_what_was_set_and_shows_what_it_will_cut(self):
        desk, view = self.window.desk, self.window.view
        view.go_to("fit")
        handle = next(h for h in desk.assembly.handles if h.parameter == "travel")
        set_parameter(self.session, handle, 53.975)
        self.until(lambda: desk.judgement.revision == self.session.revision and desk.judgement.stage == "cured", 60)
        self.assertEqual(self.session.design.mechanisms[0].decided, ("travel",))
        card = self.window.card_view
        block = next(f for f in desk.judgement.findings if f.severity == "block")
        mark = next(at for f, at in card.marks if f is block)
        self.assertEqual((mark.x(), mark.y()), (card.to_view(*block.where).x(), card.to_view(*block.where).y()))
        self.assertEqual([f.severity for f, _ in card.marks].count("note"), 0)
        bare = card.grab().toImage().pixelColor(mark.toPoint())
        QTest.mouseClick(card, Qt.MouseButton.LeftButton, pos=mark.toPoint())  # the place itself shows the finding
        self.assertEqual((view.picked_parts, view.picked_place), (block.parts, block.where))
        self.assertEqual(view.travel["m1"], block.travel)
        view.pick(())
        view.go_to("card")
        self.assertEqual(card.marks, ())
        view.go_to("fit")
        self.assertNotEqual(card.grab().toImage().pixelColor((mark + QPointF(0, -60)).toPoint()), bare)
        self.until(lambda: any(b.accessibleName().startswith("Keep travel") for b in self.window.findChildren(WrappingButton)), 10)
        first = next(b for b in self.window.findChildren(WrappingButton) if b.accessibleName().startswith("Keep travel"))
        first.pointed(True)
        self.assertGreater(len(view.preview), 2)
        self.window.grab()
        steps = self.session.revision
        first.click()
        self.until(lambda: desk.judgement.revision == self.session.revision and desk.judgement.stage != "coarse", 60)
        self.assertEqual(self.session.design.mechanisms[0].parameters["travel"], 53.975)
        self.assertFalse([f for f in desk.judgement.findings if f.severity == "block"])
        self.until(lambda: view.preview == (), 10)  # the ghost goes with its cure
        self.assertEqual(self.session.revision, steps + 1)
        self.session.undo()
        self.assertEqual(self.session.design.mechanisms[0].decided, ("travel",))
        self.session.undo()
        self.assertEqual(self.session.design.mechanisms[0].decided, ())


class ReachTest(WindowTest):
    def test_the_reach_is_drawn_on_the_measure_while_it_is_dragged(self):
        self.window.view.go_to("mechanism")
        self.app.processEvents()
        card = self.window.card_view
        handle = next(h for h in card.handles if h.parameter == "travel")
        start = card._handle_point(handle)
        QTest.mousePress(card, Qt.MouseButton.LeftButton, pos=start.toPoint())
        QTest.mouseMove(card, (start + QPointF(3, 0)).toPoint())
        self.until(lambda: card.reach is not None, 60)
        before = card.grab().toImage()
        begun, reach = card.reach
        self.assertEqual((begun.handle.parameter, begun.value), ("travel", 39.6875))
        for value, is_as_is in limits_of(begun, reach):
            self.assertEqual(is_as_is, value in reach.as_is)
            x, y = begun.place_of(value)
            self.assertAlmostEqual(x - handle.at[0], value - begun.value)  # the pull is to the right
            self.assertAlmostEqual(y, handle.at[1])
        QTest.mouseRelease(card, Qt.MouseButton.LeftButton, pos=start.toPoint())
        self.assertIsNone(card.reach)
        self.assertFalse(card._reaching.is_running)
        self.assertNotEqual(card.grab().toImage(), before)

    def test_a_turned_handle_goes_round_its_middle(self):
        handle = Handle("m1", "a", "a", (30.0, 10.0), (0.0, 1.0), 1.0, ((0, 0), (0, 0)), about=(10.0, 10.0))
        begun = ReachFrom(handle, 20.0, "angle")
        x, y = begun.place_of(110.0)
        self.assertAlmostEqual(x, 10.0)
        self.assertAlmostEqual(y, 30.0)
        self.assertAlmostEqual(begun.way_at(110.0)[0], -1.0)


if __name__ == "__main__":
    unittest.main()
