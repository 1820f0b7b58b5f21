"""Several machines and one logbook on a server: nothing is lost and nothing is twice, whatever is cut off."""

import hashlib
import os
import signal
import subprocess
import threading
import time
import unittest
from collections import Counter
from datetime import datetime, timedelta
from pathlib import Path
from unittest.mock import patch

from tests.database import Server, server, stopped
from tests.support import LIKENESS, QUICK, SLOW, ProjectTest, environment, program, reap, task, variant
from tests.written import RIG
from unvek.core.errors import LogbookUnreachableError
from unvek.core.logbook.place import Place, find_place
from unvek.core.logbook.store import Logbook
from unvek.core.logbook.team_work import Work
from unvek.core.plan.reading.plan import read_plan
from unvek.core.session import keeping
from unvek.core.session.making import make_runs
from unvek.core.session.workplace import RunOptions

STEADY = variant("slow", step_s=0.03, steps=6)


class TeamTest(ProjectTest):
    """A project whose runs go to a server; `machine` runs the program as if on a machine of that name."""

    def setUp(self) -> None:
        super().setUp()
        self.server: Server = server()
        self.address = self.server.address(self.server.new_database())

    def on(self, machine: str) -> dict[str, str]:
        return environment(UNVEK_RIG_NAME=machine, UNVEK_MACHINE_LOCK=str(self.folder / f"{machine}.lock"))

    def begin(self, machine: str = "bench-1", folder: Path | None = None, *more: str) -> subprocess.Popen[str]:
        process = subprocess.Popen(
            program("run", "--plain", "--logbook", self.address, *more), cwd=folder or self.folder, env=self.on(machine),
            stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, start_new_session=True,
        )  # fmt: skip
        self.addCleanup(reap, process)
        return process

    def run_on(self, machine: str = "bench-1", folder: Path | None = None, *more: str, expect: int = 0) -> str:
        return self.ended(self.begin(machine, folder, *more), expect)

    def ended(self, process: subprocess.Popen[str], expect: int = 0) -> str:
        _, said = process.communicate(timeout=120)
        self.assertEqual(process.returncode, expect, said)
        self.assertNotIn("Traceback", said)
        return said

    def kept(self) -> list:
        place = Place(self.folder / "reader", self.address)
        if not Logbook.is_in(place):
            return []
        with Logbook.open(place) as logbook:
            return logbook.runs()

    def until_kept(self, count: int) -> None:
        for _ in range(600):
            if len(self.kept()) >= count:
                return
            time.sleep(0.05)
        self.fail(f"no {count} runs came")

    def hold_whole(self, rounds: int, seeds: int, variants: int = 2, machines: int = 1) -> None:
        """Hold it that every slot was filled once by each machine, and every id and number is there once."""
        runs = [run for run in self.kept() if run.status == "finished" and not run.warm_up]
        slots = Counter((run.rig, run.cell, run.round, run.repeat) for run in runs)
        self.assertEqual(set(slots.values()), {1}, slots)
        self.assertEqual(len(slots), rounds * seeds * variants * machines)
        self.assertEqual(len({run.id for run in runs}), len(runs))
        with Logbook.open(Place(self.folder / "reader", self.address)) as logbook:
            outputs = logbook.outputs()
        finished = {run.number for run in self.kept() if run.status == "finished"}
        self.assertLessEqual(finished, {output.run for output in outputs})
        rooms = list(self.folder.glob("**/team/outputs"))
        for output in outputs:
            found = [room.parent / output.path for room in rooms if (room.parent / output.path).is_file()]
            self.assertEqual(
                [hashlib.sha256(path.read_bytes()).hexdigest() for path in found], [output.digest], output.path
            )


class CutOff(TeamTest):
    def test_a_server_that_was_down_meanwhile_has_every_run_in_the_end(self):
        self.write_plan(STEADY, QUICK, task(seeds=(1, 2, 3)), rounds=6)
        process = self.begin()
        self.until_kept(4)
        with stopped(self.server):
            time.sleep(1.2)
        said = self.ended(process)
        self.assertIn("waits on this machine", said)
        self.assertIn("is back: ", said)
        self.hold_whole(rounds=6, seeds=3)
        self.assertFalse((self.folder / "logbook" / "team" / "runs.sqlite").exists())
        self.assertIn("36 were there before", self.run_on())
        with Logbook.open(find_place(self.folder)) as logbook:
            for run in logbook.runs():
                (output,) = logbook.outputs(run.number)
                self.assertTrue((logbook.folder.path / output.path).is_file(), output.path)
                self.assertEqual(logbook.launch(run.launch).rig, run.rig)
            self.assertTrue(all(launch.load_s is not None for launch in logbook.launches()))
            self.assertEqual(len(logbook.sessions()), 1)

    def test_what_waits_at_the_end_comes_with_the_next_run(self):
        self.write_plan(STEADY, QUICK, task(seeds=(1, 2)), LIKENESS, rounds=4, measure="afterwards")
        process = self.begin()
        self.until_kept(3)
        with stopped(self.server):
            said = self.ended(process)
            self.assertIn("outputs are not measured yet", said)
            self.assertRegex(said, r"\d+ runs wait in .*logbook/team")
            self.assertIn("can't be reached", self.run_on(expect=2))
            self.assertIn("can't be reached", self.unvek("log", "--logbook", self.address, expect=2).stderr)
        before = len(self.kept())
        self.assertLess(before, 16)
        said = self.run_on()
        self.assertIn("that waited on this machine came into", said)
        self.assertIn("0 runs made, 16 were there before", said)
        self.hold_whole(rounds=4, seeds=2)

    def test_an_engine_that_is_killed_while_cut_off_loses_no_run(self):
        self.write_plan(STEADY, QUICK, task(seeds=(1, 2)), rounds=5)
        process = self.begin()
        self.until_kept(3)
        with stopped(self.server):
            waiting = self.folder / "logbook" / "team" / "runs.sqlite"
            for _ in range(200):
                if waiting.exists():
                    break
                time.sleep(0.05)
            time.sleep(0.9)
            process.send_signal(signal.SIGKILL)
            process.communicate()
        self.run_on()
        self.hold_whole(rounds=5, seeds=2)
        statuses = Counter(run.status for run in self.kept())
        self.assertLessEqual(statuses["interrupted"], 1)

    def test_a_run_that_the_server_has_is_not_recovered_into_what_waits(self):
        self.write_plan(STEADY, task(seeds=(1, 2)), rounds=1)

        def finish(keeper, *_):  # cut off behind the last run, and killed at once
            keeper._cut_off(LogbookUnreachableError("the cable was pulled"))
            keeper.close()

        with patch.object(keeping.TeamKeeper, "finish", finish), patch.dict(os.environ, self.on("bench-1")):
            make_runs(read_plan(self.folder / "plan.toml"), Place(self.folder / "logbook" / "team", self.address))
        self.run_on()
        self.assertEqual([run.status for run in self.kept()], ["finished", "finished"])

    def test_an_answer_that_was_lost_makes_no_run_twice(self):
        self.write_plan(STEADY, task(seeds=(1, 2, 3)), rounds=2)
        lost = [0]
        whole = Logbook.keep_run

        def keep_run(logbook, run, outputs=(), id=None):
            number = whole(logbook, run, outputs, id)
            if logbook.place.is_team and run.start.round == 1 and run.start.seed == 2:
                lost[0] += 1
                raise LogbookUnreachableError("the cable was pulled")
            return number

        told: list[str] = []
        with patch.object(Logbook, "keep_run", keep_run), patch.dict(os.environ, self.on("bench-1")):
            place = Place(self.folder / "logbook" / "team", self.address)
            made = make_runs(read_plan(self.folder / "plan.toml"), place, RunOptions(tell=told.append))
        self.assertEqual((lost, made.made), ([1], 6))
        self.assertTrue(any("is back: 1 run" in words for words in told), told)  # the third of that launch
        self.hold_whole(rounds=2, seeds=3, variants=1)

    def test_connections_that_are_cut_again_and_again_cost_no_run(self):
        self.write_plan(STEADY, QUICK, task(seeds=(1, 2, 3)), rounds=4)
        process = self.begin()
        self.until_kept(2)
        database = self.address.rpartition("/")[2]
        cut = f"SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = '{database}'"
        while process.poll() is None:
            self.server.sql("postgres", cut)
            time.sleep(0.15)
        self.ended(process)
        self.run_on()  # what was cut off at the very end comes now
        self.hold_whole(rounds=4, seeds=3)

    def test_a_server_that_stops_without_a_word_holds_nobody_up(self):
        self.write_plan(STEADY, task(seeds=(1, 2, 3)), rounds=4)
        told: list[str] = []
        kept = [0]
        whole = Logbook.keep_run

        def keep_run(logbook, *given):
            kept[0] += 1
            if kept[0] == 2:
                self.server.freeze()
                threading.Timer(6.0, self.server.thaw).start()
            return whole(logbook, *given)

        with (
            patch.object(Logbook, "keep_run", keep_run), patch.object(keeping, "PATIENCE_S", 1.0),
            patch.dict(os.environ, self.on("bench-1")),
        ):  # fmt: skip
            place = Place(self.folder / "logbook" / "team", self.address + "?connect_timeout=2")
            made = make_runs(read_plan(self.folder / "plan.toml"), place, RunOptions(tell=told.append))
        self.assertEqual(made.made, 12)
        self.assertTrue(any("can't be reached" in words for words in told), told)
        self.run_on()
        self.hold_whole(rounds=4, seeds=3, variants=1)

    def test_a_full_disk_on_the_server_is_told_and_no_run_is_lost(self):
        disk = self.server.small_disk("24m")
        self.addCleanup(subprocess.run, ["umount", "-l", str(disk)])
        database = self.server.new_database()
        name = f"small{os.getpid()}"
        self.server.sql(
            "postgres",
            f"CREATE TABLESPACE {name} LOCATION '{disk}'",
            f"ALTER DATABASE {database} SET TABLESPACE {name}",
        )
        self.addCleanup(
            self.server.sql, "postgres", f"DROP DATABASE {database} WITH (FORCE)", f"DROP TABLESPACE {name}"
        )
        self.address = self.server.address(database)
        self.write_plan(STEADY, QUICK, task(seeds=(1, 2)), rounds=5)
        process = self.begin()
        self.until_kept(2)
        filler = disk / "filler"
        with open(filler, "wb") as file:
            try:
                while True:
                    file.write(bytes(2**16))
                    file.flush()
            except OSError:
                pass
        said = self.ended(process)
        filler.unlink()
        if "is full" in said:  # where the server had no room left in the pages it held
            self.assertIn("make room there", said)
        self.run_on()
        self.hold_whole(rounds=5, seeds=2)


class SideBySide(TeamTest):
    def test_the_same_plan_on_two_machines_at_once(self):
        folders = {}
        for machine in ("bench-1", "bench-2"):
            folders[machine] = self.folder / machine
            folders[machine].mkdir()
            for name in ("model.py", "plan.toml"):
                self.write_plan(STEADY, QUICK, task(seeds=(1, 2)), rounds=3, warmups=1)
                (folders[machine] / name).write_text((self.folder / name).read_text())
        processes = [self.begin(machine, folder) for machine, folder in folders.items()]
        for process in processes:
            self.ended(process)
        self.hold_whole(rounds=3, seeds=2, machines=2)
        sessions = self.result("log", "--sessions", "--logbook", self.address)["rows"]
        self.assertEqual({row["machine"].partition(":")[0] for row in sessions}, {"bench-1", "bench-2"})
        self.assertIn("--rig", self.unvek("compare", "--logbook", self.address, expect=2).stderr)
        for machine in folders:
            found = self.result("compare", "--rig", machine, "--logbook", self.address)
            self.assertEqual([row["runs"] for row in found["rows"]], [6, 6])
            # A page of one machine carries its runs and no others; without names where that is asked for.
            for name, more in ((f"{machine}.html", ()), (f"{machine}-anonymous.html", ("--anonymous",))):
                self.unvek("report", name, "--rig", machine, *more, "--logbook", self.address)
                page = (self.folder / name).read_text()
                self.assertEqual({one for one in folders if one in page}, set() if more else {machine})
                self.unvek("import", name, "--logbook", f"from-{name}")
                brought = self.result("compare", "--logbook", f"from-{name}")
                self.assertEqual(
                    brought["rows"][0]["measures"]["time.total"], found["rows"][0]["measures"]["time.total"]
                )
        with Logbook.open(Place(self.folder / "reader", self.address)) as logbook:
            self.assertEqual({one.facts["name"]: (one.work.state, one.work.made) for one in logbook.machines_at_work()},
                             {"bench-1": ("over", 12), "bench-2": ("over", 12)})  # fmt: skip

    def test_what_is_made_afresh_on_one_machine_leaves_the_others_as_they_were(self):
        self.write_plan(STEADY, task(seeds=(1, 2)))
        for machine in ("bench-1", "bench-2"):
            self.run_on(machine)
        self.run_on("bench-1", None, "--afresh")
        voided = Counter((run.rig, run.voided) for run in self.kept())
        self.assertEqual(sorted(voided.values()), [2, 2, 2])
        self.assertEqual(len({rig for rig, why in voided if why is None}), 2)

    def test_clocks_an_hour_apart_change_no_order_and_no_word_of_who_was_heard_of(self):
        class Late(datetime):
            @classmethod
            def now(cls, tz=None):
                return datetime.now(tz) - timedelta(hours=1)

        with Logbook.make_or_open(Place(self.folder / "a", self.address)) as logbook:
            for name, clock in (("bench-1", datetime), ("bench-2", Late)):
                with (
                    patch("unvek.core.logbook.inserting.datetime", clock),
                    patch("unvek.core.logbook.store.datetime", clock),
                ):
                    logbook.record_rig(f"rig-of-{name}", {**RIG, "name": name})
                    logbook.begin_session("run", f"of-{name}")
                    logbook.tell_work(Work(title="t", session=f"of-{name}", planned=1))
                    logbook.open_launch("full", 1)
            self.assertEqual([session.name for session in logbook.sessions()], ["of-bench-1", "of-bench-2"])
            began = [datetime.fromisoformat(session.began_at) for session in logbook.sessions()]
            self.assertGreater((began[0] - began[1]).total_seconds(), 3500)
            machines = logbook.machines_at_work()
        self.assertEqual([one.facts["name"] for one in machines], ["bench-2", "bench-1"])
        self.assertTrue(all(0 <= one.heard_s < 60 for one in machines), machines)

    def test_two_machines_of_one_name_are_not_taken_for_one(self):
        self.write_plan(STEADY, task(seeds=(1, 2, 3)), rounds=4)
        other = self.folder / "other"
        other.mkdir()
        for name in ("model.py", "plan.toml"):
            (other / name).write_text((self.folder / name).read_text())
        process = self.begin()
        self.until_kept(1)
        twin = {**self.on("bench-1"), "UNVEK_MACHINE_LOCK": str(self.folder / "twin.lock")}
        done = subprocess.run(
            program("run", "--plain", "--logbook", self.address), cwd=other, env=twin, capture_output=True, text=True
        )
        self.assertEqual(done.returncode, 2, done.stderr)
        self.assertIn("a machine of this kind and name makes runs", done.stderr)
        self.assertIn("UNVEK_RIG_NAME", done.stderr)
        self.ended(process)
        self.hold_whole(rounds=4, seeds=3, variants=1)


class Results(TeamTest):
    COMMANDS = (
        ("compare",), ("audit",), ("tradeoff",), ("log",), ("log", "--sessions"), ("log", "--forecasts"), ("show", "3"),
        ("compare", "--matrix", "likeness"), ("budget", "--drafts", "quick", "--finals", "slow"), ("judge", "log"),
    )  # fmt: skip

    def setUp(self) -> None:
        super().setUp()
        self.write_plan(SLOW, QUICK, task(seeds=(1, 2, 3)), LIKENESS, rounds=3, warmups=1)
        self.have_runs()
        self.unvek("measure")
        self.unvek("note", "3", "the kettle was on")
        self.unvek("void", "5", "--why", "the door stood open")

    def answers(self, where: str) -> dict:
        return {command: self.unvek(*command, "--as", "json", "--logbook", where).stdout for command in self.COMMANDS}

    def test_they_are_the_same_to_the_last_digit_from_a_folder_and_from_a_server(self):
        self.unvek("merge", "logbook", "--logbook", self.address)
        of_folder, of_server = self.answers("logbook"), self.answers(self.address)
        for command, said in of_folder.items():
            self.assertEqual(of_server[command], said, command)
        self.unvek("export", "folder.csv", "--logbook", "logbook")
        self.unvek("export", "server.csv", "--logbook", self.address)
        folder, server_ = ((self.folder / name).read_text() for name in ("folder.csv", "server.csv"))
        self.assertEqual(folder, server_)
        self.unvek("merge", "logbook", "--logbook", self.address)
        self.assertEqual(self.answers(self.address), of_server, "what comes again changes nothing")

    def test_a_backup_that_is_restored_gives_the_same(self):
        self.unvek("merge", "logbook", "--logbook", self.address)
        again = self.server.new_database()
        dump = str(self.folder / "painters.dump")
        self.server.tool("pg_dump", "--format=custom", f"--file={dump}", self.address)
        self.server.tool("pg_restore", "--no-owner", f"--dbname={self.server.address(again)}", dump)
        restored, before = self.answers(self.server.address(again)), self.answers(self.address)
        for command in before:
            if command[0] != "show":  # which says that outputs are on the machine that has the other's folder
                self.assertEqual(restored[command], before[command], command)
        self.address = self.server.address(again)
        self.run_on()  # runs can be made into it: another machine's, as it has a name here
        self.assertEqual(len(self.kept()), 48)

    def test_what_machines_are_at_is_told(self):
        self.assertIn("No machine has made runs", self.unvek("team", self.address).stdout)
        self.write_plan(STEADY, QUICK, task(seeds=(1, 2, 3)), rounds=3)
        process = self.begin("bench-7")
        self.until_kept(4)
        said = self.unvek("watch", "--team", "--logbook", self.address).stdout
        self.assertRegex(said, r"bench-7 +(running|loading) (slow|quick)")
        self.assertRegex(said, r"\d+ of 18 .*just now")
        self.ended(process)
        (row,) = self.result("team", self.address)["rows"]
        self.assertEqual((row["machine"], row["state"], row["made"], row["planned"]), ("bench-7", "over", 18, 18))
        self.assertIn(
            "is a folder of one machine", self.unvek("watch", "--team", "--logbook", "logbook", expect=2).stderr
        )

    def test_outputs_are_shared_where_the_command_says(self):
        self.unvek("team", self.address, "--outputs", f"file://{self.folder}/srv")
        self.run_on()
        self.assertTrue(list((self.folder / "srv").glob("??/*")))
        for wrong in ("srv", "s3://", "s3://a:b@c/d"):
            self.assertIn(
                "wanted a shared folder", self.unvek("team", self.address, "--outputs", wrong, expect=2).stderr
            )


class Places(TeamTest):
    def test_the_note_beside_the_plan_leads_there_and_holds_no_password(self):
        plan = self.write_plan(QUICK.replace('"quick"', '"slow"'), task(seeds=(1,)))
        self.run_on()
        note = (self.folder / "logbook" / "team.toml").read_text()
        self.assertIn(self.address, note)
        self.assertEqual(len(self.log()), 1)
        secret = self.address.replace("unvek@", "unvek:hush-hush@")
        self.address = secret
        self.run_on()
        self.assertNotIn("hush-hush", (self.folder / "logbook" / "team.toml").read_text())
        with stopped(self.server):
            said = self.unvek("log", "--logbook", secret, expect=2).stderr
        self.assertIn("can't be reached", said)
        self.assertNotIn("hush-hush", said)
        plan.write_text(f'logbook = "{secret}"\n' + plan.read_text())
        said = self.unvek("check", expect=2)
        self.assertIn("PGPASSWORD", said.stdout + said.stderr)
        self.assertNotIn("hush-hush", said.stdout + said.stderr)

    def test_a_plan_says_where_its_runs_go_and_the_environment_may_say_otherwise(self):
        plan = self.write_plan(QUICK.replace('"quick"', '"slow"'), task(seeds=(1, 2)))
        self.unvek("run")
        plan.write_text(f'logbook = "{self.address}"\n' + plan.read_text())
        said = self.unvek("run").stderr
        self.assertIn("2 runs made", said)
        self.assertEqual(len(self.kept()), 2)
        self.assertIn("unvek merge logbook", said)
        self.assertEqual(len(self.log()), 2)
        with patch.dict(os.environ, UNVEK_LOGBOOK="logbook"):
            self.unvek("note", "1", "in the folder")
        self.assertEqual([row["noted"] for row in self.log()], [False, False])
        with patch.dict(os.environ, UNVEK_LOGBOOK=self.address):
            self.unvek("merge", "logbook")
        self.assertEqual(sorted(row["noted"] for row in self.log()), [False, False, False, True])
        self.unvek("run", "--logbook", "logbook")
        self.assertEqual(len(self.log()), 2, "the note is gone, since runs went to the folder last")

    def test_what_an_option_said_once_holds_for_all_commands_from_then_on(self):
        plan = self.write_plan(QUICK.replace('"quick"', '"slow"'), task(seeds=(1, 2)))
        self.run_on()
        with patch.dict(os.environ, UNVEK_RIG_NAME="bench-1"):
            self.assertIn("0 runs made, 2 were there before", self.unvek("run").stderr)
            self.unvek("try", "--seeds", "1")
            self.assertEqual(len(self.log()), 2)
            self.assertEqual(len(self.result("log", "--tries")["rows"]), 1)
            # What the plan itself said holds for as long as it says so.
            text = plan.read_text()
            plan.write_text(f'logbook = "{self.address}"\n' + text)
            self.unvek("run")
            plan.write_text(text)
            self.assertIn("2 runs made", self.unvek("run").stderr)
            self.assertTrue((self.folder / "logbook" / "runs.sqlite").exists())
            self.assertFalse((self.folder / "logbook" / "team.toml").exists())

    def test_a_plan_is_checked_without_its_server_too(self):
        plan = self.write_plan(QUICK.replace('"quick"', '"slow"'), task(seeds=(1, 2)))
        plan.write_text(f'logbook = "{self.address}"\n' + plan.read_text())
        with stopped(self.server):
            said = self.unvek("check").stdout
        self.assertIn("Which runs are there already is not known", " ".join(said.split()))

    def test_what_is_no_address_is_refused_with_what_is_wanted(self):
        self.write_plan(QUICK, task())
        for wrong, words in (
            ("postgresql://", "names no database"), ("postgresql://server", "names no database"),
            ("postgresql://server:x/db", "no address"), ("postgresql://a/b/c", "names no database"),
        ):  # fmt: skip
            with self.subTest(wrong):
                self.assertIn(words, self.unvek("log", "--logbook", wrong, expect=2).stderr)
        for given in (
            'logbook = "somewhere/else"',
            'logbook = "mysql://x/y"',
            "logbook = 3",
            'outputs = "srv"',
            'outputs = "s3://key:pass@b"',
        ):
            plan = self.write_plan(QUICK.replace('"quick"', '"slow"'), task())
            plan.write_text(given + "\n" + plan.read_text())
            with self.subTest(given):
                done = self.unvek("check", expect=2)
                self.assertIn(given.partition(" ")[0], done.stdout + done.stderr)


if __name__ == "__main__":
    unittest.main()
