"""The march along a travel, on equations whose answers are known in closed form: a point on a circle, and a point on a curve with a fold.

Source: the circle x² + y² = R²; Newton's rule and cubic Hermite pieces, any text on numerical analysis.
"""

import math
import unittest

import numpy as np

from lexipod.motion.march import RESIDUAL_MM, march_from_home, newton, solve_positions

RADIUS = 30.0


class OnCircle:
    """Unknowns (x, y) of a point on a circle; the drive says x. At home the point is on top; y comes to 0 at both dead points."""

    def __init__(self, span=40.0, home=0.0):
        self.rows = np.array([0, 1])
        self.march = None
        self.home_travel, self.span = home, span
        self.scaled_home = np.array([home, math.sqrt(RADIUS**2 - home**2)])
        self.home_square = self.residual_and_jacobian(self.scaled_home[None], np.array([home]))[1][0]
        self.asked = 0

    def residual_and_jacobian(self, q, travel):
        x, y = q[:, 0], q[:, 1]
        rows = np.column_stack([x - travel, (x**2 + y**2 - RADIUS**2) / (2 * RADIUS)])
        jacobian = np.zeros((len(q), 2, 2))
        jacobian[:, 0, 0] = 1.0
        jacobian[:, 1, 0], jacobian[:, 1, 1] = x / RADIUS, y / RADIUS
        self.asked = getattr(self, "asked", 0) + 1
        return rows, jacobian

    def forcing(self, q, travel):
        return np.tile([1.0, 0.0], (len(q), 1))

    def is_meant(self, square):
        return np.linalg.det(square) > 1e-9


class CircleTest(unittest.TestCase):
    def test_every_position_lies_on_the_circle_on_the_side_it_began_on(self):
        travel = np.linspace(-20.0, 20.0, 97)
        q, residual, _, meant = solve_positions(OnCircle(), travel, low=-20.0, high=20.0)
        self.assertTrue(meant.all())
        self.assertLess(residual.max(), RESIDUAL_MM)
        self.assertTrue(np.allclose(q[:, 0], travel, atol=1e-9))
        self.assertTrue(np.allclose(q[:, 1], np.sqrt(RADIUS**2 - travel**2), atol=1e-9))

    def test_the_answer_does_not_depend_on_what_else_is_asked(self):
        few, many = np.array([-17.0, 3.0, 12.5]), np.linspace(-20.0, 20.0, 401)
        alone = solve_positions(OnCircle(), few, low=-20.0, high=20.0)[0]
        among = solve_positions(OnCircle(), np.concatenate([many, few]), low=-20.0, high=20.0)[0][-3:]
        self.assertTrue(np.allclose(alone, among, atol=1e-12))

    def test_the_dead_points_are_where_the_circle_ends(self):
        knots, slopes, values, (low, high) = march_from_home(OnCircle(span=60.0), -40.0, 40.0)
        self.assertAlmostEqual(low, -RADIUS, delta=60.0 / 16 / 2**9)
        self.assertAlmostEqual(high, RADIUS, delta=60.0 / 16 / 2**9)
        self.assertTrue((np.diff(knots) > 0).all())
        self.assertTrue(np.allclose(values[:, 0], knots))
        self.assertTrue(np.allclose(slopes[:, 1], -values[:, 0] / values[:, 1], atol=1e-6))  # dy/dx = -x/y

    def test_without_a_dead_point_in_reach_there_is_none(self):
        self.assertEqual(march_from_home(OnCircle(), -25.0, 25.0)[3], (None, None))

    def test_a_home_beside_the_top_marches_both_ways(self):
        knots, _, values, dead = march_from_home(OnCircle(home=-14.0), -25.0, 20.0)
        self.assertEqual(dead, (None, None))
        self.assertIn(-14.0, knots.tolist())
        self.assertAlmostEqual(float(knots[0]), -25.0)
        self.assertAlmostEqual(float(knots[-1]), 20.0)
        self.assertTrue((values[:, 1] > 0).all())

    def test_past_the_dead_point_nothing_is_reached(self):
        q, residual, _, meant = solve_positions(OnCircle(span=60.0), np.array([0.0, 29.0, 31.0, 35.0]), low=-40.0, high=40.0)
        self.assertEqual((meant & (residual < RESIDUAL_MM)).tolist(), [True, True, False, False])
        self.assertAlmostEqual(float(q[1, 1]), math.sqrt(RADIUS**2 - 29.0**2), places=8)

    def test_the_march_is_done_once(self):
        equations = OnCircle()
        solve_positions(equations, np.array([1.0]), low=-20.0, high=20.0)
        kept, asked = equations.march, equations.asked
        solve_positions(equations, np.array([2.0]), low=-20.0, high=20.0)
        self.assertIs(equations.march, kept)
        self.assertLessEqual(equations.asked - asked, 4)


class NewtonTest(unittest.TestCase):
    def test_errors_fall_with_their_squares(self):
        equations, travel = OnCircle(), np.array([10.0])
        answer = np.array([10.0, math.sqrt(RADIUS**2 - 100.0)])
        start, errors = answer + [0.0, 2.0], []
        for steps in range(1, 4):
            q, _, _ = newton(equations, start[None], travel, most=steps)
            errors.append(abs(q[0, 1] - answer[1]))
        # For y² = c the next error is e² / (2 y): two millimetres, then 0.07, then 0.00008.
        self.assertAlmostEqual(errors[0], 2.0**2 / (2 * (answer[1] + 2.0)), places=6)
        self.assertAlmostEqual(errors[1], errors[0] ** 2 / (2 * answer[1]), delta=errors[1] * 0.01)

    def test_several_positions_are_one_batch(self):
        travel = np.array([-10.0, 0.0, 10.0])
        q, residual, square = newton(OnCircle(), np.tile([1.0, 25.0], (3, 1)), travel)
        self.assertTrue(np.allclose(q[:, 1], np.sqrt(RADIUS**2 - travel**2)))
        self.assertEqual((residual.shape, square.shape), ((3,), (3, 2, 2)))

    def test_what_has_no_answer_says_so(self):
        _, residual, _ = newton(OnCircle(), np.array([[31.0, 5.0]]), np.array([40.0]))
        self.assertGreater(residual[0], 0.1)


if __name__ == "__main__":
    unittest.main()
