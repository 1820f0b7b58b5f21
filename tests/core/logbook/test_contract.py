"""What a logbook promises, held to in the folder and in a server's database: one set of tests over both."""

import math
import threading
import unittest
from dataclasses import asdict, fields, replace
from pathlib import Path
from unittest.mock import patch

import numpy as np
from sqlalchemy import text

from tests.database import server
from tests.support import ProjectTest
from tests.written import RIG, run_start
from unvek.core.errors import InputError, LogbookError
from unvek.core.logbook import reading, runs_as_columns, tables
from unvek.core.logbook.inserting import insert_all
from unvek.core.logbook.listing import WantedRuns
from unvek.core.logbook.place import Place
from unvek.core.logbook.rows import KeptRun
from unvek.core.logbook.store import Logbook, Measurement
from unvek.core.logbook.upgrades.chain import FORMAT_VERSION
from unvek.core.logbook.verdict_rows import PERSON, UNNUMBERED, VerdictRow
from unvek.core.measures.kinds import KINDS
from unvek.core.plan.cells import Cell
from unvek.core.run.events.record import LaunchAbout, Progress, Provenance, RunRecord, Value
from unvek.core.run.outputs_room import OutputFile

HOSTILE = "a\0b \ue000 \ue000\"q\" %s :x {y} \\ 'quoted' \u202e grün 🌱\r\n\t" + "\x01\x7f"
ODD_TEXTS = ("", "\0", "\ue000", '\ue000"x"', HOSTILE, "null", "%(name)s", "Ä" * 3000)
ODD_NUMBERS = (0.1, 1e-300, 1.7976931348623157e308, 5e-324, 1 / 3, math.pi)


class Contract:
    """A logbook at `self.place`, which is empty."""

    place: Place

    def setUp(self) -> None:
        super().setUp()
        self.place = self.new_place("logbook")
        self.logbook = Logbook.make_or_open(self.place)
        self.addCleanup(lambda: self.logbook.close())
        self.logbook.record_rig("rig-1", {**RIG, "odd": [HOSTILE, None, 1e308, True]})

    def again(self) -> None:
        """Close it and open it anew."""
        self.logbook.close()
        self.logbook = Logbook.open(self.place)

    def keep(
        self, name: str = "full/violet/1", outputs=(), logbook: Logbook | None = None, launch: int | None = None, **also
    ) -> int:
        logbook = logbook or self.logbook
        start = {
            key: also.pop(key) for key in ("round", "place", "varied", "trial", "warm_up", "settings") if key in also
        }
        launch = launch if launch is not None else logbook.open_launch(name.partition("/")[0], start.get("round", 1))
        record = RunRecord(
            start=run_start(name, **{"round": 1, "launch": launch, "place": 1, "varied": {}, **start}),
            limits={"run_s": 60.0, "stall_s": None}, status=also.pop("status", "finished"), error=also.pop("error", None),
            progress=also.pop("progress", Progress(time_s=1.0)), exit_code=also.pop("exit_code", 0), provenance=Provenance(), **also,
        )  # fmt: skip
        return logbook.keep_run(record, outputs)

    def test_all_that_is_known_of_a_run_comes_back_as_it_went_in(self):
        launch = self.logbook.open_launch("full", 1)
        about = LaunchAbout(command=("python", HOSTILE), packages={"a": None}, log_tail=HOSTILE)
        self.logbook.describe_launch(launch, 0.1, HOSTILE, about)
        progress = Progress(
            time_s=1 / 3, first_s=5e-324, step_times_s=ODD_NUMBERS, phases_s=(("load", 0.1), (HOSTILE, 0.2)), tokens=2**40,
            piece_times_s=(0.1,), text=HOSTILE, values=(Value(name="warmth", number=1 / 3, unit="K"),), faults=((HOSTILE, "x"),),
            memory_peak_bytes=2**52, cpu_s=1e-300,
        )  # fmt: skip
        files = [
            OutputFile(path=f"outputs/L00001-0001/{n}-grün.bin", bytes=2**40, digest=str(n) * 64) for n in range(3)
        ]
        number = self.keep(
            launch=launch, progress=progress, outputs=files, error=HOSTILE, log_tail=HOSTILE, exit_code=-9, status="failed",
            varied={"steps": 8, "text": HOSTILE}, settings={"x": [1, 2.5, None, {"y": HOSTILE}], "big": 2**60},
            machine={"others_share": 0.25, "series": [0.1, 0.2]},
        )  # fmt: skip
        self.again()
        run, details = self.logbook.run(number), self.logbook.details(number)
        self.assertEqual((run.time_s, run.first_s, run.tokens, run.memory_peak_bytes), (1 / 3, 5e-324, 2**40, 2**52))
        self.assertEqual(
            (run.error, run.varied, run.rig, run.cpu_s), (HOSTILE, {"steps": 8, "text": HOSTILE}, "rig-1", 1e-300)
        )
        self.assertEqual((details.text, details.log_tail, details.exit_code), (HOSTILE, HOSTILE, -9))
        self.assertEqual(np.frombuffer(details.step_times_s).tolist(), list(ODD_NUMBERS))
        self.assertEqual(details.settings, {"x": [1, 2.5, None, {"y": HOSTILE}], "big": 2**60})
        self.assertEqual((details.phases_s, details.faults), ({"load": 0.1, HOSTILE: 0.2}, ((HOSTILE, "x"),)))
        self.assertEqual(details.limits, {"run_s": 60.0, "stall_s": None})
        self.assertEqual([(file.path, file.bytes, file.digest) for file in self.logbook.outputs(number)],
                         [(file.path, file.bytes, file.digest) for file in files])  # fmt: skip
        self.assertEqual((self.logbook.launch(launch).error, self.logbook.launch(launch).about), (HOSTILE, about))
        self.assertEqual(self.logbook.rigs()["rig-1"]["odd"], [HOSTILE, None, 1e308, True])
        self.assertEqual([row.value for row in self.logbook.measurements_of(number)], [1 / 3])
        self.assertEqual(self.logbook.texts(), {number: HOSTILE})
        self.assertEqual(list(self.logbook.runs()), [run])
        self.logbook.tell_if_damaged()

    def test_lists_and_columns_hold_every_run_whatever_the_blocks(self):
        launch = self.logbook.open_launch("full", 1)
        for place in range(1, 24):
            self.keep(f"full/{ODD_TEXTS[place % len(ODD_TEXTS)]}/7", launch=launch, place=place, varied={"n": place % 3},
                      progress=Progress(time_s=ODD_NUMBERS[place % len(ODD_NUMBERS)] if place % 4 else None),
                      trial=place % 5 == 0, error=ODD_TEXTS[place % len(ODD_TEXTS)] or None)  # fmt: skip
        one_by_one = [self.logbook.run(number) for number in range(1, 24)]
        of_plan = [run for run in one_by_one if not run.trial]
        for block in (1, 2, 7, 22, 23, 24):
            with (
                self.subTest(block),
                patch.object(runs_as_columns, "BLOCK", block),
                patch.object(reading, "AT_A_TIME", block),
            ):
                self.assertEqual(self.logbook.runs(), of_plan)
                self.assertEqual(self.logbook.runs(trials=True), [run for run in one_by_one if run.trial])
                self.assertEqual([run for part in self.logbook.blocks_of_runs(23) for run in part], of_plan)
                for wanted in (WantedRuns(), WantedRuns(trials=True), WantedRuns(newest=3), WantedRuns(variants=["x"])):
                    listed = self.logbook.listed(wanted)
                    fitting = [run for run in one_by_one if run.trial == wanted.trials and not wanted.variants]
                    self.assertEqual(listed.fitting, len(fitting))
                    self.assertEqual([run for part in listed.blocks() for run in part], fitting[-listed.count :])
                columns = self.logbook.run_columns()
                for row, run in zip(columns, of_plan, strict=True):
                    self.assertEqual(asdict(row), {one.name: getattr(run, one.name) for one in fields(row)})

    def test_a_run_of_a_senseless_number_is_come_to_at_once(self):
        run = self.logbook.run(self.keep(launch=self.logbook.open_launch("full", 1)))
        far = replace(run, number=2**31 - 1, id="far")
        with self.logbook._writing() as connection:
            insert_all(connection, tables.runs, [far])
        self.assertEqual(
            [run for part in self.logbook.blocks_of_runs(self.logbook.last_run()) for run in part], [run, far]
        )
        self.assertEqual([run for part in self.logbook.listed(WantedRuns()).blocks() for run in part], [run, far])

    def test_columns_that_were_kept_are_believed_as_long_as_no_row_changed(self):
        launch = self.logbook.open_launch("full", 1)
        for place in range(1, 8):
            self.keep(launch=launch, place=place, progress=Progress(time_s=float(place)))
        changes = (
            "UPDATE runs SET time_s = 99 WHERE number = 3", "UPDATE runs SET voided = 'x' WHERE number = 7",
            "UPDATE launches SET rig = 'rig-2'",
        )  # fmt: skip
        with patch.object(runs_as_columns, "MANY", 3):
            self.assertEqual([run.time_s for run in self.logbook.run_columns()], [1.0, 2.0, 3.0, 4.0, 5.0, 6.0, 7.0])
            self.assertTrue((self.place.folder / "runs.arrow").exists())
            self.logbook.record_rig("rig-2", RIG)
            for change in changes:
                with self.logbook.bringing_in() as connection:
                    connection.execute(text(change))
                self.assertEqual([(row.time_s, row.voided, row.rig) for row in self.logbook.run_columns()],
                                 [(run.time_s, run.voided, run.rig) for run in self.logbook.runs()], change)  # fmt: skip
            self.keep(launch=launch, place=8, progress=Progress(time_s=8.0))
            self.assertEqual(self.logbook.run_columns()[-1].time_s, 8.0)

    def test_slots_are_filled_by_finished_runs_and_freed_by_voiding(self):
        def slots() -> set[tuple[int, int]]:
            return {(slot.round, slot.repeat) for slot in self.logbook.all_done([cell], "rig-1")}

        variant = type(
            "V", (), {"name": "full", "limits": type("L", (), {"as_mapping": lambda self: {"run_s": 60.0}})()}
        )()
        cell = type("C", (), {"key": "full/violet/1", "variant": variant})()
        self.assertIsInstance(cell.key, str), self.assertTrue(hasattr(Cell, "key"))
        first = self.keep(round=1)
        self.keep(round=2, status="interrupted")
        self.keep(round=3, warm_up=True)
        self.keep(round=4, trial=True)
        self.assertEqual(slots(), {(1, 1)})
        self.assertEqual(len(self.logbook.done([cell], "rig-1", 1)), 1)
        self.assertEqual(self.logbook.done([cell], "rig-2", 1), set())
        self.assertEqual([len(list(self.logbook.seen_runs(rig=rig))) for rig in (None, "rig-1", "rig-2")], [3, 3, 0])
        self.logbook.void_run(first, "the kettle was on")
        self.assertEqual((slots(), self.logbook.run(first).voided), (set(), "the kettle was on"))
        self.logbook.void_run(first, None)
        self.assertEqual(slots(), {(1, 1)})
        self.assertEqual(self.logbook.void_slots({"full/violet/1"}, "afresh"), 4)
        self.assertEqual(slots(), set())

    def test_remarks_sessions_plans_and_forecasts_stay(self):
        number = self.keep()
        for remark in ("warm", HOSTILE):
            self.logbook.note_run(number, remark)
        self.assertEqual([note.text for note in self.logbook.notes(number)], ["warm", HOSTILE])
        names = [self.logbook.begin_session("run", "evening").name for _ in range(3)]
        self.assertEqual(names, ["evening", "evening-2", "evening-3"])
        self.logbook.end_session()
        self.assertEqual([session.ended_at is not None for session in self.logbook.sessions()], [False, False, True])
        forecast = self.logbook.record_forecast(HOSTILE, 3, 0.1, 1e9)
        self.logbook.close_forecast(forecast, 1 / 3)
        self.assertEqual([(row.title, row.took_s) for row in self.logbook.forecasts()], [(HOSTILE, 1 / 3)])
        with self.assertRaisesRegex(InputError, "the runs here are 1 to 1"):
            self.logbook.note_run(9, "nothing")

    def test_a_measurement_that_is_there_is_left_or_replaced(self):
        number, ssim = self.keep(), KINDS["ssim"].definition()
        many = [
            Measurement(run=number, name=f"m{n}", origin="worked-out", definition=ssim, value=n / 3) for n in range(120)
        ]
        self.logbook.keep_measurements(many)
        for anew, wanted in ((False, 1 / 3), (True, 7.0)):
            others = [
                Measurement(run=number, name=f"m{n}", origin="worked-out", definition=ssim, value=7.0, why=HOSTILE)
                for n in range(60)
            ]
            self.logbook.keep_measurements(others, anew)
            names = {key: row.name for key, row in self.logbook.definitions().items()}
            kept = {names[row.definition]: row for row in self.logbook.measurements_of(number)}
            self.assertEqual((len(kept), kept["m1"].value, kept["m119"].value), (120, wanted, 119 / 3))
        self.assertEqual(kept["m1"].why, HOSTILE)
        self.assertEqual(len(self.logbook.measured().runs), 120)
        self.assertEqual(len(self.logbook.measurements_within(1, 1)), 120)

    def test_verdicts_stay_with_who_gave_them(self):
        run = self.keep()
        judge = self.logbook.keep_judge("Rosa", PERSON, made_of={"x": HOSTILE})
        self.assertEqual(self.logbook.keep_judge("Rosa", PERSON), judge)
        answers = ("left", {"petals": "there"}, 70, None)
        rows = [
            VerdictRow(number=UNNUMBERED, id="", judge=judge.number, question=f"q{n}", asks="marks", left_run=run, left_digest="d",
                       answer=answer, why=HOSTILE, judged_at="2026-11-20T08:00:00.000+00:00", doubts=(HOSTILE,))
            for n, answer in enumerate(answers)
        ]  # fmt: skip
        kept = self.logbook.keep_verdicts(rows, {})
        self.logbook.note_verdict(2, HOSTILE)
        self.logbook.void_verdict(1, "a mistake")
        self.again()
        self.assertEqual([row.answer for row in self.logbook.verdicts()], list(answers))
        self.assertEqual(self.logbook.verdicts()[1:], kept[1:])
        self.assertEqual(self.logbook.verdict(1).voided, "a mistake")
        self.assertEqual([note.text for note in self.logbook.verdict_notes()[2]], [HOSTILE])

    def test_what_is_broken_off_leaves_nothing(self):
        class BrokenError(Exception):
            pass

        with self.assertRaises(BrokenError), self.logbook.bringing_in() as connection:
            connection.execute(tables.about.insert().values(key="x", value=HOSTILE))
            raise BrokenError
        with self.logbook.reading() as connection:
            self.assertIsNone(connection.execute(tables.about.select().where(tables.about.c.key == "x")).first())

    def test_what_is_read_together_is_of_one_moment(self):
        self.keep()
        with self.logbook.reading() as connection:
            query = tables.runs.select()
            before = len(connection.execute(query).all())
            self.keep()
            self.assertEqual((before, len(connection.execute(query).all())), (1, 1))
        self.assertEqual(len(self.logbook.runs()), 2)

    def test_many_write_at_once_and_no_number_is_given_twice(self):
        wrong: list[BaseException] = []

        def write(name: str) -> None:
            try:
                with Logbook.open(self.place) as logbook:
                    logbook.rig = "rig-1"
                    for round_number in range(1, 26):
                        self.keep(f"{name}/violet/1", logbook=logbook, round=round_number)
            except BaseException as error:
                wrong.append(error)

        writers = [threading.Thread(target=write, args=(f"v{n}",)) for n in range(4)]
        for one in writers:
            one.start()
        for one in writers:
            one.join()
        self.assertEqual(wrong, [])
        runs = self.logbook.runs()
        self.assertEqual([run.number for run in runs], list(range(1, 101)))
        self.assertEqual((len({run.id for run in runs}), len({run.launch for run in runs})), (100, 100))

    def test_a_newer_format_is_left_alone_and_an_older_one_brought_up_to_date(self):
        def at(version: int) -> None:
            with self.logbook.bringing_in() as connection:
                connection.execute(
                    tables.about.update().where(tables.about.c.key == "format_version").values(value=str(version))
                )

        at(FORMAT_VERSION + 1)
        with self.assertRaisesRegex(
            LogbookError, f"has format {FORMAT_VERSION + 1}; this one knows up to {FORMAT_VERSION}"
        ):
            Logbook.open(self.place)
        at(FORMAT_VERSION)
        self.keep()
        steps = {FORMAT_VERSION: ("CREATE TABLE shelves (number INTEGER)", "INSERT INTO shelves VALUES (7)")}
        for module in self.upgraded_by:
            for name, value in (("STEPS", steps), ("FORMAT_VERSION", FORMAT_VERSION + 1)):
                change = patch(f"unvek.core.logbook.{module}.{name}", value, create=True)
                change.start()
                self.addCleanup(change.stop)
        now = patch("unvek.core.logbook.database.FORMAT_VERSION", FORMAT_VERSION + 1)
        now.start()
        self.addCleanup(now.stop)
        for _ in range(2):
            self.again()
            with self.logbook.reading() as connection:
                self.assertEqual(connection.execute(text("SELECT number FROM shelves")).all(), [(7,)])
            self.assertEqual(len(self.logbook.runs()), 1)

    def test_a_value_that_nothing_could_have_put_there_is_told(self):
        self.keep()
        with self.logbook.bringing_in() as connection:
            connection.execute(text("UPDATE runs SET time_s = 1e300"))
        with self.assertRaisesRegex(LogbookError, "runs holds what is no time_s"):
            self.logbook.tell_if_damaged()
        with self.logbook.bringing_in() as connection:
            connection.execute(text("UPDATE runs SET time_s = 1, varied = '{not json'"))
        with self.assertRaisesRegex(LogbookError, "runs can't be read"):
            self.logbook.tell_if_damaged()

    def test_every_field_of_a_run_has_a_column(self):
        self.assertLessEqual({one.name for one in fields(KeptRun)} - {"rig"}, set(tables.runs.c.keys()))


class InFolder(Contract, ProjectTest):
    upgraded_by = ("upgrades.chain", "sqlite_backend")

    def new_place(self, name: str) -> Place:
        return Place(self.folder / name)


class OnServer(Contract, ProjectTest):
    upgraded_by = ("postgresql_backend",)

    def new_place(self, name: str) -> Place:
        return Place(self.folder / name, server().address(server().new_database()))

    def test_what_is_no_logbook_is_left_alone(self):
        name = server().new_database()
        place = Place(Path(self.folder) / "other", server().address(name))
        with self.assertRaisesRegex(LogbookError, "there is no logbook in"):
            Logbook.open(place)
        server().sql(name, "CREATE TABLE runs (mine INTEGER)")
        with self.assertRaisesRegex(LogbookError, "has a table 'runs' of something else"):
            Logbook.make_or_open(place)
        self.assertEqual(server().sql(name, "SELECT count(*) FROM pg_tables WHERE schemaname = 'public'"), "1")

    def test_many_make_it_at_once(self):
        place, made = self.new_place("together"), []
        makers = [threading.Thread(target=lambda: made.append(Logbook.make_or_open(place))) for _ in range(4)]
        for one in makers:
            one.start()
        for one in makers:
            one.join()
        for logbook in made:
            logbook.close()
        self.assertEqual(len(made), 4)


if __name__ == "__main__":
    unittest.main()
