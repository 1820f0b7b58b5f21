"""When the rest of a variant's runs need not be tried: only after failures that cannot be the prompts'."""

import unittest

from unvek.core.run.engine.failing import Failing

CRASH = "the process ended in the middle of the run, with signal 11"


def after(*runs: tuple[int, str, str, str | None]) -> Failing:
    failing = Failing()
    for run in runs:
        failing.take(*run)
    return failing


class HopelessVariants(unittest.TestCase):
    def test_failures_alike_in_two_launches_and_three_cells_are_enough(self):
        said = [(1, "a", "failed", "no 'violet'"), (1, "b", "failed", "no 'rose'"), (2, "c", "failed", "no 'lily'")]
        self.assertTrue(after(*said).is_hopeless(12))
        self.assertFalse(after(*said[:2]).is_hopeless(12))
        self.assertFalse(after(*said, (2, "d", "failed", "quite another")).is_hopeless(12))

    def test_crashes_at_two_prompts_say_nothing_of_the_others(self):
        crashes = [(1, "long", "failed", CRASH), (2, "longer", "failed", CRASH)]
        self.assertFalse(after(*crashes).is_hopeless(12))
        self.assertTrue(after(*crashes).is_hopeless(2), "there are no others")
        self.assertTrue(after(*crashes, (3, "short", "failed", CRASH)).is_hopeless(12))

    def test_limits_and_what_went_well_begin_the_count_anew(self):
        crashes = [(launch, str(launch), "failed", CRASH) for launch in range(1, 4)]
        for status in ("finished", "timed-out", "stalled", "over-limit", "looping", "out-of-memory"):
            self.assertFalse(after(*crashes, (4, "x", status, None)).is_hopeless(12), status)
            self.assertFalse(
                after(*((launch, str(launch), status, "x") for launch in range(9))).is_hopeless(12), status
            )
        for status in ("skipped", "interrupted"):
            self.assertTrue(after(*crashes, (4, "x", status, None)).is_hopeless(12), status)


if __name__ == "__main__":
    unittest.main()
