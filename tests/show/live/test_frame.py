"""Only what has changed is written to the terminal, so that a slow link is enough; a resize draws everything anew."""

import os
import unittest

from rich.console import Console
from rich.text import Text

from unvek.show.live.frame import CLEAR, ENTER, ERASE_REST, LEAVE, Frame


class Drawing(unittest.TestCase):
    def setUp(self) -> None:
        self.reading, writing = os.pipe()
        self.addCleanup(os.close, self.reading)
        self.file = os.fdopen(writing, "w")
        self.addCleanup(self.file.close)

    def frame(self, **options: object) -> Frame:
        return Frame(
            Console(file=self.file, force_terminal=True, color_system="truecolor", width=20, height=5, **options)
        )

    def written(self) -> str:
        os.set_blocking(self.reading, False)
        try:
            return os.read(self.reading, 100_000).decode()
        except BlockingIOError:
            return ""

    def test_a_line_is_written_once_and_again_when_it_changes(self):
        frame, size = self.frame(), (20, 5)
        lines = [Text("one"), Text("two", style="bold"), Text("three")]
        frame.draw(lines, size)
        self.assertTrue(self.written().startswith(CLEAR))
        frame.draw([Text("one"), Text("two", style="bold"), Text("three")], size)
        self.assertEqual(self.written(), "")
        frame.draw([Text("one"), Text("TWO", style="bold")], size)
        changed = self.written()
        self.assertIn("\x1b[2;1H", changed)
        self.assertIn("TWO", changed)
        self.assertIn(f"\x1b[3;1H\x1b[0m{ERASE_REST}", changed, "a line that is no more is erased")
        self.assertNotIn("one", changed)

    def test_a_resize_draws_everything_anew(self):
        frame = self.frame()
        frame.draw([Text("one")], (20, 5))
        self.written()
        frame.draw([Text("one")], (30, 5))
        self.assertTrue(self.written().startswith(CLEAR))

    def test_the_last_character_of_a_full_line_is_not_erased(self):
        frame = self.frame()
        frame.draw([Text("x" * 20), Text("x" * 19)], (20, 5))
        first, second = self.written().split("\x1b[2;1H")
        self.assertNotIn(ERASE_REST, first)
        self.assertIn(ERASE_REST, second)

    def test_colours_are_written_unless_they_are_not_wanted(self):
        for no_color, expected in ((False, True), (True, False)):
            self.frame(no_color=no_color).draw([Text("red", style="bold #ff0000")], (20, 5))
            written = self.written()
            self.assertEqual("38;2;255;0;0" in written, expected)
            self.assertIn("\x1b[1", written)

    def test_the_terminal_is_given_back_even_after_an_error(self):
        with self.assertRaises(ValueError), self.frame():
            raise ValueError
        written = self.written()
        self.assertTrue(written.startswith(ENTER) and written.endswith(LEAVE))


if __name__ == "__main__":
    unittest.main()
