"""The doors through which something comes in that others have made, each with garbled things to put through it.

A try garbles something that is right, and puts it through the door. The door may refuse it in its own words; any other
error is a fault, as is a result that can't be. `bench_fuzz.py` makes thousands of tries, the tests hundreds.
"""

import fcntl
import io
import json
import os
import random
import struct
import warnings
import zipfile
from collections.abc import Callable, Mapping
from contextlib import redirect_stdout
from pathlib import Path
from tempfile import TemporaryDirectory
from types import SimpleNamespace

import httpx
import numpy as np
from PIL import Image

from unvek.core.ask.answer import Answer, AnswerError, Reading, WholeAnswer
from unvek.core.ask.body import Body, BodyError
from unvek.core.ask.connection import LARGEST_HEAD_BYTES, Arrivals
from unvek.core.ask.framing import FramingError
from unvek.core.ask.question import Question
from unvek.core.ask.secrets import Secrets
from unvek.core.errors import UnvekError
from unvek.core.evidence.gathering import gather
from unvek.core.evidence.outputs.arrays import numbers_of, scores_of
from unvek.core.evidence.outputs.sounds import sound_of
from unvek.core.evidence.outputs.source import OutputError
from unvek.core.exchange.files import write_csv
from unvek.core.exchange.importing import import_timings
from unvek.core.findings.comparison.comparison import compare
from unvek.core.findings.comparison.found import Comparison
from unvek.core.logbook.store import Logbook
from unvek.core.measures.definition import Definition
from unvek.core.pictures import NoPictureError, open_frames, open_picture
from unvek.core.plain_text import clean
from unvek.core.plan.names import is_name
from unvek.core.plan.reading.plan import read_plan
from unvek.core.run import machine_lock
from unvek.core.run.engine.hearing import Hearing
from unvek.core.run.events.event import LineSplitter, NotAnEventError, parse_event
from unvek.core.run.events.record import FINISHED, Provenance, RunRecord, RunStart
from unvek.core.run.events.recording import Recording
from unvek.core.run.events.sieve import Sieve
from unvek.core.run.journal.journal import JournalReader
from unvek.core.run.runners.ring import RingReader
from unvek.core.session.measuring.asking import NoAnswerError, answer_in, outcomes_of
from unvek.core.session.measuring.wanted import Job
from unvek.core.session.measuring.working_out import work_out
from unvek.core.session.recovery import recover_run
from unvek.demo import PROJECT
from unvek.probe.probe import HEADER_BYTES, ROOM_BYTES, EventRing
from unvek.show.live.screen import draw
from unvek.show.live.state import LiveState
from unvek.show.picture.tiles.waves import draw_sound
from unvek.show.results.comparison import COMPARISON
from unvek.show.terminal.views import FORMATS, put

TOKENS = (
    b"", b"0", b"-1", b"1e308", b"1e-320", b"NaN", b"Infinity", b"9" * 400, b"null", b"true", b"[]", b"{}", b"[" * 2000,
    b'"', b"'", b"\\", b"\\ud800", b"\\u0000", b"\0", b"\xff", b"\x1b[2J", b"\r\n", b"\n\n", b"\t", b",", b":", b"=",
    b"%", b"../", b"\xe2\x80\xae", b"x" * 5000, b"\xef\xbb\xbf", b"18446744073709551616", b"-0", b"1_000", b"0x10",
)  # fmt: skip

ODD = (
    [], {}, [[]], {"a": [1]}, "\ud800", "x\0y", 1e308, -1e308, 1e-320, 10**400, -1, 0, True, None, "nan", "inf",
    "9" * 5000, 2**63, 2**53, 1e10, 1e-12, 1e100, 1e-100, "  ", "\x1b[2J", "\u202e", "é" * 300,
    '{"a": "\\ud800"}', "\u0661",
)  # fmt: skip
COUNTS = (0, 1, 2**16, 2**31, 2**32 - 1)
RIG = {"processor": "p", "cores": 2, "memory_bytes": 2**33, "system": "s", "kernel": "k"}


def garbled(rng: random.Random, data: bytes, most: int = 6) -> bytes:
    """Return data with a few changes: bytes flipped, taken out, doubled, moved, or put in that mean something."""
    changed = bytearray(data)
    for _ in range(rng.randrange(1, most)):
        at, end = sorted((rng.randrange(len(changed) + 1), rng.randrange(len(changed) + 1)))
        match rng.randrange(6):
            case 0 if changed:
                changed[rng.randrange(len(changed))] = rng.randrange(256)
            case 1:
                del changed[at : min(end, at + 40)]
            case 2:
                changed[at:at] = changed[at : min(end, at + 200)]
            case 3:
                changed[at : min(end, at + rng.choice((0, 1, 4, 20)))] = rng.choice(TOKENS)
            case 4:
                changed[at : at + 4] = struct.pack(
                    "<I", rng.choice((0, 1, 2**31, 2**32 - 1, 2**16, rng.randrange(2**32)))
                )
            case 5:
                del changed[end:]
    return bytes(changed)


TASKS_CSV = 'name,prompt,seeds,expect,facts.things,settings.steps\na,"x, y",1;2,leaf;stem,3,4\n,z,,,,true\n'
SERVERS_PLAN = b"""
[[variants]]
name = "v"
weights = ["*.csv"]
[runners.chat]
kind = "stream"
shape = "chat"
url = "http://127.0.0.1:1/chat"
body = { model = "{variant}", messages = [{ content = "{nonce} {prompt}" }] }
[runners.jobs]
kind = "stream"
url = "http://127.0.0.1:1/take"
framing = "job"
fetch = ["/files", "http://127.0.0.1:1/{job}.png"]
text = { answer = "/say", beside = "/think" }
[runners.jobs.job]
name = "/id"
look = "http://127.0.0.1:1/{job}"
state = "/state"
done = ["ready"]
every = "1 s"
[[tasks]]
from = "tasks.csv"
[[tasks]]
name = "l"
prompt = "one two"
length = [1, 9]
"""


class Door:
    """A door with something right to garble. `put` puts data through it; what it raises is a fault."""

    refusals: tuple[type[Exception], ...] = ()

    def __init__(self, folder: Path):
        self.folder = folder
        self.right = self.right_ones()

    def right_ones(self) -> list[bytes]:
        raise NotImplementedError

    def put(self, data: bytes) -> None:
        raise NotImplementedError

    def once(self, rng: random.Random) -> bool:
        """Try once; whether it was refused."""
        try:
            self.put(garbled(rng, rng.choice(self.right)))
        except self.refusals:
            return True
        return False


class Plans(Door):
    refusals = (UnvekError,)

    def right_ones(self) -> list[bytes]:
        for path in PROJECT.iterdir():
            (self.folder / path.name).symlink_to(path)  # the files that the plans name are there
        (self.folder / "plan.toml").unlink()
        (self.folder / "tasks.csv").write_text(TASKS_CSV)
        return [SERVERS_PLAN, *(path.read_bytes() for path in sorted(PROJECT.glob("*.toml")))]

    def put(self, data: bytes) -> None:
        path = self.folder / "plan.toml"
        path.write_bytes(data)
        read_plan(path)


class TaskFiles(Door):
    """Files with a row for each task."""

    refusals = (UnvekError,)

    def right_ones(self) -> list[bytes]:
        rows = b'{"name": "a", "prompt": "x y", "facts": {"things": 2}}\n{"prompt": "z", "length": [2, 5]}\n'
        return [TASKS_CSV.encode(), rows]

    def once(self, rng: random.Random) -> bool:
        self.ending = rng.choice((".csv", ".jsonl"))
        return super().once(rng)

    def put(self, data: bytes) -> None:
        (self.folder / f"tasks{self.ending}").write_bytes(data)
        path = self.folder / "plan.toml"
        path.write_text(
            '[runners.r]\nkind = "command"\ncommand = ["{python}"]\n[[variants]]\nname = "v"\n'
            f'[[tasks]]\nfrom = "tasks{self.ending}"\n'
        )
        read_plan(path)


def record(recording: Recording) -> RunRecord:
    start = RunStart(cell="c", round=1, repeat=1, launch=1, place=1, warm_up=False, variant="v", form="full", task="t",
                     seed=1, settings={}, started_at="2026-11-26T00:00:00.000+00:00")  # fmt: skip
    progress = Sieve(()).sift(recording.progress(stopped_ns=10**12)).progress
    return RunRecord(start=start, limits={}, status=FINISHED, error=None, progress=progress, exit_code=None,
                     provenance=Provenance())  # fmt: skip


class Events(Door):
    """Lines of events, through to the logbook."""

    def right_ones(self) -> list[bytes]:
        self.logbook = Logbook.make_or_open(self.folder / "logbook")
        self.logbook.record_rig(
            "r", {"processor": "p", "cores": 2, "memory_bytes": 2**33, "system": "s", "kernel": "k"}
        )
        self.logbook.open_launch("v", 1)
        events = (
            {"event": "began", "at_ns": 10}, {"event": "phase", "at_ns": 20, "name": "steps"},
            {"event": "step", "at_ns": 30, "of": 3}, {"event": "text", "at_ns": 35, "text": "of"},
            {"event": "token", "at_ns": 40, "n": 2, "text": "leaf", "stream": 1},
            {"event": "value", "at_ns": 50, "name": "warmth", "number": 3.5, "unit": "s"},
            {"event": "count", "at_ns": 60, "name": "calls", "n": 3},
            {"event": "fault", "at_ns": 70, "kind": "k", "note": "n"},
            {"event": "sent", "at_ns": 75, "stream": 1, "client": 1, "due_ns": 74},
            {"event": "answered", "at_ns": 80, "stream": 1, "code": 200, "tries": 2},
            {"event": "tokens", "at_ns": 81, "read": 5, "written": 9, "stream": 1},
            {"event": "memory", "at_ns": 85, "device_bytes": 2**30}, {"event": "text", "at_ns": 86, "text": "more"},
            {"event": "preview", "at_ns": 87, "width": 1, "height": 1, "rgb": "AAAA"},
            {"event": "ended", "at_ns": 90, "status": "finished", "cpu_s": 0.1, "memory_peak_bytes": 2**20},
        )  # fmt: skip
        return [b"".join(json.dumps(event).encode() + b"\n" for event in events)]

    def once(self, rng: random.Random) -> bool:
        lines = [garbled(rng, line) if rng.random() < 0.4 else line for line in self.right[0].splitlines(keepends=True)]
        self.put(b"".join(lines))
        return False

    def put(self, data: bytes) -> None:
        recording, hearing = Recording(), Hearing(Secrets(["KEY"], {"KEY": "leaf-more"}))
        for line in LineSplitter().feed(data + b"\n"):
            try:
                for event in hearing.heard([parse_event(line)]):
                    recording.take(event)
            except NotAnEventError:
                continue
        number = self.logbook.keep_run(record(recording))
        self.logbook.details(number)


class Ring(Door):
    """The memory that a worker shares with the engine, which a script gone wild may write anything into."""

    def right_ones(self) -> list[bytes]:
        return [b'{"event":"step","at_ns":1}\n' * 50]

    def once(self, rng: random.Random) -> bool:
        reader = RingReader()
        waking = os.pipe()
        try:
            ring = EventRing(reader.fd, waking[1])
            for _ in range(20):
                ring.put(rng.choice(self.right)[: rng.randrange(1, 1300)])
                if rng.random() < 0.4:
                    at = rng.choice((0, 8))
                    os.pwrite(
                        reader.fd,
                        struct.pack("<Q", rng.choice((*COUNTS, 2**64 - 1, 2**63, ROOM_BYTES))),
                        at,
                    )
                if rng.random() < 0.3:
                    os.pwrite(reader.fd, rng.randbytes(99), HEADER_BYTES + rng.randrange(2000))
                data = reader.read()
                if len(data) > 2**19:
                    raise AssertionError(f"{len(data)} bytes were read at once")
                for line in LineSplitter().feed(data):
                    try:
                        parse_event(line)
                    except NotAnEventError:
                        continue
        finally:
            reader.close()
            for fd in waking:
                os.close(fd)
        return False


class Stream(Door):
    """The bytes of a server's answer, head and body, however they are cut."""

    refusals = (AnswerError, BodyError, FramingError)

    def right_ones(self) -> list[bytes]:
        messages = b'data: {"text": "leaf ", "used": {"in": 3, "out": 4}}\n\n'
        messages += b': still here\r\nevent: x\rdata: {"text": "more"}\n\n'
        parts = (messages[:20], messages[20:], b"")
        chunked = b"".join(b"%x\r\n%s\r\n" % (len(part), part) for part in parts)
        head = b"HTTP/1.1 200 OK\r\nContent-Type: text/event-stream\r\n"
        return [
            b"HTTP/1.1 100 Continue\r\n\r\n" + head + b"\r\n" + messages,
            head + b"Transfer-Encoding: chunked\r\n\r\n" + chunked,
            head + b"Content-Length: %d\r\n\r\n" % len(messages) + messages,
            b'HTTP/1.1 200 OK\r\n\r\n{"text": "leaf", "more": "stem", "used": {"in": 3, "known": 1, "out": 4}}',
        ]

    def once(self, rng: random.Random) -> bool:
        self.rng = rng
        return super().once(rng)

    def put(self, data: bytes) -> None:
        arrivals, heard = Arrivals(), []
        arrivals.connection_made(
            SimpleNamespace(**dict.fromkeys(("pause_reading", "resume_reading", "abort"), lambda: None))
        )
        pieces, at = [], 0
        while at < len(data):
            size = self.rng.choice((1, 3, 50, 5000))
            pieces.append(data[at : at + size])
            at += size
        for piece in pieces:
            arrivals.data_received(piece)
        head = arrivals._head
        if len(head) > LARGEST_HEAD_BYTES + 5000:
            raise AssertionError("a head beyond all bounds was held")
        headers = dict(line.split(b":", 1) for line in head.split(b"\r\n")[1:] if b":" in line)
        framing = self.rng.choice(("sse", "lines", "whole"))
        question = Question(
            url="", method="POST", headers={}, body=None, framing=framing, texts={"answer": "/text", "beside": "/more"},
            tokens_in="/used/in", tokens_out="/used/out", cached="/used/known", retries=0,
            secrets=Secrets(()), values={},
        )  # fmt: skip
        told = dict.fromkeys(("tokens", "fault"), lambda *_: None)
        ear = SimpleNamespace(text=lambda _, *said: heard.append(said), whole_text=lambda *_: None, **told)
        body = Body(httpx.Headers([(name, value.strip()) for name, value in headers.items()]))
        answer = WholeAnswer(body) if framing == "whole" else Answer(question, body, ear)
        arrivals.take_body(answer.take, lambda: None)
        answer.end(1)
        if isinstance(answer, WholeAnswer):
            Reading(question, ear, comes_in_pieces=False).take(answer.content(), 1)


class Imports(Door):
    """Tables of timings, in each of the forms."""

    refusals = (UnvekError,)

    def right_ones(self) -> list[bytes]:
        import pyarrow
        import pyarrow.parquet

        self.rows = rows = [
            {"variant": variant, "time_s": 1.5 + seed, "task": "violet", "seed": seed, "round": 1, "repeat": 1,
             "status": "finished", "form": "full", "steps": 4, "warm_up": False, "measure:warmth": 3.0,
             "measure:memory.peak": 1000, "varied": {"clients": 2}, "started": "2026-11-23T14:30:00+00:00"}
            for variant in ("a", "b") for seed in (1, 2)
        ]  # fmt: skip
        flat = [{**row, "varied": json.dumps(row["varied"])} for row in rows]
        table = io.BytesIO()
        pyarrow.parquet.write_table(pyarrow.Table.from_pylist(flat), table)
        csv = io.StringIO(newline="")
        write_csv(flat, list(flat[0]), csv)
        self.endings = {"csv": csv.getvalue().encode(), "parquet": table.getvalue(),
                        "jsonl": b"".join(json.dumps(row).encode() + b"\n" for row in rows)}  # fmt: skip
        return list(self.endings.values())

    def once(self, rng: random.Random) -> bool:
        ending = rng.choice(list(self.endings))
        data = garbled(rng, self.endings[ending])
        if rng.random() < 0.5:  # a table that is one, with odd cells
            ending, rows = "jsonl", [dict(row) for row in self.rows]
            for _ in range(rng.randrange(1, 3)):
                rng.choice(rows)[rng.choice((*rows[0], "session", "machine", "error"))] = rng.choice(ODD)
            data = b"".join(json.dumps(row).encode() + b"\n" for row in rows)
        path = self.folder / f"in.{ending}"
        path.write_bytes(data)
        self.count = getattr(self, "count", 0) + 1
        with Logbook.make_or_open(self.folder / f"logbook-{self.count}") as logbook:
            try:
                import_timings(logbook, path)
                with warnings.catch_warnings():
                    warnings.simplefilter("error")  # the user would see them
                    evidence = work_out(logbook, gather(logbook)).evidence
                    put_out(compare(evidence, logbook.rig_of_run(evidence.runs.latest)))
            except UnvekError:
                return True
        return False


def put_out(found: Comparison) -> None:
    """Have a comparison shown in every form."""
    for how in FORMATS:
        with redirect_stdout(io.StringIO()):
            put(found, COMPARISON, how)


class ScoreFiles(Door):
    refusals = (OutputError,)

    def right_ones(self) -> list[bytes]:
        found = []
        for save in (np.savez, np.savez_compressed):
            file = io.BytesIO()
            save(file, log_probabilities=np.log(np.full((5, 4), 0.25)), tokens=np.arange(5) % 4)
            found.append(file.getvalue())
        return found

    def put(self, data: bytes) -> None:
        scores_of(data)

    def once(self, rng: random.Random) -> bool:
        if rng.random() < 0.5:
            return super().once(rng)
        # What is inside garbled, in a file that is whole: its checksum does not give it away.
        file = io.BytesIO()
        with zipfile.ZipFile(io.BytesIO(self.right[0])) as right, zipfile.ZipFile(file, "w") as made:
            for name in right.namelist():
                made.writestr(name, garbled(rng, right.read(name), 3))
        try:
            scores_of(file.getvalue())
        except OutputError:
            return True
        return False


class Pictures(Door):
    refusals = (NoPictureError,)

    def right_ones(self) -> list[bytes]:
        picture = Image.fromarray(np.random.default_rng(3).integers(0, 255, (24, 32, 3), np.uint8).astype(np.uint8))
        found = []
        for form, more in (("PNG", {}), ("JPEG", {}), ("WEBP", {}), ("GIF", {}), ("BMP", {}), ("TIFF", {}), ("PPM", {}),
                           ("TIFF", {"compression": "tiff_lzw"}), ("JPEG", {"progressive": True})):  # fmt: skip
            file = io.BytesIO()
            picture.save(file, form, **more)
            found.append(file.getvalue())
        return [*found, b"%!PS-Adobe-3.0 EPSF-3.0\n%%BoundingBox: 0 0 9 9\nshowpage\n"]

    def put(self, data: bytes) -> None:
        open_picture(io.BytesIO(data), 64)


class MovingPictures(Pictures):
    def right_ones(self) -> list[bytes]:
        frames = [Image.fromarray(np.full((9, 12, 3), 20 * n, np.uint8)) for n in range(5)]
        found = []
        for form in ("GIF", "PNG", "WEBP"):
            file = io.BytesIO()
            frames[0].save(file, form, save_all=True, append_images=frames[1:])
            found.append(file.getvalue())
        return found

    def put(self, data: bytes) -> None:
        open_frames(io.BytesIO(data))


class SoundFiles(Door):
    refusals = (OutputError,)

    def right_ones(self) -> list[bytes]:
        from scipy.io import wavfile

        found = []
        for sort in (np.uint8, np.int16, np.int32, np.float32):
            file = io.BytesIO()
            wavfile.write(file, 8000, (50 * np.sin(np.arange(400) / 9) + 60).astype(sort).reshape(-1, 2))
            found.append(file.getvalue())
        return found

    def put(self, data: bytes) -> None:
        draw_sound(sound_of(data))


class ProgramAnswers(Door):
    """What a program of the user's prints of an output."""

    refusals = (NoAnswerError,)

    def right_ones(self) -> list[bytes]:
        return [b'{"fits": 1, "faults": 2.5, "right": true}', b"0.75", b'{"a leaf": "there", "a stem": "partly"}']

    def put(self, data: bytes) -> None:
        refusals = []
        for points in ("no", "yes"):
            definition = Definition(kind="program", options={"points": points}, wanted=("a leaf", "a stem"))
            job = Job(kind="program", name="look", definition=definition, runs=(1,), folder=self.folder, values={})
            try:
                found = list(outcomes_of(job, answer_in(data, data.decode("utf-8", "replace"))))
            except NoAnswerError as error:
                if any(ord(c) < 32 for c in str(error)):
                    raise AssertionError("its words are shown as they are") from error
                refusals.append(error)
                continue
            for one in found:
                if not is_name(one.name) or not (one.value is None or abs(one.value) < 1e100):
                    raise AssertionError(f"{one} was let in")
        if len(refusals) == 2:
            raise refusals[0]


class ArrayFiles(Door):
    refusals = (OutputError,)

    def right_ones(self) -> list[bytes]:
        found = []
        for array in (np.arange(12.0).reshape(3, 4), np.arange(5, dtype=np.int8), np.ones((2, 2), np.float16)):
            file = io.BytesIO()
            np.save(file, array)
            found.append(file.getvalue())
        return found

    def put(self, data: bytes) -> None:
        numbers_of(data)


class Lock(Door):
    """What whoever holds the machine has written of himself."""

    def right_ones(self) -> list[bytes]:
        said = {
            "pid": 4711,
            "user": "alder",
            "title": "Which painter?",
            "since": "2026-11-26",
            "journal": "/tmp/j.jsonl",
        }
        self.path = self.folder / "lock"
        return [json.dumps(said).encode()]

    def put(self, data: bytes) -> None:
        self.path.write_bytes(data)
        os.environ[machine_lock.VARIABLE] = str(self.path)
        with open(self.path, "rb") as file:
            fcntl.flock(file, fcntl.LOCK_EX)
            holder = machine_lock.holder()
        assert holder is not None, "it is held"
        words = holder.words()
        if clean(words) != words:
            raise AssertionError(f"hostile words: {words!r}")


class Journals(Door):
    """The journal, as whoever watches reads it, and the engine after a kill."""

    def right_ones(self) -> list[bytes]:
        self.logbook = Logbook.make_or_open(self.folder / "logbook")
        self.logbook.record_rig("r", RIG)
        self.logbook.open_launch("v", 1)
        start = record(Recording()).start
        lines = [
            {"entry": "plan", "at_ns": 1, "title": "t", "path": "p", "reference": "v", "variants": [["v", "full"]],
             "rounds": 2, "planned": 4, "pending": {"v": 4}, "earlier": [["v", 1.5, "finished", False]], "rig": {}},
            {"entry": "launch", "at_ns": 2, "launch": 1, "variant": "v", "round": 1, "log": "L"},
            {"entry": "run", "at_ns": 3, "start": {name: getattr(start, name) for name in RunStart.__slots__},
             "steps": 3, "prompt": "p", "memory_limit_bytes": 2**30, "forecast_s": [1, 2], "left_s": [3, 4]},
            {"event": "began", "at_ns": 4}, {"event": "step", "at_ns": 5, "of": 3},
            {"event": "token", "at_ns": 6, "text": "a"},
            {"entry": "look", "at_ns": 7, "memory_bytes": 2**20, "device_bytes": None, "others_share": 0.1},
            {"event": "preview", "at_ns": 8, "width": 1, "height": 1, "rgb": "AAAA"}, {"event": "sent", "at_ns": 9},
            {"entry": "kept", "at_ns": 9, "run": 1, "launch": 1, "place": 1, "variant": "v", "task": "t", "seed": 1,
             "round": 1, "repeat": 1, "warm_up": False, "status": "failed", "error": "e", "time_s": 1.0, "steps": 3,
             "memory_peak_bytes": 2**20},
        ]  # fmt: skip
        return [b"".join(json.dumps(line).encode() + b"\n" for line in lines)]

    def put(self, data: bytes) -> None:
        path = self.logbook.folder.journal / "2026.jsonl"
        path.write_bytes(data)
        reader, state = JournalReader(path), LiveState()
        for content in reader.read():
            state.take(content)
        reader.close()
        draw(state, 80, 24, 10**9)
        recover_run(self.logbook, Sieve(()), Secrets(()))


DOORS: Mapping[str, Callable[[Path], Door]] = {
    "plan": Plans, "task files": TaskFiles, "events": Events, "worker's memory": Ring,
    "server's answer": Stream, "import": Imports, "scores": ScoreFiles, "picture": Pictures,
    "moving picture": MovingPictures, "sound": SoundFiles, "array": ArrayFiles, "program's answer": ProgramAnswers,
    "lock": Lock, "journal": Journals,
}  # fmt: skip


def tried(name: str, tries: int, seed: int) -> tuple[int, list[str]]:
    """Return (how many were refused, what went wrong: a seed and an error each) of so many tries at a door."""
    refused, wrong = 0, []
    with TemporaryDirectory(prefix="unvek-doors-") as folder:
        door = DOORS[name](Path(folder))
        for number in range(seed, seed + tries):
            try:
                refused += door.once(random.Random(number))
            except Exception as error:
                wrong.append(f"seed {number}: {type(error).__name__}: {ascii(str(error))[:200]}")
    return refused, wrong
