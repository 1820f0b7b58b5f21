"""Timing by hand, on a terminal: what keys say is timed, kept whatever happens, and counts with a hand's error."""

import json
import os
import re
import signal
import time
import unittest

from tests.support import QUICK, SLOW, ProjectTest, task
from tests.terminal import Terminal

DONE, READY = "done", "ready"
ESCAPES = re.compile(r"\x1b\[[0-9;?]*[A-Za-z]")


class Timed(ProjectTest):
    def clock(self, *arguments: str, lines: int = 24, **more: str) -> Terminal:
        return Terminal("clock", *arguments, folder=self.folder, columns=80, lines=lines, **more)

    def rows(self) -> list[dict]:
        return self.result("log")["rows"]

    def time_one(self, terminal: Terminal, key: str = "1", lane: str = "kiosk") -> None:
        terminal.press(key)
        terminal.until(f"{lane} started")
        terminal.press(key)
        terminal.until(f"{lane} took")

    def test_times_lie_between_what_passed_around_the_presses(self):
        with self.clock("kiosk") as terminal:
            terminal.until("q end")
            before = time.monotonic()
            terminal.press("1")
            terminal.until("kiosk started")
            running = time.monotonic()
            time.sleep(0.3)
            stopping = time.monotonic()
            terminal.press("1")
            terminal.until("kiosk took")
            after = time.monotonic()
            terminal.press("q")
            self.assertEqual(terminal.end(), 0, terminal.drawn[-2000:])
        (row,) = self.rows()
        self.assertTrue(stopping - running <= row["time_s"] <= after - before, row)
        self.assertEqual((row["variant"], row["source"], row["status"]), ("kiosk", "by-hand", "finished"))

    def test_lanes_laps_counts_failures_and_forecasts_by_key(self):
        with self.clock("kiosk", "tablet", "--laps", "2", "--count", "t=touch-ups", "--count", "y=faults.torn",
                        "--foreseen", "tablet=0:04", "--form", "tablet=quantized", "--name", "monday") as terminal:  # fmt: skip
            terminal.until("q end")
            for keys, then in (
                ("1", "kiosk started"), ("2", "tablet started"), ("1", "kiosk: lap"), ("1", "kiosk took"),
                ("t", "touch-ups 1"), ("t", "touch-ups 2"), ("y", "faults torn 1"), ("2", "tablet: lap"), ("f", "tablet: failed"),
                ("2", "tablet started"), ("2", "tablet: lap"), ("2", "tablet took"), ("b", "taken back"), ("2", "tablet took"),
                ("w", "tablet: warm-up"), ("w", "tablet: no warm-up"), ("e", "foreseen by tablet"), ("1x2\x7f\x7f.5\n", "1.50 s was foreseen"),
                ("e", "foreseen by"), ("soon\n", "is no time"), ("e", "foreseen by"),
            ):  # fmt: skip
                terminal.press(keys)
                terminal.until(then)
            terminal.press("\x1b")
            terminal.until("q end")
            terminal.press("q")
            self.assertEqual(terminal.end(), 0, terminal.drawn[-3000:])
        rows = self.rows()
        self.assertEqual(
            [(row["variant"], row["form"], row["status"], row["steps"]) for row in rows],
            [("kiosk", "full", "finished", 2), ("tablet", "quantized", "failed", 1), ("tablet", "quantized", "finished", 2)],
        )  # fmt: skip
        kiosk, failed, tablet = (self.result("show", str(row["run"])) for row in rows)
        self.assertEqual(len(kiosk["step_times_s"]), 2)
        self.assertAlmostEqual(sum(kiosk["step_times_s"]), kiosk["time_s"])
        self.assertEqual(kiosk["measures"]["count.touch-ups"], 2)
        self.assertEqual(kiosk["measures"]["faults.torn"], 1)
        self.assertEqual(kiosk["measures"]["time.reaction"], 0.1)
        self.assertEqual(failed["forecast"]["high_s"], 4.0)
        self.assertEqual(tablet["forecast"], {"low_s": 1.5, "high_s": 1.5, "basis": "other program's word"})
        self.assertIn("what its own program foresaw, in 1 run", self.unvek("log", "--forecasts").stdout)
        self.assertEqual(self.result("log", "--forecasts")["forecasts"], 0, "no range that could hold")
        self.assertEqual([one["session"] for one in self.result("log", "--sessions")["rows"]], ["monday"])

    def test_whatever_ends_it_everything_that_was_timed_is_there(self):
        for number, end in enumerate((signal.SIGTERM, signal.SIGHUP, None, signal.SIGKILL), 1):
            with self.subTest(end), self.clock("kiosk") as terminal:
                terminal.until("q end")
                self.time_one(terminal)
                terminal.press("1")
                terminal.until("kiosk started")
                if end is None:
                    terminal.press("\x03")
                else:
                    terminal.process.send_signal(end)
                code = terminal.end()
                if end == signal.SIGKILL:
                    self.assertEqual(code, -9)
                    self.assertEqual(len(self.rows()), 2 * number - 2)
                    said = self.unvek("clock")
                    self.assertIn("was cut off", said.stderr)
                else:
                    self.assertEqual(code, 130, terminal.drawn[-2000:])
                    self.assertIn("\x1b[?1049l", terminal.drawn, "the terminal is given back")
                self.assertEqual([row["status"] for row in self.rows()], ["finished", "interrupted"] * number)
        self.assertEqual(list((self.folder / "logbook" / "clock").iterdir()), [])
        self.assertIn("nothing waits to be filed", self.unvek("clock", expect=2).stderr)

    def test_while_runs_are_made_into_the_logbook_what_was_timed_waits(self):
        self.write_plan(SLOW.replace("0.006", "0.1"), task(seeds=range(1, 60)))
        with self.clock("kiosk") as terminal:
            terminal.until("q end")
            self.time_one(terminal)
            running = self.start("run", "--plain")
            running.stderr.readline()
            terminal.press("q")
            terminal.end()
            self.assertIn("what was timed is kept", " ".join(ESCAPES.sub("", terminal.drawn).split()))
        running.send_signal(signal.SIGINT)
        running.communicate()
        self.unvek("clock")
        self.assertEqual([row["source"] for row in self.rows() if row["variant"] == "kiosk"], ["by-hand"])

    def test_a_hand_that_was_measured_goes_into_intervals_from_then_on(self):
        state = str(self.folder / "state")
        with self.clock("--practise", "--trials", "5", XDG_STATE_HOME=state) as terminal:
            terminal.until(READY)
            for _ in range(7):
                terminal.press(" ")
                terminal.until(DONE)
                time.sleep(0.2)
                terminal.press(" ")
                terminal.until(READY, "goes into the intervals")
            self.assertEqual(terminal.end(), 0, terminal.drawn[-2000:])
        hand = json.loads((self.folder / "state" / "unvek" / "hand.json").read_text())
        self.assertGreaterEqual(hand["bias_s"], 0.2)
        self.assertGreater(hand["error_s"], hand["bias_s"])
        with self.clock("kiosk", XDG_STATE_HOME=state) as terminal:
            terminal.until(f"off by {hand['error_s']:.2f} s")
            self.time_one(terminal)
            terminal.press("q")
            terminal.end()
        self.assertEqual(self.result("show", "1")["measures"]["time.reaction"], hand["error_s"])

    def test_it_is_drawn_within_80_by_24_however_many_lanes(self):
        lanes = [f"a-program-with-a-long-name-{n}" for n in range(9)]
        with self.clock(*lanes, "--count", "t=touch-ups", "--count", "y=faults.torn", "--kept-running") as terminal:
            terminal.until("q end")
            for key in "13579":
                terminal.press(key)
                terminal.until("started")
            terminal.press("q")
            terminal.until("still runs")
            terminal.press("q")
            terminal.end()
            places = [tuple(map(int, found)) for found in re.findall(r"\x1b\[(\d+);(\d+)H", terminal.drawn)]
            self.assertLessEqual(max(line for line, _ in places), 24)
            shown = terminal.drawn.partition("\x1b[?1049l")[0]
            for piece in re.split(r"\x1b\[\d+;\d+H", shown):
                self.assertLessEqual(len(ESCAPES.sub("", piece).rstrip("\r\n")), 80, piece)

    def test_what_can_be_no_clock_is_refused_before_it_starts(self):
        os.environ.pop("COLUMNS", None)
        for arguments, words in (
            (("kiosk", "kiosk"), "given twice"), (("ki osk",), "no variant's name"), (("kiosk", "--foreseen", "x=3"), "none of what is timed"),
            (("kiosk", "--foreseen", "kiosk=soon"), "wanted LANE=TIME"), (("kiosk", "--form", "kiosk=round"), "no form"),
            (("kiosk", "--count", "q=torn"), "can't count"), (("kiosk", "--count", "tt=torn"), "can't count"),
            (("kiosk", "--count", "t=a b"), "is no name"), (tuple("abcdefghij"), "keys for 9 lanes"),
            (("kiosk", "--task", "a\nb"), "text on one line"),
        ):  # fmt: skip
            with self.subTest(arguments), self.clock(*arguments) as terminal:
                self.assertEqual(terminal.end(), 2, terminal.drawn)
                self.assertIn(words, " ".join(terminal.drawn.split()))
        self.assertIn("needs a terminal", self.unvek("clock", "kiosk", expect=2).stderr)
        self.unvek("clock", expect=2)
        self.assertFalse((self.folder / "logbook").exists())

    def test_runs_of_a_plan_and_of_a_hand_are_compared_and_the_hand_is_in_the_interval(self):
        self.write_plan(SLOW.replace("0.006", "0.1"), QUICK, task(seeds=(1,)), rounds=4)
        self.have_runs()
        rows = [f"kiosk,violet,1,{number},0.31,by-hand" for number in range(1, 5)]
        self.write("hand.csv", "\n".join(["variant,task,seed,round,time_s,source", *rows]))
        self.write(
            "other.csv",
            "\n".join(["variant,task,seed,round,time_s,source", *rows])
            .replace("kiosk", "machine")
            .replace("by-hand", "imported"),
        )
        for name in ("hand.csv", "other.csv"):
            self.unvek("import", name, "--here", "--name", "monday")
        found = {row["variant"]: row["measures"]["time.total"] for row in self.result("compare")["rows"]}
        widths = {name: found[name]["high"] / found[name]["low"] for name in ("kiosk", "machine")}
        self.assertGreater(widths["kiosk"], 1.5)
        self.assertLess(widths["machine"], 1.1)
        self.assertIn("Timed by hand: kiosk", self.unvek("compare").stdout)


if __name__ == "__main__":
    unittest.main()
