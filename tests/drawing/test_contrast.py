"""Letters against their ground: the contrast ratio of WCAG 2.1, and the ink that is taken."""

import unittest

import numpy as np
import shapely

from lexipod.drawing.contrast import contrast, ground_under, ink_on, luminance
from lexipod.drawing.display import Shape
from lexipod.geometry.shapes import rectangle


class ContrastTest(unittest.TestCase):
    def test_ratios_that_are_published(self):
        """Grey #767676 on white has 4.54 : 1, the lightest that passes 4.5 (W3C, Understanding Success Criterion 1.4.3); black on white 21."""
        self.assertAlmostEqual(contrast(luminance("#767676"), luminance("#ffffff")), 4.54, delta=0.005)
        self.assertAlmostEqual(contrast(luminance("#ffffff"), luminance("#000000")), 21.0)
        self.assertAlmostEqual(contrast(luminance("#ff0000"), luminance("#ffffff")), 4.0, delta=0.01)

    def test_what_lies_on_top_counts_and_bare_paper_is_white(self):
        below = Shape((rectangle(0, 0, 10, 10),), "", "art:#000000")
        above = Shape((rectangle(0, 0, 5, 10),), "", "art:#ffffff")
        hole = Shape((rectangle(0, 0, 10, 10), rectangle(2, 2, 8, 8)), "", "art:#000000")
        box = shapely.box(0, 0, 10, 10)
        self.assertAlmostEqual(ground_under((below,), box), 0.0)
        self.assertAlmostEqual(ground_under((below, above), box), 0.5)
        self.assertAlmostEqual(ground_under((above, below), box), 0.0)
        self.assertAlmostEqual(ground_under((hole,), box), 0.36)
        self.assertAlmostEqual(ground_under((), box), 1.0)
        veil = Shape((rectangle(0, 0, 10, 10),), "", "art:#00000080")
        self.assertAlmostEqual(ground_under((veil,), box), 1 - 128 / 255, delta=1e-6)

    def test_white_is_taken_only_where_it_is_read_better(self):
        for ground in np.linspace(0, 1, 21):
            taken = ink_on(float(ground), "#2b3a4a")
            ratios = {ink: contrast(luminance(ink or "#2b3a4a"), float(ground)) for ink in ("", "#fffdf8")}
            self.assertTrue(ratios[taken] >= 3.0 or ratios[taken] == max(ratios.values()), ground)
        self.assertEqual((ink_on(1.0, "#2b3a4a"), ink_on(0.0, "#2b3a4a")), ("", "#fffdf8"))


if __name__ == "__main__":
    unittest.main()
