"""The viewer follows a journal over its parts, trusts nothing that stands in it, and says what the engine is asked."""

import base64
import io
import json
import unittest
from dataclasses import replace

from rich.console import Console

from tests.show.live.test_live import MS, beginning, kept_entry, run_entry, state_after
from tests.support import ProjectTest
from unvek.core.run.journal.entries import Entry, GoesOn, LaunchBegins, Looked, Over, Paused, entry_as_json, read_entry
from unvek.core.run.journal.journal import Journal, JournalReader, latest_journal
from unvek.show.live.plain import PlainLines
from unvek.show.live.screen import draw
from unvek.show.live.viewer import Viewer


def text_of(state, width: int = 100, height: int = 40) -> str:
    return "\n".join(line.plain for line in draw(state, width, height, 60 * MS))


class Parts(ProjectTest):
    def test_a_journal_that_has_grown_is_continued_and_followed(self):
        journal = Journal(self.folder / "2026-001.jsonl", largest_bytes=2000)
        journal.begin_again = beginning
        reader = JournalReader(journal.path)
        late = None
        for place in range(60):
            journal.tell(LaunchBegins(launch=place, variant="variant-0", round=1, log="L.log"))
            journal.pass_on([b'{"event":"step","at_ns":%d}' % place])
            late = late or (JournalReader(latest_journal(self.folder)) if place == 50 else None)
        journal.close()
        parts = sorted(path.name for path in self.folder.glob("2026*.jsonl"))
        self.assertGreater(len(parts), 2)
        found = []
        while entries := reader.read():
            found += entries
        self.assertEqual([entry["at_ns"] for entry in found if not isinstance(entry, Entry)], list(range(60)))
        self.assertEqual(latest_journal(self.folder).name, parts[-1])
        self.assertEqual(late.read()[0].entry, "plan", "who comes late learns where things stand")
        reader.close()
        late.close()

    def test_a_next_part_that_leads_elsewhere_is_not_followed(self):
        (self.folder / "below").mkdir()
        (self.folder / "secret.jsonl").write_text('{"entry": "paused", "at_ns": 1}\n')
        journal = self.folder / "below" / "1.jsonl"
        for name in ("../secret.jsonl", "/etc/passwd", "\0", "2.jsonl"):
            journal.write_text(json.dumps({"entry": "continued", "at_ns": 1, "into": name}) + "\n")
            reader = JournalReader(journal)
            self.assertEqual((reader.read(), reader.read()), ([], []))
            reader.close()


class Trust(ProjectTest):
    def viewer(self, **more: object) -> Viewer:
        (self.folder / "journal").mkdir()
        (self.folder / "logs").mkdir()
        journal = self.folder / "journal" / "1.jsonl"
        lines = [
            beginning(**more),
            LaunchBegins(launch=1, variant="variant-0", round=1, log="/x/../L1.log"),
        ]
        journal.write_text("".join(json.dumps(entry_as_json(line)) + "\n" for line in lines))
        viewer = Viewer(journal, Console(file=io.StringIO(), width=100, height=30), goes_on=lambda: False)
        viewer._read()
        self.addCleanup(viewer._reader.close)
        return viewer

    def test_wishes_go_into_the_file_beside_the_journal_and_nowhere_else(self):
        viewer = self.viewer()
        controls = self.folder / "journal" / "1.controls"
        viewer._on_key("s")
        self.assertEqual(viewer.state.news, "nobody hears: skip")
        controls.touch()
        for key in "spp":
            viewer._on_key(key)
        viewer.state.paused = True
        viewer._on_key("p")
        self.assertEqual(controls.read_text().splitlines(), ["skip", "pause", "go on", "go on"])

    def test_a_journal_that_names_another_file_gets_nothing_written(self):
        diary = self.write("diary", "dear diary\n")
        viewer = self.viewer(controls="../diary")
        viewer._on_key("s")
        self.assertEqual((diary.read_text(), viewer.state.news), ("dear diary\n", "nobody hears: skip"))

    def test_the_log_is_looked_for_in_the_logbook_only(self):
        viewer = self.viewer()
        (self.folder / "logs" / "L1.log").write_text("first\n\x1b[31mlast\n")
        self.assertEqual(viewer._log_lines(), ["first", "\x1b[31mlast"])
        viewer._on_key("l")
        viewer.state.log_lines = viewer._log_lines()
        self.assertIn("last", text_of(viewer.state))
        self.assertNotIn("\x1b", text_of(viewer.state))
        viewer.state.log = "/etc/passwd"
        self.assertEqual(viewer._log_lines(), [])


class Words(unittest.TestCase):
    def test_memory_stands_against_its_limit_and_disturbers_are_named(self):
        look = Looked(at_ns=20 * MS, memory_bytes=2**26, device_bytes=2**20, others_share=0.75)
        text = text_of(state_after(beginning(), run_entry(), look))
        for words in (
            "memory 64.0 MiB of 128 MiB  ━━━━━━──────",
            "on the accelerator 1.0 MiB",
            "others keep 0.8 cores busy",
        ):
            self.assertIn(words, text)
        self.assertNotIn(
            "others keep", text_of(state_after(beginning(), run_entry(), replace(look, others_share=0.01)))
        )

    def test_the_forecast_stands_until_steps_tell_more(self):
        state = state_after(beginning(), run_entry(), {"event": "began", "at_ns": 10 * MS})
        self.assertIn("50 ms elapsed, 150 to 350 ms left", text_of(state))
        state.take({"event": "step", "at_ns": 30 * MS, "of": 4})
        self.assertIn("50 ms elapsed, about 60 ms left", text_of(state))

    def test_pauses_and_the_end_are_said_and_keys_shown_where_there_are_some(self):
        state = state_after(beginning(), run_entry())
        self.assertIn("Ctrl-C skips this run", text_of(state))
        state.keys, state.asked = True, "pause"
        self.assertIn("pauses after this run", text_of(state))
        state.take(Paused())
        self.assertRegex(text_of(state), "  paused\\n(.|\\n)*p go on")
        state.take(GoesOn())
        self.assertIn("p pause", text_of(state))
        state.take(Over(stopped=True))
        self.assertIn("stopped; all that was made is kept", text_of(state))

    def test_a_slow_link_is_spared_the_picture(self):
        rgb = base64.b64encode(bytes(48 * 48 * 3)).decode()
        preview = {"event": "preview", "at_ns": 31 * MS, "width": 48, "height": 48, "rgb": rgb}
        state = state_after(beginning(), run_entry(), preview)
        self.assertIn("▀", text_of(state))
        state.slow_link = True
        self.assertNotIn("▀", text_of(state))
        self.assertIn("variant-1", text_of(state))

    def test_a_tall_window_lists_what_was_just_made_the_newest_first(self):
        state = state_after(beginning(), kept_entry("variant-0"), kept_entry("variant-1", "failed"))
        text = text_of(state, height=50)
        made = text[text.index("just made") :]
        self.assertLess(made.index("variant-1"), made.index("variant-0"))
        self.assertIn("failed", made)

    def test_a_skipped_run_is_no_failure(self):
        state = state_after(beginning(), kept_entry("variant-1", "skipped"))
        self.assertEqual((state.variants["variant-1"].failed, len(state.variants["variant-1"].failed_times_s)), (0, 0))


class Lines(unittest.TestCase):
    def test_when_nobody_reads_any_more_the_runs_go_on(self):
        class Gone(io.StringIO):
            def write(self, text: str) -> int:
                raise OSError(5, "Input/output error")

        lines = PlainLines(Gone())
        lines.hear(Paused())
        lines.hear(GoesOn())

    def test_what_is_left_is_said_as_a_range(self):
        stream = io.StringIO()
        PlainLines(stream).hear(beginning(left_s=(60, 90)))
        self.assertIn("1 of them done before; 60 to 90 s to go", stream.getvalue())


class Entries(unittest.TestCase):
    def test_what_is_written_comes_back_as_it_was(self):
        for entry in (beginning(left_s=(1.0, 2.0)), run_entry(varied={"steps": 3}), kept_entry(), Over(stopped=True)):
            self.assertEqual(read_entry(json.loads(json.dumps(entry_as_json(entry)))), entry)

    def test_what_a_journal_should_not_hold_is_none(self):
        whole = entry_as_json(kept_entry())
        for content in (
            {"entry": "kept"}, {**whole, "seed": "3"}, {**whole, "warm_up": 1}, {**whole, "varied": [1]}, {}, {"entry": ["x"]},
            {**whole, "entry": "__init__"}, {**entry_as_json(beginning()), "pending": 3}, {**entry_as_json(run_entry()), "start": None},
        ):  # fmt: skip
            self.assertIsNone(read_entry(content), content)
        self.assertEqual(read_entry({**whole, "of a later version": 1}), kept_entry())


if __name__ == "__main__":
    unittest.main()
