"""Hundreds of garbled things at each door through which something comes in: refused in its own words, or read."""

import unittest

from benchmarks.doors import DOORS, tried

TRIES = {"import": 60, "plan": 150, "events": 150, "journal": 150}


class Doors(unittest.TestCase):
    def test_nothing_garbled_does_more_than_be_refused(self):
        for name in DOORS:
            with self.subTest(name):
                refused, wrong = tried(name, TRIES.get(name, 300), seed=14)
                self.assertEqual(wrong, [])
                if DOORS[name].refusals:
                    self.assertGreater(refused, 0)


if __name__ == "__main__":
    unittest.main()
