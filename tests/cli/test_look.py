"""Judging in a terminal: the keys of the page, blind, each answer kept as it is given."""

import unittest

from tests.judged import JudgedLogbook
from tests.terminal import Terminal


class Looked(JudgedLogbook):
    def look(self, keys: list[bytes], *options: str) -> str:
        """Press keys, each once its question is drawn; return all that was drawn."""
        with Terminal("judge", "look", "--judge", "Ina", *options, folder=self.folder, lines=40) as terminal:
            for key in keys:
                terminal.until("q quit", "why", "verdicts by")
                terminal.quiet()
                if "verdicts by" in terminal.drawn:  # all may be answered before every key was pressed
                    break
                terminal.press(key.decode())
            self.assertEqual(terminal.end(), 0, terminal.drawn[-2000:])
            return terminal.drawn

    def test_pairs_are_answered_taken_back_and_kept(self):
        self.make("ab", tasks=4)
        drawn = self.look([b"x", b"x", b"v", b"1", b"2", b"b", b"r", b"torn petal\n", b"3", b"q"])
        self.assertIn("2 verdicts by Ina", drawn)
        self.assertIn("a page shows pictures as they are", drawn)
        self.assertIn("▀", drawn)
        verdicts = self.logbook.verdicts()
        self.assertEqual(
            [(one.answer, one.why, one.place) for one in verdicts], [("left", "", 1), ("even", "torn petal", 2)]
        )
        self.assertNotIn("secret", drawn)
        self.assertEqual(self.result("judge", "tally")["judges"][0]["judge"], "Ina")

    def test_texts_stand_beside_each_other_and_move_nothing(self):
        self.make("ab", tasks=1, texts=True)
        from tests.written import planned_task

        self.plan(
            "a", "b", cells=["a/violet/1", "b/violet/1"], quality=None, tasks=(planned_task("violet", seeds=(1,)),)
        )
        self.run_made("a/violet/1", text="water it \x1b[2J\x07 weekly " * 20)
        self.run_made("b/violet/1", text="half shade \u202e " * 20)
        drawn = self.look([b"2"] * 5)
        self.assertIn("water it", drawn)
        self.assertIn("half shade", drawn)
        for hostile in ("\x1b[2J\x07", "\u202e", "\x07"):
            self.assertNotIn(hostile, drawn)

    def test_without_a_terminal_a_page_is_pointed_to(self):
        self.make("ab", tasks=1)
        self.assertIn("unvek judge ballot", self.unvek("judge", "look", expect=2).stderr)


if __name__ == "__main__":
    unittest.main()
