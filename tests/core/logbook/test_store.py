"""The logbook keeps what it is given, and says clearly when it can't."""

import shutil
import sqlite3
import unittest
from pathlib import Path

from tests.support import SLOW, ProjectTest, task
from unvek.core.errors import LogbookError
from unvek.core.logbook.packing import pack_floats, unpack_floats
from unvek.core.logbook.place import find_place
from unvek.core.logbook.store import Logbook, Measurement
from unvek.core.measures.kinds import KINDS


class KeptRuns(ProjectTest):
    def setUp(self) -> None:
        super().setUp()
        self.write_plan(SLOW, task(seeds=(5,)), warmups=1)
        self.have_runs()
        self.path = self.folder / "logbook"

    def test_a_run_is_kept_whole(self):
        run = self.result("show", "2")
        self.assertEqual((run["variant"], run["task"], run["seed"], run["status"]), ("slow", "violet", 5, "finished"))
        self.assertEqual((run["warm_up"], run["round"], run["repeat"], run["source"]), (False, 1, 1, "measured"))
        self.assertEqual(len(run["step_times_s"]), 3)
        self.assertTrue(all(step >= 0.006 for step in run["step_times_s"]), run["step_times_s"])
        self.assertEqual(list(run["phases"]), ["start", "steps", "save"])
        self.assertAlmostEqual(sum(run["phases"].values()), run["time_s"], places=6)
        self.assertEqual((run["measures"]["warmth"], run["measures"]["count.calls"]), (5.0, 1.0))
        self.assertEqual(run["faults"], [["retry", "once"]])
        self.assertGreater(run["machine"]["memory_peak_bytes"], 2**20)
        self.assertEqual(run["provenance"]["settings"], {"step_s": 0.006})
        output = run["outputs"][0]
        self.assertEqual((self.path / output["path"]).stat().st_size, output["bytes"])
        self.assertEqual(len(output["digest"]), 64)

    def test_warm_ups_are_kept_apart(self):
        self.assertEqual([row["warm_up"] for row in self.log()], [True, False])
        self.assertEqual(self.result("compare")["rows"][0]["runs"], 1)

    def test_a_value_that_is_there_is_not_kept_twice_and_another_definition_is_another_value(self):
        ssim, psnr = (KINDS[kind].definition() for kind in ("ssim", "psnr"))
        with Logbook.open(self.path) as logbook:
            for value, definition in ((0.5, ssim), (0.9, ssim), (31.0, psnr)):
                one = Measurement(
                    run=2, name="looks", origin="worked-out", definition=definition, against=1, value=value
                )
                logbook.keep_measurements([one])
            kept = {logbook.definitions()[row.definition].digest: row.value for row in logbook.measurements_of(2)}
            self.assertEqual((kept[ssim.digest], kept[psnr.digest]), (0.5, 31.0))

    def test_a_logbook_of_a_newer_format_is_left_alone(self):
        with sqlite3.connect(self.path / "runs.sqlite") as connection:
            connection.execute("update about set value = '99' where key = 'format_version'")
        connection.close()
        for command in ("log", "run"):
            self.assertIn("has format 99", self.unvek(command, expect=2).stderr)

    def test_a_damaged_logbook_is_told_without_a_traceback(self):
        self.path.joinpath("runs.sqlite").write_bytes(b"not a database at all, by no means" * 100)
        for extra in ("-wal", "-shm"):
            self.path.joinpath("runs.sqlite" + extra).unlink(missing_ok=True)
        for command in ("log", "run", "compare"):
            self.assertIn("is damaged, or is no logbook", self.unvek(command, expect=2).stderr)

    def test_it_is_found_from_a_folder_below(self):
        below = self.folder / "notes" / "deep"
        below.mkdir(parents=True)
        self.assertEqual(find_place(below).folder, self.path)
        with self.assertRaisesRegex(LogbookError, "make one with 'unvek run PLAN'"):
            find_place(Path("/proc"))

    def test_a_run_that_is_not_there_is_told_with_those_that_are(self):
        self.assertIn("the runs here are 1 to 2", self.unvek("show", "77", expect=2).stderr)


class OddPlaces(ProjectTest):
    def test_a_folder_may_be_called_anything(self):
        self.write_plan(SLOW, task(seeds=(1,)))
        odd = "a ? b, 50 % off #1 = grün & weiß;c"
        self.unvek("run", "--logbook", f"{odd}/logbook")
        for name in ("a ? b", "50 % off", "#1", "grün & weiß", "a=b;c"):
            with self.subTest(name):
                shutil.copytree(self.folder / odd, self.folder / name, dirs_exist_ok=True)
                self.unvek("note", "1", "a remark", "--logbook", f"{name}/logbook")
                self.assertEqual(
                    [row["noted"] for row in self.result("log", "--logbook", f"{name}/logbook")["rows"]], [True]
                )


class Unwritable(ProjectTest):
    def test_a_place_that_can_take_no_logbook_is_named(self):
        self.write_plan(SLOW, task())
        self.write("file", "in the way")
        done = self.unvek("run", "--logbook", "file/logbook", expect=2)
        self.assertIn("can't be made or written", done.stderr)


class Packing(unittest.TestCase):
    def test_floats_come_back_as_they_were(self):
        values = (0.1, 1e-9, 12345.678)
        self.assertEqual(unpack_floats(pack_floats(values)), values)
        self.assertEqual(pack_floats([1.0]), b"\0\0\0\0\0\0\xf0?")
        self.assertEqual(unpack_floats(pack_floats([1.0]) + b"\0\0\0"), (1.0,))


if __name__ == "__main__":
    unittest.main()
