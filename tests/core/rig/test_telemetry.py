"""What happens on the machine during a run is seen: the tree's memory and processors, what else runs, energy."""

import os
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

import psutil

from unvek.core.rig.energy import FROM_ACCELERATOR, FROM_WATTS, ProcessorEnergy
from unvek.core.rig.machine import MachineReader
from unvek.core.rig.process_tree import MARK, ProcessTree, cpu_s_of
from unvek.core.rig.quiet import disturbers_between, listen_for_quiet
from unvek.core.rig.simulated import SimulatedDevice
from unvek.core.rig.telemetry import MOST_POINTS, Instruments, Telemetry
from unvek.core.run.processes.family import adopt_orphans, end_leftovers, new_mark

HOLD = (
    "import sys, time; held = bytearray(b'x') * (int(sys.argv[1]) * 2**20); print('ready', flush=True); time.sleep(60)"
)
NEST = "import subprocess, sys; subprocess.run([sys.executable, '-c', {0!r}, '60'])"
SPIN = "print('ready', flush=True)\nwhile True: pass"


class WithChildren(unittest.TestCase):
    def setUp(self) -> None:
        self.mark = (
            new_mark()
        )  # of this process: an engine beside it ends what bears the marks of those that are no more

    def started(self, code: str, *arguments: str, mark: str = "", words: bool = True) -> subprocess.Popen:
        process = subprocess.Popen([sys.executable, "-c", code, *arguments], stdout=subprocess.PIPE, text=True,
                                   env={**os.environ, MARK: mark or self.mark})  # fmt: skip
        self.addCleanup(process.stdout.close)
        self.addCleanup(process.wait)
        self.addCleanup(process.kill)
        if words:
            self.assertEqual(process.stdout.readline(), "ready\n")
        return process


class Tree(WithChildren):
    def test_children_and_grandchildren_count_and_strangers_do_not(self):
        child = self.started(NEST.format(HOLD))  # the grandchild says ready, through the same pipe
        self.started(HOLD, "200", mark=new_mark())
        tree = ProcessTree(child.pid, self.mark)
        for _ in range(3):
            found = tree.read()
            self.assertEqual(len(found.processes), 2)
            self.assertTrue(60 * 2**20 < found.memory_bytes < 150 * 2**20, found.memory_bytes)
        for process in psutil.Process(child.pid).children():
            process.kill()

    def test_an_orphan_stays_in_the_tree_by_its_mark(self):
        adopt_orphans()
        leave = f"import os, subprocess, sys; subprocess.Popen([sys.executable, '-c', {HOLD!r}, '60']); os._exit(0)"
        mark = new_mark()
        child = self.started(leave, mark=mark)
        tree = ProcessTree(child.pid, mark)
        child.wait()
        found = tree.read()
        self.assertEqual(len(found.processes), 1)
        self.assertGreater(found.memory_bytes, 60 * 2**20)
        self.assertEqual(ProcessTree(child.pid, new_mark()).read().processes, ())
        psutil.Process(found.processes[0]).kill()

    def test_what_an_engine_that_is_no_more_left_behind_is_ended(self):
        left, kept = self.started(SPIN, mark="999999999:1.00:x"), self.started(SPIN, mark=new_mark())
        end_leftovers()
        left.wait(60)
        self.assertIsNone(kept.poll())


class Runs(WithChildren):
    def test_a_busy_model_and_a_busy_stranger_are_told_apart(self):
        child, stranger = self.started(SPIN), self.started(SPIN, mark=new_mark())
        instruments = Instruments(watts=50)
        self.addCleanup(instruments.close)
        telemetry = Telemetry(instruments, ProcessTree(child.pid, self.mark))
        telemetry.begin()
        first_s = [cpu_s_of(process.pid) for process in (child, stranger)]
        while (
            min(
                taken_s := [
                    cpu_s_of(process.pid) - before_s
                    for process, before_s in zip((child, stranger), first_s, strict=True)
                ]
            )
            < 0.3
        ):
            time.sleep(0.12)
            telemetry.look()
        seen = telemetry.summary()
        lasted_s = seen["looked_for_s"]
        # Processor time is counted in ticks of 10 ms, and the clock goes on between one reading and the next.
        self.assertAlmostEqual(seen["model_share"] * lasted_s, taken_s[0], delta=0.1 * taken_s[0] + 0.1)
        self.assertGreater(seen["others_share"] * lasted_s, 0.8 * taken_s[1])
        self.assertGreater(telemetry.others_share_now, 0)
        self.assertEqual(seen["processes"], 1)
        self.assertAlmostEqual(seen["energy_j"], 50 * seen["looked_for_s"])
        self.assertEqual(seen["energy_source"], FROM_WATTS)
        self.assertTrue(all(size > 2**20 for _, size in seen["memory_along"]))

    def test_a_long_run_keeps_a_bounded_row_of_points(self):
        instruments = Instruments()
        self.addCleanup(instruments.close)
        telemetry = Telemetry(instruments, ProcessTree(self.started(SPIN).pid, self.mark))
        telemetry.begin()
        for _ in range(5 * MOST_POINTS):
            telemetry.look()
        seen = telemetry.summary()
        self.assertTrue(MOST_POINTS // 2 <= len(seen["memory_along"]) <= MOST_POINTS)
        self.assertIsNone(seen["energy_j"] if seen["energy_source"] is None else None)

    def test_an_accelerators_memory_heat_and_energy_are_in_the_summary(self):
        with tempfile.TemporaryDirectory() as name:
            device = SimulatedDevice(Path(name) / "books", 2**25)
            self.addCleanup(device.close)
            instruments = Instruments([device])
            self.addCleanup(instruments.close)
            child = self.started(SPIN)
            telemetry = Telemetry(instruments, ProcessTree(child.pid, self.mark))
            telemetry.begin()
            device._books.set_block(0, child.pid, 2**24)
            time.sleep(0.05)
            telemetry.look()
            seen = telemetry.summary()
            self.assertEqual(seen["device_memory_peak_bytes"], 2**24)
            (shown,) = seen["accelerators"]
            self.assertEqual((shown["simulated"], shown["memory_used_high_bytes"]), (True, 2**24))
            self.assertEqual(seen["energy_source"], FROM_ACCELERATOR)
            self.assertGreater(seen["energy_j"], 0)


class Machine(unittest.TestCase):
    def test_counters_grow_and_levels_are_plausible(self):
        reader = MachineReader()
        self.addCleanup(reader.close)
        before = reader.read()
        sum(range(3_000_000))
        after = reader.read()
        self.assertGreaterEqual(after.busy_s, before.busy_s)
        self.assertTrue(2**20 < after.memory_available_bytes <= psutil.virtual_memory().total)

    def test_the_spin_is_measured_and_what_disturbs_it_most_is_named(self):
        busy = [subprocess.Popen([sys.executable, "-c", "while True: pass"]) for _ in range(3)]
        try:
            found = listen_for_quiet(0.6)
        finally:
            for process in busy:
                process.kill()
                process.wait()
        self.assertGreater(found.spins, 5)
        self.assertGreater(found.others_share, 0.2)
        host_took_more = (found.stolen_share or 0) >= found.disturbers[0].share
        self.assertIn("host" if host_took_more else f"process {found.disturbers[0].pid}", found.largest)

    def test_the_three_that_took_most_are_named_whether_or_not_they_were_there_before(self):
        before = {(1, 0.0): ("idle", 5.0), (2, 0.0): ("busy", 1.0), (3, 0.0): ("ended", 9.0), (4, 0.0): ("some", 0.0)}
        after = {
            (1, 0.0): ("idle", 5.01),
            (2, 0.0): ("busy", 2.5),
            (4, 0.0): ("some", 0.4),
            (2, 7.0): ("new", 0.8),
            (5, 0.0): ("few", 0.1),
        }
        found = [(one.pid, one.name, one.share) for one in disturbers_between(before, after, 2.0)]
        self.assertEqual(found, [(2, "busy", 0.75), (2, "new", 0.4), (4, "some", 0.2)])


class Counters(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.powercap = Path(folder.name)

    def zone(self, folder: str, name: str, energy_uj: int) -> Path:
        zone = self.powercap / folder
        zone.mkdir()
        for file, content in (("name", name), ("energy_uj", energy_uj), ("max_energy_range_uj", 1_000_000)):
            (zone / file).write_text(f"{content}\n")
        return zone

    def test_packages_are_added_up_and_a_counter_that_starts_again_is_made_up_for(self):
        first, second = self.zone("intel-rapl:0", "package-0", 900_000), self.zone("intel-rapl:1", "package-1", 0)
        self.zone("intel-rapl:2", "psys", 5)
        self.zone("intel-rapl:0:0", "core", 7)
        energy = ProcessorEnergy(self.powercap)
        (first / "energy_uj").write_text("100000")  # 900,000 to 1,000,000, and on from nothing
        (second / "energy_uj").write_text("300000")
        self.assertAlmostEqual(energy.read_j(), 0.2 + 0.3)
        self.assertTrue(energy.known)

    def test_without_counters_nothing_is_known(self):
        energy = ProcessorEnergy(self.powercap)
        self.assertEqual((energy.known, energy.read_j()), (False, None))


if __name__ == "__main__":
    unittest.main()
