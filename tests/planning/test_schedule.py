"""Schedules: a textbook project, every order of small cases, and what a batch asks for."""

import itertools
import unittest

from lexipod.planning.model import Earlier, Plan, Step
from lexipod.planning.schedule import Task, in_order, make_schedule, tasks_of
from tests.samples import sample_size, sampler

# Source: F. S. Hillier and G. J. Lieberman, Introduction to Operations Research, the Reliable Construction Co. project (from memory): activity,
# weeks, immediate predecessors; it takes 44 weeks, and A-B-C-E-F-J-L-N is its critical path.
PROJECT = {
    "A": (2, ""),
    "B": (4, "A"),
    "C": (10, "B"),
    "D": (6, "C"),
    "E": (4, "C"),
    "F": (5, "E"),
    "G": (7, "D"),
    "H": (9, "EG"),
    "I": (7, "C"),
    "J": (8, "FI"),
    "K": (4, "J"),
    "L": (5, "J"),
    "M": (2, "H"),
    "N": (6, "KL"),
}


def shortest(tasks):
    """The earliest end of all orders, each tried, without a word of the scheduler's."""
    best = None
    for order in itertools.permutations(tasks):
        clock, ends = 0.0, {}
        for task in order:
            if any(f not in ends for f in task.after):
                break
            clock = max([clock, *(ends[f] + lag for f, lag in task.after.items())]) + task.hands
            ends[task.id] = clock
        else:
            best = clock if best is None else min(best, clock)
    return best


def random_tasks(chance, count):
    out = []
    for k in range(count):
        after = {f"t{j}": chance.choice([0, 0, 0, 3, 5, 10]) for j in range(k) if chance.random() < 0.35}
        out.append(Task(f"t{k}", chance.choice([0.5, 1, 2, 3, 5]), after))
    return out


class TextbookTest(unittest.TestCase):
    def test_a_textbook_project_whose_work_is_all_waiting_takes_its_critical_path(self):
        tasks = [Task(name, 0.0, {f: PROJECT[f][0] for f in firsts}) for name, (_, firsts) in PROJECT.items()]
        tasks.append(Task("end", 0.0, {name: weeks for name, (weeks, _) in PROJECT.items()}))
        made = make_schedule(tasks)
        self.assertEqual(made.total, 44)
        self.assertEqual(made.critical, set("ABCEFJLN") | {"end"})

    def test_with_one_pair_of_hands_it_takes_the_sum_of_all_work(self):
        tasks = [Task(name, weeks, dict.fromkeys(firsts, 0)) for name, (weeks, firsts) in PROJECT.items()]
        self.assertEqual(make_schedule(tasks).total, sum(weeks for weeks, _ in PROJECT.values()))


class SmallCasesTest(unittest.TestCase):
    def test_two_hundred_small_cases_end_as_early_as_the_best_of_all_orders(self):
        chance, told = sampler(61)
        for case in range(sample_size(200)):
            tasks = random_tasks(chance, chance.randint(3, 7))
            made = make_schedule(tasks)
            self.assertAlmostEqual(made.total, shortest(tasks), msg=f"case {case}, {told}")

    def test_hands_do_one_thing_at_a_time_and_every_wait_is_kept(self):
        chance, told = sampler(62)
        for _ in range(sample_size(40)):
            tasks = random_tasks(chance, chance.randint(12, 40))
            made = make_schedule(tasks)
            ends = {s.task.id: s.end for s in made.slots}
            for a, b in itertools.pairwise(made.slots):
                self.assertLessEqual(a.end, b.start + 1e-9, told)
            for slot in made.slots:
                for first, lag in slot.task.after.items():
                    self.assertGreaterEqual(slot.start - ends[first], lag - 1e-9, told)
            self.assertLessEqual(made.total, in_order(tasks).total + 1e-9)

    def test_a_ring_of_waits_is_refused(self):
        with self.assertRaisesRegex(ValueError, "ring"):
            make_schedule([Task("a", 1, {"b": 0}), Task("b", 1, {"a": 0})])

    def test_other_work_is_put_into_a_wait(self):
        made = make_schedule([Task("glue", 1, {}), Task("fold", 1, {"glue": 10}), Task("stamp", 6, {})])
        self.assertEqual(made.total, 12)
        self.assertEqual([s.task.id for s in made.slots], ["glue", "stamp", "fold"])
        self.assertEqual(made.idle, 4)


def two_steps(wait):
    glue = Step("glue", "glue", "", minutes=2.0, setup=3.0, wait=wait)
    fold = Step("fold", "fold", "", minutes=1.0, setup=0.5, earlier=(Earlier("glue", "", sets=True),))
    return Plan("", (glue, fold))


class BatchTest(unittest.TestCase):
    def test_by_step_setting_up_is_paid_once_and_the_first_card_sets_while_the_others_are_glued(self):
        made = make_schedule(tasks_of(two_steps(20), 10, "step"), 10)
        # glued at 5, 7 … 23; set at 25 … 43; the last one is folded as the last, whose turn is setup and nine minutes after the first
        starts = {s.task.id: s.start for s in made.slots}
        self.assertEqual(starts["fold"], 43 - 0.5 - 9)
        self.assertEqual(made.hands, 3 + 20 + 0.5 + 10)

    def test_by_card_setting_up_is_paid_for_each(self):
        made = make_schedule(tasks_of(two_steps(0), 4, "card"), 4)
        self.assertEqual(made.hands, 4 * (5 + 1.5))

    def test_each_card_of_a_batch_has_set_when_its_turn_comes(self):
        for wait in (0, 5, 15, 40):
            for copies in (2, 7, 25):
                made = make_schedule(tasks_of(two_steps(wait), copies, "step"), copies)
                slots = made.by_task
                for k in range(copies):
                    glued = slots["glue"].start + 3 + 2 * (k + 1)
                    turn = slots["fold"].start + 0.5 + k
                    self.assertGreaterEqual(turn - glued, wait - 1e-9)


if __name__ == "__main__":
    unittest.main()
