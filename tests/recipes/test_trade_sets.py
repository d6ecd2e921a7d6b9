"""The trade's own sets, entered as a maker would and read from the list: their sizes and scores come out.

All sets: common practice, no source; in inches unless said.
"""

import unittest

from lexipod.building import build_assembly
from lexipod.checks import Examination, run_checks
from lexipod.editing.change import new_design
from lexipod.fabricate import cut_list
from tests.zoo import CATALOG

INCH = 25.4


class TradeSetTest(unittest.TestCase):
    def entered(self, recipe, /, **given):
        """The rows of the list by name, in inches; nothing of the card blocks."""
        given = {k.replace("__", "."): v for k, v in given.items()}
        self.design = new_design(recipe, CATALOG, given=given)
        self.assembly = build_assembly(self.design, CATALOG)
        examination = Examination(self.assembly, CATALOG, self.design.ways, steps=31)
        self.assertEqual([(f.rule, f.title) for f in run_checks(examination) if f.severity == "block"], [])
        return {r.name: r for r in cut_list(self.assembly, CATALOG)}

    def assertSize(self, row, *sides):
        """Its sides before what is cut on for the paper's thickness: the list tells both."""
        thick = sum(a.amount_mm for a in row.allowances if a.moves)
        self.assertEqual(sorted(round(v / INCH, 4) for v in (row.width_mm - thick, row.height_mm)), sorted(sides))

    def assertScores(self, row, *places):
        """Scores from one end or the other; what is cut on for the paper's thickness may shift them by a caliper for each fold."""
        allowance_mm = 1e-6 + sum(abs(a.amount_mm) for a in row.allowances if a.moves)
        self.assertLess(allowance_mm, 1.6)
        long = max(row.width_mm, row.height_mm)
        lines = sorted({round(s.at_mm, 6) for s in row.scores})
        told = (lines, sorted(long - v for v in lines))
        near = [all(abs(a - b * INCH) <= allowance_mm for a, b in zip(one, places, strict=False)) and len(one) == len(places) for one in told]
        self.assertTrue(any(near), ([v / INCH for v in lines], places))

    def test_dial(self):
        rows = self.entered("dial-riders", card="5x7in", dial_radius="1-15/16in", dial_plies="2", link_plies="2")
        dial = rows["dial"]
        self.assertAlmostEqual(dial.measure.diameter_mm / INCH, 3.875, places=2)  # 3 7/8 across, so its centre at 1 15/16
        middle = next(o for o in dial.openings if "pivot" in o.name)
        self.assertEqual([round(v / INCH, 2) for v in middle.centre], [1.94, 1.94])
        self.assertEqual((rows["brads"].quantity, dial.plies, rows["link"].plies), (7, 2, 2))

    def test_wiper(self):
        rows = self.entered(
            "wiper",
            card="7x9in",
            main="5in",
            strut="3/4in",
            flange="1in",
            height="4-1/4in",
            leaf_width="2in",
            leaf_height="2-3/4in",
            corner="3/4in",
            placement="flange",
        )
        for name in ("sheet 1 of 2", "sheet 2 of 2"):
            self.assertSize(rows[name], 4.25, 6.75)
            self.assertScores(rows[name], 1.0, 1.75)
        self.assertSize(rows["leaf"], 2.0, 2.75)
        (crease,) = rows["leaf"].scores
        ends = [abs(a - b) / INCH for a, b in zip(crease.start, crease.end, strict=True)]
        self.assertEqual([round(v, 4) for v in ends], [0.75, 0.75])  # the triangle of a 3/4 square cut in half: 45 degrees

    def test_waterfall(self):
        rows = self.entered(
            "waterfall",
            card="5x7in",
            leaves="6",
            leaf_size="3in",
            leaf_width="3in",
            pitch="1/2in",
            flap="2-1/2in",
            strip_width="2-1/2in",
            belt_width="4in",
            belt_height="1in",
        )
        self.assertSize(rows["strip"], 2.5, 11.5)
        self.assertScores(rows["strip"], 2.5, 3.0, 3.5, 4.0, 4.5, 5.0, 5.5)
        self.assertEqual(rows["leaf"].quantity, 6)
        self.assertSize(rows["leaf"], 3.0, 3.0)
        self.assertSize(rows["belt"], 4.0, 1.0)

    def test_flip_panels(self):
        rows = self.entered("flip-panels", card="5x7in", panel_width="2-1/4in", panel_height="3-1/2in")
        self.assertEqual(round(rows["panel 1"].height_mm / INCH, 4), 3.5)
        between = sorted(s.at_mm / INCH for s in rows["panel 1"].scores)
        self.assertEqual(round(between[1] - between[0], 4), 2.25)  # the panel between its two hinges

    def test_pop_out_box(self):
        rows = self.entered("popout-box", card="5x7in", panel="2-1/2in", height="7in", flap="1/2in", window="3-3/4in", plate_leg="1/2in", plate="2in")
        self.assertSize(rows["strip"], 10.5, 7.0)
        self.assertScores(rows["strip"], 2.5, 5.0, 7.5, 10.0)
        window = next(o for o in rows["strip"].openings if o.diameter_mm is not None)
        self.assertAlmostEqual(window.diameter_mm / INCH, 3.75, places=2)
        saddle = rows["saddle hinge"]
        self.assertEqual(round(saddle.width_mm / INCH, 4), 3.0)  # legs of 1/2, a plate of 2: the trade's 4 has a plate of 3/2 and legs of 1
        folds = [s.fold for s in sorted(saddle.scores, key=lambda s: s.at_mm)]
        self.assertEqual(folds, ["valley", "mountain", "mountain", "valley"])  # inner two mountain, outer two valley

    def test_counter_fold(self):
        rows = self.entered("counter-fold", card="5.5x4.25in", inner_width="5in", inner_height="3-1/2in", band_width="3/4in")
        self.assertSize(rows["card"], 11.0, 4.25)
        self.assertScores(rows["card"], 2.75, 5.5)
        self.assertSize(rows["second piece"], 10.0, 3.5)
        self.assertScores(rows["second piece"], 5.0)
        # Centred on the quarter's fold line, its margins are the same: 1/4 at the sides, 3/8 above and below.
        self.assertEqual(((5.5 - 5.0) / 2, (4.25 - 3.5) / 2), (0.25, 0.375))

    def test_two_message_middle_and_front(self):
        rows = self.entered("two-message", card="5.5x4.25in")
        self.assertSize(rows["middle card"], 8.5, 4.25)
        self.assertScores(rows["middle card"], 4.25)
        self.assertSize(rows["front panel"], 5.5, 4.25)

    def test_mats(self):
        # 5 x 7 card, mat 4 3/4 x 6 3/4, the next layer 4 1/2 x 6 1/2.
        rows = self.entered("strip-slider", card="5x7in", mat_border="1/8in", mat_border_y="1/8in", frame_border="1/4in", frame_border_y="1/4in")
        self.assertSize(rows["mat"], 4.75, 6.75)
        self.assertSize(rows["frame"], 4.5, 6.5)

    def test_the_other_mechanisms_with_what_the_trade_says_of_them(self):
        for recipe, given in (
            ("pocket-pull", {"card": "4.25x5.5in", "handle": "yes", "pull_plies": "1"}),
            ("pocket-lift", {"card": "4.25x5.5in"}),
            ("track-rider", {"card": "4.25x5.5in", "path": "arc", "rider": "coin-18"}),
            ("track-rider", {"card": "5.25x5.25in", "rider": "washer-m10"}),
            ("pivot-arm", {"card": "5x7in", "arm_stock": "acetate", "swing": "75"}),
            ("window-wheel", {"card": "6x6in", "positions": "6"}),
            ("spinner", {"card": "3.5x4.875in"}),
            ("pinwheel", {"card": "5x7in", "leaves": "6", "stick_pocket": "yes", "brad": "snap-12"}),
            ("iris", {"card": "5.25x5.25in"}),
            ("iris", {"card": "4.75x6.75in", "envelope": "na.env.a7"}),
            ("louvre", {"card": "5x7in", "weave": "lapped"}),
            ("twist-popup", {"card": "5x7in"}),
            ("spin-popup", {"card": "5x7in"}),
        ):
            with self.subTest(recipe, **given):
                rows = self.entered(recipe, **given)
                self.assertGreater(len(rows), 2)
