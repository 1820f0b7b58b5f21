"""Ids are UUIDs of version 7: that of the standard's own example, unlike each other, sorted by time."""

import unittest
from uuid import UUID

from unvek.core.ids import is_id, new_id, uuid7


class Ids(unittest.TestCase):
    def test_the_published_example_comes_out(self):
        # RFC 9562, appendix A.6: 22 February 2022 14:22:22.00 UTC-5, rand_a 0xCC3, rand_b 0x18C4DC0C0C07398F.
        random = (0xCC3 << 68 | 0x18C4DC0C0C07398F).to_bytes(10, "big")
        self.assertEqual(uuid7(0x017F22E279B0, random), "017f22e2-79b0-7cc3-98c4-dc0c0c07398f")

    def test_they_are_of_version_7_unlike_each_other_and_in_order(self):
        made = [new_id() for _ in range(2000)]
        self.assertEqual(len(set(made)), 2000)
        self.assertEqual({UUID(one).version for one in made}, {7})
        self.assertEqual([one[:13] for one in made], sorted(one[:13] for one in made))
        self.assertTrue(all(map(is_id, made)))
        for text in ("", "7", "017F22E2-79B0-7CC3-98C4-DC0C0C07398F", "017f22e279b07cc398c4dc0c0c07398f"):
            self.assertFalse(is_id(text), text)


if __name__ == "__main__":
    unittest.main()
