"""Every accelerator answers the same questions: a contract over the simulated one and NVIDIA's."""

import os
import subprocess
import sys
import tempfile
import types
import unittest
from pathlib import Path
from unittest import mock

from tests.support import ProjectTest, task, variant
from unvek.core.rig.nvidia import find_nvidia
from unvek.core.rig.simulated import SimulatedDevice
from unvek.demo import STAND_IN
from unvek.probe.simulated_accelerator import OutOfMemoryError, SimulatedAccelerator, State


class NvmlError(Exception):
    pass


def bindings(fails: str = "") -> types.SimpleNamespace:
    """Return a stand-in for NVIDIA's bindings with one device; the function named can't be answered by it."""

    def answering(name, answer):
        def asked(*_):
            if name == fails:
                raise NvmlError(name)
            return answer

        return asked

    memory = types.SimpleNamespace(total=8 * 2**30, used=2**30)
    running = [
        types.SimpleNamespace(pid=os.getpid(), usedGpuMemory=2**29),
        types.SimpleNamespace(pid=1, usedGpuMemory=None),
    ]
    answers = {
        "nvmlInit": None, "nvmlDeviceGetCount": 1, "nvmlDeviceGetHandleByIndex": "handle", "nvmlDeviceGetName": b"a device",
        "nvmlSystemGetDriverVersion": "550.1", "nvmlDeviceGetMemoryInfo": memory, "nvmlDeviceGetClockInfo": 1500,
        "nvmlDeviceGetUtilizationRates": types.SimpleNamespace(gpu=40), "nvmlDeviceGetPowerUsage": 70_000,
        "nvmlDeviceGetTotalEnergyConsumption": 5_000_000, "nvmlDeviceGetTemperature": 55,
        "nvmlDeviceGetComputeRunningProcesses": running,
    }  # fmt: skip
    return types.SimpleNamespace(NVMLError=NvmlError, NVML_CLOCK_SM=1, NVML_TEMPERATURE_GPU=0,
                                 **{name: answering(name, answer) for name, answer in answers.items()})  # fmt: skip


class Contract(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.books = Path(folder.name) / "books"
        self.simulated = SimulatedDevice(self.books, 2**26)
        self.addCleanup(self.simulated.close)
        with mock.patch.dict(sys.modules, {"pynvml": bindings()}):
            (self.nvidia,) = find_nvidia()

    def test_facts_and_readings_are_of_the_right_kind_and_plausible(self):
        for device in (self.simulated, self.nvidia):
            with self.subTest(device.facts.name):
                self.assertEqual(device.facts.simulated, device is self.simulated)
                self.assertGreater(device.facts.memory_bytes, 2**20)
                reading = device.read({os.getpid()})
                self.assertTrue(0 <= reading.busy_share <= 1)
                self.assertTrue(0 <= reading.memory_of_processes_bytes <= reading.memory_used_bytes)
                self.assertTrue(10 < reading.temperature_c < 120 and 1 < reading.power_w < 1000)
                self.assertTrue(1e8 < reading.clock_hz < 1e10 and reading.energy_j >= 0)

    def test_what_a_device_cannot_answer_is_unknown_and_without_a_driver_there_is_none(self):
        for fails, field in (("nvmlDeviceGetPowerUsage", "power_w"), ("nvmlDeviceGetMemoryInfo", "memory_used_bytes")):
            with mock.patch.dict(sys.modules, {"pynvml": bindings(fails)}):
                (device,) = find_nvidia()
                self.assertIsNone(getattr(device.read(()), field))
        with mock.patch.dict(sys.modules, {"pynvml": bindings("nvmlInit")}):
            self.assertEqual(find_nvidia(), ())
        with mock.patch.dict(sys.modules, {"pynvml": None}):
            self.assertEqual(find_nvidia(), ())


class Clock:
    """A time that passes only where somebody sleeps."""

    def __init__(self) -> None:
        self.at_s = 1000.0

    def now(self) -> float:
        return self.at_s

    def pass_by(self, seconds: float) -> None:
        self.at_s += seconds


class Simulated(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.device = SimulatedDevice(Path(folder.name) / "books", 2**20)
        self.addCleanup(self.device.close)
        self.path = self.device.environment["UNVEK_SIMULATED_ACCELERATOR"]
        self.scripts = SimulatedAccelerator(self.path)

    def test_its_memory_can_run_out_and_is_free_again(self):
        block = self.scripts.allocate(900_000)
        with self.assertRaisesRegex(OutOfMemoryError, "900000 of them in use; asked for 200000 more"):
            self.scripts.allocate(200_000)
        self.scripts.free(block)
        self.scripts.allocate(1_000_000)
        self.assertEqual(self.device.read({os.getpid()}).memory_of_processes_bytes, 1_000_000)
        self.assertEqual(self.device.read({1}).memory_of_processes_bytes, 0)

    def test_what_a_process_that_has_ended_held_is_free(self):
        code = f"import sys; sys.path.insert(0, {str(STAND_IN.parent)!r})\nfrom simulated_accelerator import *\n"
        subprocess.run(
            [sys.executable, "-c", code + f"SimulatedAccelerator({self.path!r}).allocate(1000000)"], check=True
        )
        self.scripts.allocate(1_000_000)

    def test_it_is_slower_when_it_is_hot_and_cools_down(self):
        cool = State(1, 0.0, 30.0, 0.0, 0.0)
        hot = cool.after(60.0, busy=True)
        self.assertEqual((cool.speed, hot.speed), (1.0, 0.5))
        self.assertAlmostEqual(hot.busy_s, 60.0)
        self.assertEqual(hot.after(120.0, busy=False).speed, 1.0)

    def test_work_takes_twice_as_long_on_a_hot_one(self):
        clock = Clock()
        with mock.patch.multiple("unvek.probe.simulated_accelerator", monotonic=clock.now, sleep=clock.pass_by):
            for temperature_c, taken_s in ((30.0, 0.1), (95.0, 0.2)):
                self.device._books.set_state(State(2**20, clock.at_s, temperature_c, 0.0, 0.0))
                began_s = clock.at_s
                self.scripts.work(0.1)
                self.assertAlmostEqual(clock.at_s - began_s, taken_s)


class InAPlan(ProjectTest):
    def test_what_it_measured_is_marked_and_its_want_of_memory_is_told(self):
        self.write("simulated_accelerator.py", STAND_IN.read_text())
        self.write("model.py", """
from simulated_accelerator import SimulatedAccelerator
def load(variant):
    device = SimulatedAccelerator.of_this_run()
    device.allocate(variant.settings["mebibytes"] * 2**20)
    return device
def run(device, job, probe):
    for _ in range(3):
        device.work(0.05)
        probe.step()
""")  # fmt: skip
        plan = self.write_plan(variant("slow", mebibytes=20), variant("large", mebibytes=40), task(), warmups=1)
        plan.write_text(plan.read_text() + '[rig]\nsimulated_accelerator = "32 MiB"\n')
        self.unvek("run", expect=1)
        rows = self.log()
        self.assertEqual({row["source"] for row in rows}, {"simulated"})
        self.assertEqual([row["status"] for row in rows if row["variant"] == "large"], ["out-of-memory", "skipped"])
        run = self.result("show", "3")
        self.assertEqual(run["machine"]["memory_device_bytes"], 20 * 2**20)
        self.assertEqual(run["machine"]["accelerators"][0]["simulated"], True)
        self.assertGreater(run["machine"]["energy_j"], 0)
        self.assertEqual(run["measures"]["energy"], run["machine"]["energy_j"])
        for command in (("compare",), ("tradeoff",)):
            self.assertIn("imulated", self.unvek(*command).stdout)
        self.assertIn("finished, simulated", self.unvek("log").stdout)


if __name__ == "__main__":
    unittest.main()
