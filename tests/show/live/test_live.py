"""The live view: a state that follows the journal, a screen that always fits, and a process that draws it."""

import base64
import json
import unittest
from dataclasses import replace

from tests.support import QUICK, SLOW, ProjectTest, task
from tests.terminal import Terminal
from unvek.core.run.events.record import RunStart
from unvek.core.run.journal.entries import Entry, Over, PlanBegins, RunBegins, RunKept
from unvek.core.run.journal.journal import Journal, JournalReader
from unvek.show.live.screen import draw
from unvek.show.live.state import LiveState
from unvek.show.terminal.half_blocks import half_blocks

MS = 1_000_000


def beginning(variants: int = 2, planned: int = 8, **also) -> PlanBegins:
    names = tuple((f"variant-{n}", "full" if n == 0 else "quantized") for n in range(variants))
    begun = PlanBegins(
        title="Which \x1b[31mpainter?", path="plan.toml", reference="variant-0", variants=names, rounds=2, planned=planned,
        pending={"variant-0": planned - 1}, controls="1.controls", earlier=(("variant-0", 0.2, "finished", False),),
        rig={"processor": "a processor", "cores": 2, "memory_bytes": 2**34},
    )  # fmt: skip
    return replace(begun, **also)


def run_entry(variant: str = "variant-1", at_ns: int = 5 * MS, steps: int | None = 20, **start) -> RunBegins:
    known = RunStart(
        cell="c", launch=1, place=1, variant=variant, form="full", task="violet", seed=3, round=1, repeat=2, warm_up=False,
        settings={}, started_at="2026-11-23T10:00:00.000+00:00",
    )  # fmt: skip
    return RunBegins(start=replace(known, **start), at_ns=at_ns, steps=steps, prompt="a violet flower", forecast_s=(0.2, 0.4),
                     memory_limit_bytes=2**27, left_s=(3.0, 4.0))  # fmt: skip


def kept_entry(variant: str = "variant-1", status: str = "finished", warm_up: bool = False) -> RunKept:
    return RunKept(
        at_ns=300 * MS, run=7, launch=1, place=1, variant=variant, task="violet", seed=3, round=1, repeat=2, warm_up=warm_up,
        status=status, error="it is what it is", time_s=0.1, steps=20, memory_peak_bytes=40_000_000,
    )  # fmt: skip


def state_after(*contents: Entry | dict) -> LiveState:
    state = LiveState()
    for content in contents:
        state.take(content)
    return state


class SoFar(unittest.TestCase):
    def after(self, rounds: int, width: int = 120, cold: bool = False) -> str:
        """What the foot says after so many rounds, of one half as fast, one alike but for noise, and the reference."""
        contents: list[Entry] = [beginning(variants=3)]
        for number in range(1, rounds + 1):
            for launch, (name, time_s) in enumerate(
                (("variant-0", 0.1), ("variant-1", 0.05), ("variant-2", 0.1)), 3 * number
            ):
                noise = (1 + 0.05 * (number % 3)) if name == "variant-2" else 1 + 0.001 * (number % 2)
                entry = replace(kept_entry(name), round=number, launch=launch, time_s=time_s * noise)
                contents.append(replace(entry, place=1, time_s=9.0) if not cold else replace(entry, place=1))
                contents += [replace(entry, place=place, seed=place) for place in (2, 3) if not cold]
        contents.append(Over(at_ns=10**9, stopped=False))
        return draw(state_after(*contents), width, 24, 10**9)[-2].plain.strip()

    def test_it_says_what_the_table_would_from_the_second_round_on(self):
        self.assertEqual(self.after(1), "", "one round knows nothing of how launches differ")
        said = self.after(4)
        self.assertEqual(
            said,
            "so far variant-1 is faster, variant-2 is open against variant-0; what counts is the table when all rounds are done",
        )
        self.assertTrue(
            self.after(4, cold=True).startswith("so far variant-1 is faster"), "programs have cold runs only"
        )

    def test_in_a_narrow_window_it_says_how_many(self):
        said = self.after(4, width=80)
        self.assertEqual(said, "so far 1 faster, 1 open; what counts is the table when all rounds are done")


class State(unittest.TestCase):
    def test_steps_and_phases_are_followed_within_a_run(self):
        state = state_after(
            beginning(), run_entry(), {"event": "began", "at_ns": 10 * MS}, {"event": "phase", "at_ns": 20 * MS, "name": "steps"},
            {"event": "step", "at_ns": 30 * MS, "of": 4}, {"event": "step", "at_ns": 45 * MS},
            {"event": "token", "at_ns": 46 * MS, "n": 2, "text": "ab"},
        )  # fmt: skip
        now = state.now
        self.assertEqual([round(s, 6) for s in now.step_times_s], [0.010, 0.015])
        self.assertEqual((now.steps_of, now.phase, now.tokens, now.text), (4, "steps", 2, "ab"))

    def test_a_run_is_shown_until_the_next_one_has_something_to_show(self):
        step = {"event": "step", "at_ns": 30 * MS}
        state = state_after(beginning(), run_entry(seed=1), step, {"event": "ended", "at_ns": 40 * MS})
        state.take(run_entry(seed=2, at_ns=50 * MS))
        self.assertEqual((state.run_shown(60 * MS).start.seed, state.run_shown(2000 * MS).start.seed), (1, 2))
        state.take({**step, "at_ns": 70 * MS})
        self.assertEqual(state.run_shown(80 * MS).start.seed, 2)

    def test_what_is_done_is_counted_and_warm_ups_and_failures_kept_apart(self):
        state = state_after(beginning(), kept_entry(warm_up=True), kept_entry(), kept_entry(status="failed"))
        shown = state.variants["variant-1"]
        self.assertEqual(
            (state.done, list(shown.times_s), list(shown.warm_up_times_s), shown.failed), (3, [0.1], [0.1], 1)
        )
        self.assertIn("failed, it is what it is", state.news)
        state.take(run_entry())
        self.assertEqual(state.time_left_s(1005 * MS), (2.0, 3.0))

    def test_lines_that_are_not_what_they_seem_do_no_harm(self):
        state = state_after(
            beginning(), run_entry(), {"event": "step", "at_ns": 1, "entry": "over"}, {"event": "step"}, kept_entry("nobody"),
            {"event": "preview", "at_ns": 1, "width": 2, "height": 2, "rgb": "!!"},
            {"event": "preview", "at_ns": 1, "width": 10**6, "height": 10**6, "rgb": ""}, {}, {"event": 3, "at_ns": "x"},
        )  # fmt: skip
        self.assertFalse(state.over)
        self.assertIsNone(state.preview)


class Screen(unittest.TestCase):
    def state(self, variants: int) -> LiveState:
        rgb = base64.b64encode(bytes(range(256)) * 27).decode()
        return state_after(
            beginning(variants), kept_entry("variant-0"), kept_entry("variant-1", "failed"), run_entry(),
            {"event": "began", "at_ns": 10 * MS}, {"event": "step", "at_ns": 30 * MS},
            {"event": "preview", "at_ns": 31 * MS, "width": 48, "height": 48, "rgb": rgb},
            {"event": "text", "at_ns": 32 * MS, "text": "\x1b[2Jwater \nweekly"},
        )  # fmt: skip

    def test_it_fits_every_window_and_shows_the_three_bands(self):
        for variants in (2, 8, 30):
            for width, height in ((80, 24), (200, 60), (100, 18), (141, 44)):
                with self.subTest(variants=variants, size=(width, height)):
                    lines = draw(self.state(variants), width, height, 60 * MS)
                    self.assertLessEqual(len(lines), height)
                    self.assertTrue(all(line.cell_len <= width for line in lines))
                    text = "\n".join(line.plain for line in lines)
                    self.assertEqual(text.count("variant-1, violet, seed 3"), 2, "the news, and under the preview")
                    for words in ("3 of 8 runs", "violet, seed 3", "step 1 of 20", "variant-0"):
                        self.assertIn(words, text)
                    self.assertNotIn("\x1b", text)

    def test_a_run_of_many_requests_is_summed_up_and_the_first_answer_shown(self):
        state = state_after(
            beginning(), run_entry(steps=None, varied={"clients": 3}), {"event": "began", "at_ns": 10 * MS},
            *({"event": "sent", "at_ns": 10 * MS, "stream": n} for n in (1, 2, 3)),
            {"event": "token", "at_ns": 20 * MS, "n": 1, "text": "water ", "stream": 1},
            {"event": "token", "at_ns": 25 * MS, "n": 1, "text": "never shown ", "stream": 2},
            {"event": "token", "at_ns": 40 * MS, "n": 2, "text": "it", "stream": 1},
            {"event": "answered", "at_ns": 41 * MS, "stream": 3, "error": "busy", "code": 429},
        )  # fmt: skip
        text = "\n".join(line.plain for line in draw(state, 100, 30, 60 * MS))
        for words in ("violet, seed 3, clients 3", "3 requests sent, 2 under way, 1 failed", "4 tokens, 100 a second, the first after 10 ms",
                      "water it"):  # fmt: skip
            self.assertIn(words, text)
        self.assertNotIn("never shown", text)
        self.assertNotIn("no step yet", text)

    def test_before_the_first_entry_and_after_the_last_it_says_so(self):
        self.assertIn("starting", "\n".join(line.plain for line in draw(LiveState(), 80, 24, 0)))
        over = state_after(beginning(), Over(at_ns=9, stopped=False))
        self.assertIn("all runs are made", "\n".join(line.plain for line in draw(over, 80, 24, 0)))

    def test_a_preview_keeps_its_proportions_and_its_colours(self):
        red_over_blue = bytes([255, 0, 0] * 4 + [0, 0, 255] * 4)
        lines = half_blocks(4, 2, red_over_blue, columns=10, rows=10)
        self.assertEqual([line.plain for line in lines], ["▀▀▀▀"])
        style = lines[0].spans[0].style
        self.assertEqual((style.color.triplet.hex, style.bgcolor.triplet.hex), ("#ff0000", "#0000ff"))
        small = half_blocks(48, 48, bytes(48 * 48 * 3), columns=100, rows=6)
        self.assertEqual((len(small), len(small[0].plain)), (6, 12))


class JournalFile(ProjectTest):
    def test_a_line_that_is_half_written_is_left_for_later(self):
        journal = Journal(self.folder / "journal" / "1.jsonl")
        reader = JournalReader(journal.path)
        journal.tell(beginning())
        with open(journal.path, "ab") as file:
            file.write(b'{"event":"st')
            file.flush()
            self.assertEqual([content.entry for content in reader.read()], ["plan"])
            file.write(b'ep","at_ns":1}\nnot json\n')
        self.assertEqual(reader.read(), [{"event": "step", "at_ns": 1}])
        journal.close()
        reader.close()

    def test_everything_said_is_in_the_journal_in_its_order(self):
        self.write_plan(SLOW, task(seeds=(1,)))
        self.unvek("run")
        (journal,) = (self.folder / "logbook" / "journal").iterdir()
        lines = journal.read_text().splitlines()
        said = [content.get("entry") or content["event"] for content in map(json.loads, lines)]
        self.assertEqual(said, ["plan", "launch", "run", "began", "phase", "step", "step", "step", "phase", "value", "count",
                                "fault", "output", "ended", "kept", "over"])  # fmt: skip


class OnATerminal(ProjectTest):
    def on_a_terminal(self, *arguments: str, keys: bytes = b"", **more: str) -> tuple[int, str]:
        """Run the program on a terminal, press keys once it draws; return its exit code and all that it drew."""
        with Terminal(*arguments, folder=self.folder, **more) as terminal:
            for key in keys.decode():
                terminal.until(", seed ")
                terminal.press(key)
            return terminal.end(), terminal.drawn

    def test_the_live_view_is_drawn_and_the_terminal_given_back(self):
        self.write_plan(SLOW.replace("0.006", "0.05"), QUICK, task(), rounds=3)
        code, drawn = self.on_a_terminal("run")
        self.assertEqual(code, 0, drawn[-2000:])
        self.assertIn("\x1b[?1049h", drawn)
        self.assertRegex(drawn, "round [123] of 3")
        self.assertGreater(drawn.rindex("\x1b[?1049l"), drawn.rindex("quick"))
        self.assertIn("12 runs made", drawn.rpartition("\x1b[?1049l")[2])
        self.assertNotIn("Traceback", drawn)
        self.assertEqual(self.statuses(), ["finished"] * 12)

    def test_no_token_moves_the_cursor_or_colours_the_terminal(self):
        hostile = "x\\x1b]0;owned\\x07\\x9b5A\\x1b[97;41mred\\r\\n\\x1bc\\x1b[7;7Hthere "
        self.write("model.py", "import time\ndef load(v): pass\ndef run(m, j, probe):\n    probe.phase('\\x1b[97;41mphase')\n"
                   f"    for _ in range(90):\n        probe.token('{hostile}')\n        time.sleep(0.05)\n")  # fmt: skip
        self.write_plan(SLOW, task(seeds=(1,)))
        for arguments in (("run",), ("run", "--plain", "--afresh"), ("try",), ("show", "1")):
            code, drawn = self.on_a_terminal(*arguments)
            self.assertEqual(code, 0, drawn[-2000:])
            for sequence in ("\x1b]0;", "\x9b", "\x1b[5A", "\x1b[97;41m", "\x1bc", "\x1b[7;7H", "\x07"):
                self.assertNotIn(sequence, drawn)
            if arguments != ("run", "--plain", "--afresh"):
                self.assertIn("there", drawn)

    def test_a_key_stops_after_the_run_in_progress_and_the_terminal_is_put_back(self):
        self.write_plan(SLOW.replace("0.006", "0.1"), task(seeds=range(1, 60)))
        code, drawn = self.on_a_terminal("run", keys=b"la")
        self.assertEqual(code, 130, drawn[-2000:])
        self.assertIn("what this launch has printed", drawn)
        self.assertTrue(0 < len(self.statuses()) < 59)
        self.assertTrue(set(self.statuses()) == {"finished"})

    def test_a_view_that_is_quit_lets_the_runs_go_on(self):
        self.write_plan(SLOW.replace("0.006", "0.1"), task(seeds=range(1, 9)))
        code, drawn = self.on_a_terminal("run", keys=b"q")
        self.assertEqual(code, 0, drawn[-2000:])
        self.assertIn("The runs go on: 'unvek watch' shows them again", drawn)
        self.assertEqual(self.statuses(), ["finished"] * 8)

    def test_watching_from_another_terminal_draws_the_same_and_leaves_the_last_state(self):
        self.write_plan(SLOW.replace("0.006", "0.1"), task(seeds=range(1, 60)))
        self.start("run", "--plain").stderr.readline()
        code, drawn = self.on_a_terminal("watch", keys=b"a")
        self.assertEqual(code, 0, drawn[-2000:])
        left = drawn.rpartition("\x1b[?1049l")[2]
        for words in ("Which painter?", "of 59 runs, done", "stopped; all that was made is kept"):
            self.assertIn(words, left)
        self.assertTrue(0 < len(self.statuses()) < 59, "a watcher may ask")

    def test_without_colour_none_is_drawn(self):
        self.write_plan(SLOW.replace("0.006", "0.1"), task(seeds=range(1, 4)))
        _, drawn = self.on_a_terminal("run", NO_COLOR="1")
        self.assertIn("round 1 of 1", drawn)
        self.assertNotRegex(drawn, r"\x1b\[[0-9;]*[34]8;")

    def test_plain_lines_are_drawn_nowhere(self):
        self.write_plan(SLOW, task())
        code, drawn = self.on_a_terminal("run", "--plain")
        self.assertEqual(code, 0)
        self.assertNotIn("\x1b[?1049h", drawn)
        self.assertIn("2/2  slow  violet, seed 2  round 1.1", drawn)


if __name__ == "__main__":
    unittest.main()
