"""Events are hostile bytes until they are checked, and fold into what a run came to."""

import json
import random
import unittest

from unvek.core.run.events.event import LONGEST_LINE_BYTES, LineSplitter, NotAnEventError, parse_event
from unvek.core.run.events.recording import Recording

MS = 1_000_000


def line(event: str, at_ms: float, **fields: object) -> bytes:
    return json.dumps({"event": event, "at_ns": round(at_ms * MS), **fields}).encode()


def recorded(*lines: bytes, stopped_ms: float = 0) -> object:
    recording = Recording()
    for each in lines:
        recording.take(parse_event(each))
    return recording.progress(round(stopped_ms * MS))


class Parsing(unittest.TestCase):
    def test_what_is_no_event_is_refused_and_never_crashes(self):
        for bad in (b"", b"nonsense", b"[1]", b"3", b'"step"', b"\xff\xfe", b"[" * 100_000, b'{"event":"step"}',
                    b'{"event":"steps","at_ns":1}', b'{"event":["step"],"at_ns":1}', b'{"event":"step","at_ns":-1}',
                    b'{"event":"step","at_ns":1.5}', b'{"event":"step","at_ns":true}', b'{"event":"step","at_ns":1e400}',
                    b'{"event":"ended","at_ns":1,"status":"x","cpu_s":1' + b"0" * 400 + b"}", b'{"event":"phase","at_ns":1}',
                    b'{"event":"value","at_ns":1,"name":"x","number":"3"}', b'{"event":"step","at_ns":1,"of":-4}',
                    b'{"event":"token","at_ns":1,"n":' + b"9" * 5000 + b"}"):  # fmt: skip
            with self.subTest(bad[:60]), self.assertRaises(NotAnEventError):
                parse_event(bad)

    def test_random_bytes_are_refused_or_understood(self):
        rng = random.Random(3)
        seeds = [line("step", 1, of=20), line("value", 2, name="a", number=1.5), line("ended", 3, status="finished")]
        understood = 0
        for _ in range(3000):
            garbled = bytearray(rng.choice(seeds))
            for _ in range(rng.randint(1, 4)):
                garbled[rng.randrange(len(garbled))] = rng.randrange(256)
            try:
                understood += parse_event(bytes(garbled)).kind in ("step", "value", "ended")
            except NotAnEventError:
                continue
        self.assertGreater(understood, 0)

    def test_lines_are_cut_however_the_bytes_come(self):
        data = b"one\n\ntwo\nthr"
        for size in (1, 2, 3, 50):
            splitter = LineSplitter()
            found = [each for start in range(0, len(data), size) for each in splitter.feed(data[start : start + size])]
            self.assertEqual([*found, *splitter.feed(b"ee\n")], [b"one", b"two", b"three"])

    def test_a_giant_line_is_dropped_without_being_kept(self):
        splitter = LineSplitter()
        found = list(splitter.feed(b"first\n"))
        for _ in range(50):
            found += splitter.feed(b"x" * LONGEST_LINE_BYTES)
        found += splitter.feed(b"tail\nlast\n")
        self.assertEqual((found, splitter.dropped), ([b"first", b"last"], 1))

    def test_the_frequent_lines_mean_the_same_with_and_without_the_short_way(self):
        for text in ("plain", 'with \\ and " and \n', "grün", ""):
            for event, fields in (("step", {}), ("token", {"n": 2, "text": text})):
                compact = json.dumps({"event": event, "at_ns": 5, **fields}, separators=(",", ":")).encode()
                self.assertEqual(parse_event(compact)[:3], parse_event(compact.replace(b":", b": "))[:3], text)
        with self.assertRaises(NotAnEventError):
            parse_event(b'{"event":"token","at_ns":0,"n":1,"text":3}')

    def test_fuzzed_streams_fold_into_something_that_can_be_kept(self):
        rng = random.Random(11)
        kinds = [line("began", 1), line("step", 2), line("phase", 3, name="steps"), line("token", 4, text="a", n=3),
                 line("value", 5, name="v", number=1.5), line("memory", 6, device_bytes=7), line("fault", 7, kind="k"),
                 line("packages", 7, versions={"a": "1"}, modules={}, threads={}), b'{"event":"step","at_ns":NaN}']  # fmt: skip
        for _ in range(60):
            recording, splitter = Recording(), LineSplitter()
            stream = b"\n".join(_garbled(rng, rng.choice(kinds)) for _ in range(200)) + b"\n"
            for start in range(0, len(stream), 777):
                for each in splitter.feed(stream[start : start + 777]):
                    try:
                        recording.take(parse_event(each))
                    except NotAnEventError:
                        continue
            progress = recording.progress(stopped_ns=rng.randrange(2**62))
            self.assertTrue(progress.time_s is None or progress.time_s >= 0)
            self.assertTrue(all(step >= 0 for step in progress.step_times_s))
            json.dumps([progress.phases_s, progress.faults, progress.text], allow_nan=False).encode()

    def test_a_great_many_steps_take_little_room(self):
        recording = Recording()
        recording.take(parse_event(line("began", 0)))
        for place in range(200_000):
            recording.take(parse_event(b'{"event":"step","at_ns":%d}' % (place + 1)))
        progress = recording.progress(stopped_ns=2_000_000)
        self.assertEqual((len(progress.step_times_s), progress.step_times_s[-1]), (200_000, 1e-9))
        self.assertEqual(progress.step_times_s.itemsize, 8)


def _garbled(rng: random.Random, each: bytes) -> bytes:
    if rng.random() < 0.7:
        return each.replace(b'"at_ns": ', b'"at_ns": %d' % rng.randrange(1, 99))
    cut = bytearray(each * rng.choice((1, 1, 2)))
    for _ in range(rng.randint(1, 3)):
        cut[rng.randrange(len(cut))] = rng.randrange(256)
    return bytes(cut)


class Folding(unittest.TestCase):
    def test_a_step_lasts_from_the_boundary_before_it(self):
        progress = recorded(
            line("began", 100), line("phase", 130, name="steps"), line("step", 140), line("step", 155),
            line("phase", 160, name="decode"), line("step", 165), line("ended", 180, status="finished", cpu_s=0.07),
        )  # fmt: skip
        self.assertEqual([round(s, 6) for s in progress.step_times_s], [0.010, 0.015, 0.005])
        self.assertEqual({k: round(v, 6) for k, v in progress.phases_s}, {"start": 0.03, "steps": 0.03, "decode": 0.02})
        self.assertAlmostEqual(progress.time_s, 0.08)
        self.assertAlmostEqual(progress.first_s, 0.04)
        self.assertEqual(progress.cpu_s, 0.07)

    def test_a_run_that_is_cut_off_lasts_until_it_was_stopped(self):
        progress = recorded(line("began", 100), line("step", 140), stopped_ms=500)
        self.assertAlmostEqual(progress.time_s, 0.4)
        self.assertEqual(len(progress.step_times_s), 1)
        self.assertIsNone(recorded(stopped_ms=9).time_s)

    def test_a_request_that_never_ended_has_failed(self):
        progress = recorded(
            line("began", 0), line("sent", 1, stream=1, client=0, due_ns=0), line("sent", 1, stream=2, client=1, due_ns=0),
            line("token", 2, stream=1, text="a"), line("answered", 3, stream=1, code=200), line("token", 4, stream=2, text="b"),
            stopped_ms=500,
        )  # fmt: skip
        self.assertEqual([request.failed for request in progress.requests], [False, True])
        self.assertEqual({v.name: v.number for v in progress.values}["requests.failed"], 0.5)

    def test_a_clock_that_runs_backwards_makes_no_negative_time(self):
        progress = recorded(
            line("began", 100), line("step", 50), line("step", 120), line("ended", 60, status="finished")
        )
        self.assertEqual([round(s, 6) for s in progress.step_times_s], [0.0, 0.02])
        self.assertAlmostEqual(progress.time_s, 0.02)

    def test_what_a_run_reports_is_kept(self):
        progress = recorded(
            line("began", 0), line("token", 1, text="a", n=2), line("token", 2, text="b"), line("text", 3, text="c"),
            line("value", 4, name="warmth", number=3, unit="K"), line("count", 5, name="calls", n=2),
            line("count", 6, name="calls"), line("fault", 7, kind="retry"), line("output", 8, name="label.png"),
            line("memory", 9, device_bytes=7), line("memory", 9, device_bytes=5), line("ended", 10, status="finished"),
            line("token", 11, text="too late"),
        )  # fmt: skip
        self.assertEqual((progress.tokens, progress.text), (3, "abc"))
        self.assertEqual(
            {v.name: (round(v.number, 9), v.unit) for v in progress.values},
            {
                "warmth": (3, "K"),
                "count.calls": (3, ""),
                "gap.median": (0.001, "s"),
                "gap.p99": (0.001, "s"),
                "rate.tokens": (1000, "/s"),
            },
        )
        self.assertEqual((progress.faults, progress.outputs), ((("retry", ""),), ("label.png",)))
        self.assertEqual(progress.memory_device_bytes, 7)


if __name__ == "__main__":
    unittest.main()
