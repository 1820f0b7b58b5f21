"""What keys say becomes runs: each lane by itself, nothing lost when a clock is cut off, nothing filed twice."""

import json
import math
import random
import unittest
from dataclasses import asdict, replace
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from tests.support import environment
from unvek.core.clock.acts import (
    ANEW,
    BACK,
    COUNTED,
    FAILED,
    FORESEEN,
    LAP,
    START,
    STOP,
    WARM_UP,
    Act,
    ClockSetup,
)
from unvek.core.clock.filing import file_clock
from unvek.core.clock.hand import USUAL, hand_of, hand_on_file, keep_hand
from unvek.core.clock.journal import ClockJournal, cut_off
from unvek.core.clock.lanes import Clock
from unvek.core.clock.presses import Presses
from unvek.core.ids import new_id
from unvek.core.logbook.folder import LogbookFolder
from unvek.core.logbook.packing import unpack_floats
from unvek.core.logbook.store import Logbook
from unvek.core.rig.facts import elsewhere

RIG = elsewhere()
TOUCH_UPS, TORN = "count.touch-ups", "faults.torn"


def setup(*lanes: str, **more) -> ClockSetup:
    usual = ClockSetup(
        id=new_id(), lanes=lanes or ("kiosk", "tablet"), task="violet", counted=(TOUCH_UPS, TORN), reaction_s=0.1,
        began_at="2026-11-27T08:00:00.000+00:00", rig=RIG[0], rig_facts=RIG[1],
    )  # fmt: skip
    return replace(usual, **more)


def act(at_s: float, do: str, lane: str = "kiosk", **more) -> Act:
    return Act(do=do, lane=lane, at_s=at_s, **more)


class Lanes(unittest.TestCase):
    def test_each_lane_starts_laps_and_stops_by_itself(self):
        clock = Clock(setup(), [
            act(1, START), act(3, START, "tablet"), act(5, LAP), act(6, STOP, "tablet"), act(8, LAP), act(9, STOP),
        ])  # fmt: skip
        kiosk, tablet = clock.lanes.runs
        self.assertEqual((kiosk.time_s, kiosk.lap_times_s), (8, [4, 3, 1]))
        self.assertEqual((tablet.time_s, tablet.lap_times_s), (3, []))

    def test_with_so_many_laps_one_key_starts_laps_and_stops(self):
        clock = Clock(setup("kiosk", laps=3))
        for at_s in (1, 3, 4, 6):
            self.assertTrue(clock.take(act(at_s, clock.lanes.next_of("kiosk"))))
        (run,) = clock.lanes.runs
        self.assertEqual((run.time_s, run.lap_times_s), (5, [2, 1, 2]))
        self.assertEqual(clock.lanes.next_of("kiosk"), START)

    def test_the_last_word_is_taken_back_whatever_it_was(self):
        clock = Clock(setup("kiosk"), [act(1, START), act(2, STOP), act(3, BACK)])
        self.assertIsNotNone(clock.lanes.running("kiosk"), "it goes on as if it had not been stopped")
        self.assertTrue(clock.take(act(4, STOP)))
        self.assertEqual([run.time_s for run in clock.lanes.runs], [3])
        for _ in range(2):
            self.assertTrue(clock.take(act(5, BACK)))
        self.assertEqual(clock.lanes.runs, [])
        self.assertFalse(clock.take(act(6, BACK)))

    def test_what_fits_nothing_changes_nothing(self):
        clock = Clock(setup("kiosk"))
        for one in (
            act(1, STOP),
            act(1, LAP),
            act(1, FAILED),
            act(1, COUNTED, name=TORN),
            act(1, START, "none"),
            act(1, ANEW),
        ):
            self.assertFalse(clock.take(one), one)
        clock.take(act(5, START))
        for one in (act(5, STOP), act(4, STOP), act(6, START), act(6, COUNTED, name="count.else")):
            self.assertFalse(clock.take(one), one)
        self.assertIsNone(clock.lanes.runs[0].ended_s)

    def test_that_a_run_failed_may_be_seen_while_it_runs_or_after(self):
        clock = Clock(setup("kiosk"), [act(1, START), act(4, FAILED), act(5, START), act(7, STOP), act(9, FAILED)])
        self.assertEqual([(run.failed, run.time_s) for run in clock.lanes.runs], [(True, 3), (True, 2)])

    def test_each_run_is_a_launch_unless_the_program_stays_up(self):
        runs = [act(2 * n + odd, (START, STOP)[odd]) for n in range(4) for odd in (0, 1)]
        self.assertEqual([run.launch for run in Clock(setup("kiosk"), runs).lanes.runs], [1, 2, 3, 4])
        anew = [*runs[:4], act(3.5, ANEW), *runs[4:]]
        kept = Clock(setup("kiosk", kept_running=True), anew)
        self.assertEqual([run.launch for run in kept.lanes.runs], [1, 1, 2, 2])


class Pressed(unittest.TestCase):
    def through(self, *at_s: float) -> list[float]:
        presses, found = Presses(), []
        for moment in sorted([*at_s, *(n / 50 for n in range(200))]):
            if moment in at_s:
                presses.come("1", moment)
            found += [at for _, at in presses.through(moment)]
        return found

    def test_a_press_comes_through_as_of_when_it_came(self):
        self.assertEqual(self.through(0.51, 1.03), [0.51, 1.03])

    def test_a_finger_that_bounces_has_pressed_once(self):
        self.assertEqual(self.through(0.51, 0.53), [0.51])

    def test_a_key_held_down_is_pressed_once_however_long(self):
        held = [0.513] + [1.013 + n * 0.033 for n in range(30)]
        self.assertEqual(self.through(*held), [0.513])
        self.assertEqual(self.through(*[0.513 + n * 0.1 for n in range(4)]), [])


class Hands(unittest.TestCase):
    def test_the_error_holds_the_bias_and_is_wider_of_few_trials(self):
        few, many = hand_of([0.2] * 5), hand_of([0.2] * 100)
        self.assertAlmostEqual(many.error_s, 0.2, delta=0.01)
        self.assertAlmostEqual(few.error_s, 0.2 * 2.5706 / 1.9600, places=3)  # Student's, 5 degrees of freedom
        self.assertEqual((few.bias_s, few.trials), (0.2, 5))

    def test_what_was_kept_is_found_and_nothing_else_is_believed(self):
        with TemporaryDirectory() as folder, mock.patch.dict("os.environ", environment(XDG_STATE_HOME=folder)):
            self.assertEqual(hand_on_file(), USUAL)
            hand = hand_of([0.1, 0.2, 0.05, 0.3, 0.15])
            path = keep_hand(hand)
            self.assertEqual(hand_on_file(), hand)
            for hostile in ('{"error_s": 1e-9, "bias_s": 0, "trials": 9}', '{"error_s": NaN, "bias_s": 0, "trials": 9}',
                            '{"error_s": 0.1, "bias_s": 1e400, "trials": 9}', "[" * 3000, "", '"x"', '{"error_s": "y"}',
                            '{"error_s": 0.1, "bias_s": 0, "trials": 1}', "\x00" * 5000):  # fmt: skip
                path.write_text(hostile)
                self.assertEqual(hand_on_file(), USUAL, hostile[:40])
            path.unlink()
            path.symlink_to("/dev/zero")
            self.assertEqual(hand_on_file(), USUAL)


class Kept(unittest.TestCase):
    def setUp(self) -> None:
        folder = TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = LogbookFolder(Path(folder.name) / "logbook")
        self.folder.make()

    def said(self, *acts: Act, of: ClockSetup | None = None) -> tuple[ClockSetup, Path]:
        """Have a clock say this and be killed."""
        chosen = of or setup()
        journal = ClockJournal.begun(self.folder, chosen)
        for one in acts:
            journal.write(one)
        journal._file.close()  # a process that is killed closes its files, and does nothing else
        return chosen, journal.path


ACTS = (
    act(1, START), act(2.5, LAP), act(4, STOP), act(4.5, COUNTED, name=TORN), act(5, FORESEEN, value=6.0),
    act(6, START, "tablet"), act(7, WARM_UP, "tablet"), act(9, STOP, "tablet"), act(10, START), act(12, FAILED),
    act(13, START, "tablet"),
)  # fmt: skip


class Journals(Kept):
    def test_a_clock_that_was_killed_comes_back_as_it_was(self):
        chosen, _ = self.said(*ACTS)
        ((_, clock),) = cut_off(self.folder)
        self.assertEqual(clock.setup, chosen)
        self.assertEqual(clock.lanes.runs, Clock(chosen, ACTS).lanes.runs)

    def test_wherever_it_was_cut_off_what_stands_before_counts(self):
        chosen, path = self.said(*ACTS)
        whole = path.read_bytes()
        first = whole.index(b"\n") + 1
        for end in range(first, len(whole)):
            path.write_bytes(whole[:end])
            ((_, clock),) = cut_off(self.folder)
            complete = whole[first:end].count(b"\n")
            # The last line may be whole but for its end, and counts then.
            wanted = [Clock(chosen, ACTS[:count]).lanes.runs for count in (complete, complete + 1)]
            self.assertIn(clock.lanes.runs, wanted)
        path.write_bytes(whole[: first - 5])
        self.assertEqual([clock for _, clock in cut_off(self.folder)], [None])

    def test_one_that_goes_on_is_left_alone(self):
        journal = ClockJournal.begun(self.folder, setup())
        self.assertEqual(list(cut_off(self.folder)), [])
        journal.close(filed=False)
        self.assertEqual(len(list(cut_off(self.folder))), 1)

    def test_no_line_makes_it_fall_over_or_believe_nonsense(self):
        _, path = self.said(*ACTS)
        lines = path.read_text().splitlines()
        rng = random.Random(11)
        odd = ["NaN", "-1", "1e999", '"x"', "null", "[]", "{}", '"\\u0000"', "1" * 400, "[" * 5000, '"faults.torn"']
        for number in range(1000):
            content = [dict(json.loads(line)) for line in lines]
            changed = content[rng.randrange(len(content))]
            texts = [json.dumps(one) for one in content]
            field = rng.choice(list(changed))
            place = content.index(changed)
            texts[place] = texts[place].replace(
                f'"{field}": {json.dumps(changed[field])}', f'"{field}": {rng.choice(odd)}'
            )
            path.write_text("\n".join(texts) + "\n")
            for _, clock in cut_off(self.folder):
                for run in clock.lanes.runs if clock is not None else ():
                    self.assertIn(run.lane, clock.setup.lanes)
                    self.assertTrue(run.time_s is None or (math.isfinite(run.time_s) and run.time_s > 0))
                if clock is not None and number % 20 == 0:
                    self.is_filed_and_read(clock)

    def is_filed_and_read(self, clock: Clock) -> None:
        with TemporaryDirectory() as folder, Logbook.make_or_open(Path(folder) / "logbook") as logbook:
            file_clock(logbook, clock)
            self.assertEqual(len(list(logbook.runs())), len(clock.lanes.runs))
            self.assertLessEqual(len(logbook.sessions()), 1)
            self.assertTrue(logbook.rigs() or not clock.lanes.runs)

    def test_a_link_or_a_pipe_in_its_place_is_not_followed(self):
        room = self.folder.path / "clock"
        room.mkdir()
        (room / "a.jsonl").symlink_to("/etc/passwd")
        import os

        os.mkfifo(room / "b.jsonl")
        self.assertEqual(list(cut_off(self.folder)), [])


class Filed(Kept):
    def file(self, clock: Clock):
        with self.folder.locked(), Logbook.make_or_open(self.folder.path) as logbook:
            return file_clock(logbook, clock)

    def test_everything_that_was_said_is_in_the_logbook_once(self):
        clock = Clock(setup(forms={"tablet": "quantized"}), ACTS)
        filed = self.file(clock)
        self.assertEqual((filed.runs, filed.reference), (4, "kiosk"))
        again = self.file(clock)
        self.assertEqual((again.runs, again.session), (0, filed.session), "a journal that outlived its filing")
        with Logbook.open(self.folder.path) as logbook:
            runs = list(logbook.runs())
            definitions = logbook.definitions()
            measured = {
                run.number: {definitions[one.definition].name: one.value for one in logbook.measurements_of(run.number)}
                for run in runs
            }
            laps = list(unpack_floats(logbook.details(runs[0].number).step_times_s))
        self.assertEqual(
            [(run.variant, run.form, run.status, run.time_s, run.source, run.warm_up) for run in runs],
            [("kiosk", "full", "finished", 3.0, "by-hand", False), ("tablet", "quantized", "finished", 3.0, "by-hand", True),
             ("kiosk", "full", "failed", 2.0, "by-hand", False), ("tablet", "quantized", "interrupted", None, "by-hand", False)],
        )  # fmt: skip
        self.assertEqual((laps, runs[0].steps, runs[0].step_time_s), ([1.5, 1.5], 2, 1.5))
        self.assertEqual((runs[0].forecast_low_s, runs[0].forecast_high_s), (6.0, 6.0))
        self.assertEqual([(run.round, run.place) for run in runs], [(1, 2), (1, 1), (2, 2), (2, 2)])
        self.assertTrue(runs[0].started_at.startswith("2026-11-27T08:00:01"))
        self.assertEqual(measured[1], {"time.reaction": 0.1, TOUCH_UPS: 0.0, TORN: 1.0})
        self.assertEqual(measured[4], {"time.reaction": 0.1}, "nothing is known of what did not come")

    def test_rounds_go_on_from_those_that_the_variants_had(self):
        for _ in range(2):
            self.file(Clock(setup("kiosk"), [act(1, START), act(3, STOP), act(4, START), act(7, STOP)]))
        with Logbook.open(self.folder.path) as logbook:
            self.assertEqual([run.round for run in logbook.runs()], [1, 2, 3, 4])

    def test_nothing_timed_is_no_session(self):
        self.assertEqual(self.file(Clock(setup())).runs, 0)
        with Logbook.open(self.folder.path) as logbook:
            self.assertEqual(list(logbook.sessions()), [])

    def test_a_setup_survives_its_way_through_json(self):
        chosen = setup(forms={"kiosk": "tuned"}, foreseen_s={"kiosk": 3.5}, laps=4, kept_running=True, name="monday")
        self.assertEqual(json.loads(json.dumps(asdict(chosen)))["lanes"], ["kiosk", "tablet"])
        self.said(of=chosen)
        ((_, clock),) = cut_off(self.folder)
        self.assertEqual(clock.setup, chosen)


if __name__ == "__main__":
    unittest.main()
