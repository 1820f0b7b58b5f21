"""The machinery under a run: the shared memory, the log of what is printed, the order of launches."""

import io
import os
import subprocess
import sys
import unittest
from dataclasses import replace
from pathlib import Path

from tests.support import QUICK, SLOW, ProjectTest, task, variant
from unvek.core.run.engine import printed_log
from unvek.core.run.engine.printed_log import PrintedLog
from unvek.core.run.events.event import LineSplitter
from unvek.core.run.journal.entries import PlanBegins, RunKept
from unvek.core.run.runners.ring import RingReader
from unvek.probe.probe import HEADER_BYTES, ROOM_BYTES, WRITTEN, EventRing, Probe
from unvek.show.live.plain import PlainLines


class SharedMemory(unittest.TestCase):
    def setUp(self) -> None:
        self.reader = RingReader()
        self.addCleanup(self.reader.close)
        self.woken, self.wake_fd = os.pipe()
        os.set_blocking(self.woken, False)
        for fd in (self.woken, self.wake_fd):
            self.addCleanup(os.close, fd)
        self.ring = EventRing(self.reader.fd, self.wake_fd)
        self.addCleanup(self.ring._map.close)
        self.addCleanup(self.ring._counts.release)

    def test_what_is_laid_down_is_read_in_its_order_round_and_round(self):
        splitter, sent, got = LineSplitter(), [], []
        for number in range(600):
            line = b"%d " % number + b"x" * (number * 97 % 60_000)
            sent.append(line)
            self.ring.put(line + b"\n")
            if number % 7 == 0:
                while self.reader.holds_more:
                    got += splitter.feed(self.reader.read())
        while self.reader.holds_more:
            got += splitter.feed(self.reader.read())
        self.assertGreater(sum(map(len, sent)), ROOM_BYTES)
        self.assertEqual(got, sent)
        self.assertEqual(self.reader.read(), b"")

    def test_nothing_comes_twice_or_out_of_order_however_the_two_processes_meet(self):
        code = (
            "import sys; from unvek.probe.probe import EventRing; ring = EventRing(int(sys.argv[1]), int(sys.argv[2]))\n"
            "for number in range(400000): ring.put(b'%d\\n' % number)"
        )
        command = [sys.executable, "-c", code, str(self.reader.fd), str(self.wake_fd)]
        splitter, due = LineSplitter(), 0
        with subprocess.Popen(command, pass_fds=(self.reader.fd, self.wake_fd)) as writer:
            while writer.poll() is None or self.reader.holds_more:
                for line in splitter.feed(self.reader.read()):
                    self.assertEqual(line, b"%d" % due)
                    due += 1
        self.assertEqual(due, 400000)

    def test_the_reader_is_woken_only_when_half_of_the_room_is_taken(self):
        self.ring.put(b"x" * 60_000 + b"\n")
        with self.assertRaises(BlockingIOError):
            os.read(self.woken, 10)
        for _ in range(100):
            self.ring.put(b"x" * 60_000 + b"\n")
        self.assertEqual(os.read(self.woken, 10), b"\n")

    def test_a_count_that_cannot_be_yields_nothing(self):
        self.ring.put(b"fine\n")
        for count in (ROOM_BYTES * 3, 2**64 - 1):
            self.ring._counts[WRITTEN] = count
            self.assertEqual((self.reader.holds_more, self.reader.read()), (False, b""))
        self.ring._counts[WRITTEN] = 5
        self.assertEqual(self.reader.read(), b"fine\n")
        self.assertEqual(HEADER_BYTES, 16)

    def test_the_probe_says_what_is_documented(self):
        manual = (Path(__file__).parents[3] / "docs" / "script.md").read_text(encoding="utf-8")
        for name in vars(Probe):
            if not name.startswith("_"):
                self.assertIn(f"probe.{name}", manual)


class Printed(ProjectTest):
    def test_the_tail_is_of_this_run_only_and_short(self):
        path = self.write("log.txt", "of the run before\n")
        log = PrintedLog(path)
        log.mark()
        self.assertEqual(log.tail(), "")
        with open(path, "a") as file:
            file.write(
                "\n".join(f"line {n}" for n in range(100))
                + "\n\udcff".encode("utf-8", "surrogateescape").decode("latin-1")
            )
        self.assertEqual(len(log.tail().splitlines()), printed_log.TAIL_LINES)
        self.assertNotIn("before", log.tail())

    def test_a_log_that_grows_beyond_all_use_is_cut_and_its_end_kept(self):
        path = self.write("log.txt", "")
        log = PrintedLog(path)
        with open(path, "ab") as file:
            file.write(b"x" * 79 + b"\n")
            file.truncate(printed_log.LARGEST_LOG_BYTES + 10)
            file.seek(0, io.SEEK_END)
            file.write(b"\nthe very last\n")
        log.keep_within_bounds()
        self.assertLess(path.stat().st_size, 20_000)
        self.assertTrue(log.tail().endswith("the very last"))


class Order(ProjectTest):
    def test_rounds_rotate_and_each_launch_is_warmed_up(self):
        self.write_plan(SLOW, QUICK, task(seeds=(1, 2)), rounds=2, repeats=2, warmups=2)
        self.unvek("run")
        rows = self.log()
        launches = list(dict.fromkeys((row["round"], row["variant"]) for row in rows))
        self.assertEqual(launches, [(1, "slow"), (1, "quick"), (2, "quick"), (2, "slow")])
        first = rows[:6]
        self.assertEqual([row["warm_up"] for row in first], [True, True, False, False, False, False])
        self.assertEqual([(row["repeat"], row["seed"]) for row in first[2:]], [(1, 1), (1, 2), (2, 1), (2, 2)])
        places = [self.result("show", str(row["run"]))["place"] for row in first]
        self.assertEqual(places, [1, 2, 3, 4, 5, 6])

    def test_a_warm_up_that_ends_its_process_is_not_tried_for_ever(self):
        self.write_plan(variant("slow", do="vanish"), task(seeds=(1, 2)), warmups=3)
        self.unvek("run", expect=1)
        self.assertEqual([(row["warm_up"], row["status"]) for row in self.log()],
                         [(True, "failed"), (False, "failed"), (False, "failed")])  # fmt: skip

    def test_a_pause_is_kept_between_processes(self):
        plan = self.write_plan(SLOW, QUICK, task(seeds=(1,)))
        plan.write_text(plan.read_text().replace("warmups = 0", 'warmups = 0\npause = "700 ms"'))
        self.unvek("run")
        first, second = (self.result("show", str(n)) for n in (1, 2))
        apart = seconds_of_day(second["started"]) - seconds_of_day(first["started"])
        self.assertGreater(apart, 0.7 + first["time_s"])

    def test_the_plain_view_counts_what_is_measured(self):
        stream = io.StringIO()
        lines = PlainLines(stream)
        lines.hear(PlanBegins(title="T\x1b[2J", path="", reference="a", variants=(("a", "full"),), rounds=1, planned=12,
                              pending={"a": 2}, earlier=(), rig={}, controls=""))  # fmt: skip
        kept = RunKept(run=1, launch=1, place=1, variant="a", task="t", seed=1, round=1, repeat=2, warm_up=True,
                       status="finished", error=None, time_s=0.25, steps=1, memory_peak_bytes=None)  # fmt: skip
        lines.hear(kept)
        lines.hear(replace(kept, warm_up=False))
        lines.hear(replace(kept, warm_up=False, status="failed", error="no \x07 use", steps=0))
        self.assertEqual(stream.getvalue().splitlines(), [
            "T�[2J: 12 runs in 1 round, 10 of them done before",
            "warm-up  a  t, seed 1  round 1.2  250 ms, 1 step",
            "11/12  a  t, seed 1  round 1.2  250 ms, 1 step",
            "12/12  a  t, seed 1  round 1.2  failed: no � use",
        ])  # fmt: skip


def seconds_of_day(started: str) -> float:
    hours, minutes, seconds = started.partition("T")[2].partition("+")[0].split(":")
    return 3600 * int(hours) + 60 * int(minutes) + float(seconds)


if __name__ == "__main__":
    unittest.main()
