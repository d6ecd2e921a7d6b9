"""The maker's own errors: closed forms, simulation, and what follows for gaps and builds."""

import math
import unittest

import numpy as np
from scipy import stats

from lexipod.builds import ACCURACIES, accuracy_of, simulate_builds
from lexipod.checks import RULES
from lexipod.design import Ways, needed_gap_mm
from lexipod.records.calibration import FITTING, bins, calibrate
from lexipod.records.learning import PRIOR_MEAN_OF, PRIOR_SPREAD_OF, learn, learn_all, own_errors
from lexipod.records.makes import Make, Measure, Prediction
from tests.samples import sample_size
from tests.zoo import CATALOG, slider


def made(name, **more):
    return Make(name, "The fog lifts", f"2026-03-{len(name):02d}T10:00:00Z", **more)


class ClosedFormTest(unittest.TestCase):
    def test_without_measures_the_usual_is_told(self):
        found = learn([], 0.25)
        self.assertEqual((found.bias, found.count, found.is_enough), (0.0, 0, False))
        self.assertAlmostEqual(found.spread, 0.25)

    def test_a_case_worked_by_hand(self):
        # errors 0.1, 0.3, 0.2: mean 0.2, squares about it 0.02. The usual spread 0.25 stands for 5 measures, no bias for 3:
        # bias 3 * 0.2 / 6; twice beta 5 * 0.0625 + 0.02 + 3 * 3 * 0.04 / 6 = 0.3925; spread sqrt(0.3925 / 8)
        found = learn([0.1, 0.3, 0.2], 0.25)
        self.assertAlmostEqual(found.bias, 0.1)
        self.assertAlmostEqual(found.spread, math.sqrt(0.3925 / 8))
        t = stats.t.ppf(0.975, 8)
        self.assertAlmostEqual(found.bias95[1] - found.bias, t * found.spread / math.sqrt(6))

    def test_the_bias_is_the_mean_of_its_posterior_on_a_grid(self):
        """The same by brute force: prior times likelihood on a fine grid of bias and spread."""
        errors, usual = [0.31, 0.12, 0.25, 0.4], 0.2
        bias, var = np.meshgrid(np.linspace(-1.2, 1.4, 1201), np.geomspace(0.0015, 3.0, 1200), indexing="ij")
        prior = stats.invgamma(PRIOR_SPREAD_OF / 2, scale=PRIOR_SPREAD_OF * usual**2 / 2)
        log = prior.logpdf(var) + stats.norm.logpdf(bias, 0, np.sqrt(var / PRIOR_MEAN_OF))
        log += sum(stats.norm.logpdf(e, bias, np.sqrt(var)) for e in errors)
        weight = np.exp(log - log.max()) * var  # the grid of spreads is even in its logarithm
        found = learn(errors, usual)
        self.assertAlmostEqual(float((weight * bias).sum() / weight.sum()), found.bias, places=3)
        below = float(weight[bias < found.bias95[0]].sum() / weight.sum())
        self.assertAlmostEqual(below, 0.025, places=3)
        beyond = float(weight[np.sqrt(var) > found.spread95[1]].sum() / weight.sum())
        self.assertAlmostEqual(beyond, 0.025, places=3)

    def test_many_measures_outweigh_the_usual(self):
        errors = np.random.default_rng(3).normal(0.2, 0.1, 400)
        found = learn(errors, 0.25)
        self.assertAlmostEqual(found.bias, float(errors.mean()), places=2)
        self.assertAlmostEqual(found.spread, float(errors.std()), places=2)

    def test_what_is_no_number_is_refused(self):
        for errors, usual in (([math.nan], 0.2), ([0.1], 0.0)):
            with self.assertRaises(ValueError):
                learn(errors, usual)


class CoverageTest(unittest.TestCase):
    def test_the_intervals_hold_the_truth_in_93_to_97_of_a_hundred(self):
        chance = np.random.default_rng(11)
        runs = sample_size(2000)
        for count in (1, 4, 12):
            held = np.zeros(3)
            for _ in range(runs):
                var = PRIOR_SPREAD_OF * 0.25**2 / chance.chisquare(PRIOR_SPREAD_OF)
                bias = chance.normal(0, math.sqrt(var / PRIOR_MEAN_OF))
                found = learn(chance.normal(bias, math.sqrt(var), count), 0.25)
                ahead = chance.normal(bias, math.sqrt(var))
                truths = ((bias, found.bias95), (math.sqrt(var), found.spread95), (ahead, found.next95))
                held += [low <= truth <= high for truth, (low, high) in truths]
            for share in held / runs:
                self.assertTrue(0.93 <= share <= 0.97, f"{count} measures: {share:.3f}")


class UseTest(unittest.TestCase):
    def measures(self, errors, kind="cut", way="hand"):
        return tuple(Measure(f"w{k}", kind, way, 40.0, 40.0 + e) for k, e in enumerate(errors))

    def test_errors_are_told_by_kind_and_way_and_slips_are_left_out(self):
        slip = Measure("s", "cut", "hand", 40, 4)
        makes = [made("a", measures=self.measures([0.1] * 5)), made("bb", measures=(*self.measures([0.2], way="die"), slip))]
        self.assertEqual([(row.kind, row.way, row.count) for row in learn_all(makes)], [("cut", "die", 1), ("cut", "hand", 5)])

    def test_only_what_was_measured_five_times_is_used(self):
        makes = [made("a", measures=self.measures([0.1] * 4))]
        self.assertEqual(own_errors(learn_all(makes), "hand"), ())
        makes.append(made("bb", measures=self.measures([0.1])))
        self.assertEqual([kind for kind, _, _ in own_errors(learn_all(makes), "hand")], ["cut"])

    def test_thickness_is_learned_as_a_share(self):
        self.assertAlmostEqual(Measure("f", "foam", "hand", 2.0, 1.9).error, -0.05)

    def test_a_careless_hand_asks_for_wider_gaps_and_a_careful_one_for_narrower(self):
        usual = needed_gap_mm("hand")
        self.assertGreater(Ways(errors=(("cut", 0.0, 0.4),)).needed_gap_mm(), usual)
        self.assertLess(Ways(errors=(("cut", 0.0, 0.12),)).needed_gap_mm(), usual)
        self.assertEqual(Ways(errors=(("foam", 0.0, 0.1),)).needed_gap_mm(), usual)

    def test_builds_are_reckoned_with_ones_own_errors(self):
        good = slider(ways=Ways(errors=(("cut", 0.0, 0.02), ("place", 0.0, 0.05), ("foam", 0.0, 0.01), ("paper", 0.0, 0.01))))
        bad = slider(ways=Ways(errors=(("cut", 0.5, 0.6), ("place", 0.0, 0.9))))
        self.assertEqual(accuracy_of(Ways()), ACCURACIES["hand"])
        shares = [simulate_builds(d, CATALOG, builds=200, whole=5).free for d in (good, bad)]
        self.assertGreater(shares[0], 0.97)
        self.assertLess(shares[1], shares[0] - 0.1)

    def test_a_bias_is_in_the_builds(self):
        """A pad that always comes out longer by more than its play binds in its slot; one that comes out shorter runs."""
        shares = []
        for bias in (-0.8, 0.0, 0.8):
            design = slider(ways=Ways(errors=(("cut", bias, 0.01),)))
            shares.append(simulate_builds(design, CATALOG, builds=200, whole=0, only=("m1.pad_length",)).free)
        self.assertEqual(shares, [1.0, 1.0, 0.0])


class CalibrationTest(unittest.TestCase):
    def test_verdicts_are_held_against_how_cards_ran(self):
        makes = [
            made("a", ran="free", prediction=Prediction("free")),
            made("bb", ran="tight", prediction=Prediction("free")),
            made("ccc", ran="free", prediction=Prediction("tight", ("clearance",))),
            made("dddd", ran="stuck", prediction=Prediction("blocked", ("travel",))),
            made("eeeee", ran="", prediction=Prediction("free")),
        ]
        told = calibrate(makes)
        self.assertEqual((told.told, told.right), (4, 2))
        self.assertEqual(told.wrong, (("clearance", 1),))
        self.assertEqual(told.unseen, (("tight", 1),))

    def test_a_trouble_that_a_rule_of_its_kind_warned_of_was_foreseen(self):
        makes = [
            made("a", ran="showed", prediction=Prediction("tight", ("reveal-rest",))),
            made("bb", ran="showed", prediction=Prediction("tight", ("wobble",))),
            made("ccc", ran="tight", prediction=Prediction("tight", ("effort",))),
        ]
        self.assertEqual(calibrate(makes).unseen, (("showed", 1),))

    def test_only_rules_that_there_are_can_have_foreseen_it(self):
        for ran, rules in FITTING.items():
            self.assertLessEqual(set(rules), {r if isinstance(r, str) else r.id for r in RULES}, ran)

    def test_shares_foretold_are_binned(self):
        makes = [made("a" * (k + 1), ran="free" if k < 3 else "tight", prediction=Prediction("free", (), 0.9)) for k in range(4)]
        self.assertEqual([(round(a, 2), b, n) for a, b, n in bins(makes)], [(0.9, 0.75, 4)])


if __name__ == "__main__":
    unittest.main()
