"""The handbook formulas against what they are the closed form of: an eigenvalue, an integral, a drawn outline, a balance of forces."""

import math
import unittest

import numpy as np
import scipy.linalg
import shapely
from scipy.integrate import quad

from lexipod.mechanics import band_way, curl_sag_mm, euler_load_n, least_guide_mm, plies_against_buckling, tip_deflection_mm
from lexipod.mechanics.curls import CURL_MM


class StrutTest(unittest.TestCase):
    def test_a_strut_buckles_at_the_least_eigenvalue_of_its_bending(self):
        """E I y'' = -F y with both ends hinged, by finite differences."""
        for width, thick, length, factor in ((40.0, 0.4, 60.0, 1.0), (12.0, 0.9, 110.0, 0.7), (25.0, 0.3, 45.0, 2.0)):
            bending, n = 2900.0 * width * thick**3 / 12, 400
            h = factor * length / n
            second = (np.diag(np.full(n - 1, 2.0)) - np.diag(np.ones(n - 2), 1) - np.diag(np.ones(n - 2), -1)) / h**2
            least = bending * scipy.linalg.eigvalsh(second, subset_by_index=[0, 0])[0]
            told = euler_load_n(2900.0, width_mm=width, thickness_mm=thick, length_mm=length, factor=factor)
            self.assertAlmostEqual(told / least, 1.0, delta=1e-4)

    def test_a_tab_gives_way_as_its_curvature_adds_up(self):
        """The end sinks by the integral of F (l - x)^2 / (E I)."""
        for force, width, thick, length in ((1.0, 40.0, 0.4, 60.0), (0.35, 22.0, 0.8, 35.0)):
            bending = 3100.0 * width * thick**3 / 12
            sunk = quad(lambda x, f=force, far=length, b=bending: f * (far - x) ** 2 / b, 0, length)[0]
            self.assertAlmostEqual(tip_deflection_mm(force, 3100.0, width_mm=width, thickness_mm=thick, length_mm=length) / sunk, 1.0, delta=1e-9)

    def test_plies_are_as_few_as_carry_the_load(self):
        for load in np.geomspace(0.2, 400.0, 40):
            plies = plies_against_buckling(load, 2500.0, width_mm=28.0, caliper_mm=0.35, length_mm=70.0)
            carried = [math.pi**2 * 2500.0 * 28.0 * (k * 0.35) ** 3 / 12 / 70.0**2 for k in range(1, 6)]
            self.assertEqual(plies, next((k for k, most in enumerate(carried, 1) if most >= load), 6))


class PaperTest(unittest.TestCase):
    def test_a_curl_is_the_sagitta_of_its_circle(self):
        for plies in (1, 2, 3):
            radius, reach = CURL_MM * plies**2, 18.0
            self.assertAlmostEqual(curl_sag_mm(reach, plies=plies) / (radius - math.sqrt(radius**2 - reach**2)), 1.0, delta=1e-3)
        self.assertTrue((np.diff(curl_sag_mm(np.linspace(1, 30, 9))) > 0).all())

    def test_a_band_is_as_long_as_a_line_drawn_round_the_stack_at_half_its_caliper(self):
        for width, thick, caliper in ((139.7, 1.6, 0.3), (105.0, 6.0, 0.25), (60.0, 0.8, 0.4)):
            drawn = shapely.box(0, 0, width, thick).buffer(caliper / 2, quad_segs=256).length
            self.assertAlmostEqual(band_way(width, thick, caliper), drawn, delta=1e-3)

    def test_a_guide_just_long_enough_is_in_balance(self):
        """A pull beside the middle is balanced by two forces at the ends of the guide, whose friction holds just as much."""
        for friction, offset in ((0.35, 30.0), (0.6, 12.5)):
            length, pull = least_guide_mm(friction, offset), 1.7
            contact = pull * offset / length
            self.assertAlmostEqual(2 * friction * contact, pull, places=12)


if __name__ == "__main__":
    unittest.main()
