"""Values that a program or a script of the user's finds, by looking at one output at a time."""

import json
import math
import socket
import sys
from collections.abc import Iterator, Mapping
from contextlib import ExitStack
from pathlib import Path, PurePath
from typing import Any

import msgspec

import unvek.probe
from unvek.core.evidence.outputs.files import Files
from unvek.core.evidence.outputs.source import OutputError, Source
from unvek.core.measures.definition import Definition
from unvek.core.measures.kind import YES, as_words
from unvek.core.measures.points import POINTS
from unvek.core.plain_text import clean
from unvek.core.plan.digests import DigestCache
from unvek.core.plan.names import is_name
from unvek.core.plan.placeholders import INTERPRETER, filled
from unvek.core.run.processes.family import exit_words
from unvek.core.run.processes.guard import spawner as new_spawner
from unvek.core.run.processes.process import Spawner, StartError
from unvek.core.session.measuring.fence import MOST_SAID, Bounds, FencedProcess, OutOfBoundsError, scratch_folder
from unvek.core.session.measuring.wanted import Job, Outcome
from unvek.core.units import LARGEST_NUMBER, SMALLEST_NUMBER, is_0_or_within

MOST_NUMBERS = 32  # of one answer
LONGEST_QUOTED = 160  # characters of what it printed last
PASSED, FAILED = 0, 1  # exit codes
LOOKER = Path(unvek.probe.__file__).with_name("looker.py")


class NoAnswerError(Exception):
    """Why an answer is none."""


class Asker:
    """Has programs look at outputs, one at a time. A script's process is kept for the next output."""

    def __init__(self) -> None:
        self._spawner = new_spawner()
        self._scripts: dict[str, _ScriptProcess] = {}
        self._checked: set[str] = set()

    def close(self) -> None:
        for script in self._scripts.values():
            script.close()
        self._spawner.close()

    def ask(self, job: Job, source: Source) -> list[Outcome]:
        """Return what the job's program says of its output; OutputError where that can't be had."""
        assert isinstance(source, Files), "a program looks at files"
        definition = job.definition
        self._check_files(definition, job.folder)
        try:
            answer = self._of_script(job, source) if "script" in definition.options else self._of_program(job, source)
            return list(outcomes_of(job, answer))
        except (NoAnswerError, OutOfBoundsError) as error:
            return [Outcome(job.name, None, str(error))]
        except StartError as error:
            raise OutputError(f"its program can't be started: {error}", lasts=False) from error

    def _check_files(self, definition: Definition, folder: Path) -> None:
        """Hold what the measure is made of against what is there now."""
        if definition.digest in self._checked:
            return
        with DigestCache() as digests:
            for name, digest in _digests_of(definition).items():
                try:
                    is_as_said = digests.digest(folder / name) == digest
                except OSError:
                    is_as_said = False
                if not is_as_said:
                    raise OutputError(f"{name} is not the file any more that this measure is made of, or is gone: "
                                      "'unvek measure' takes it as it is now", lasts=False)  # fmt: skip
        self._checked.add(definition.digest)

    def _of_program(self, job: Job, source: Files) -> Any:
        options = job.definition.options
        with scratch_folder() as scratch:
            values = {**job.values, INTERPRETER: sys.executable, **dict(_laid_out(job, source, scratch))}
            named = _digests_of(job.definition)
            # A file of the plan's folder by its whole path: the program starts elsewhere.
            command = [
                str(job.folder / word) if word in named else filled(word, values)
                for word in as_words(options["command"])
            ]
            process = FencedProcess(self._spawner, command, scratch, _bounds(options))
            try:
                ended = process.wait()
                said, tail = process.said, process.tail.replace(f"{scratch}/", "")
            finally:
                process.close()
        code = ended.code if ended is not None else None
        if options.get("pass") == YES:
            if code not in (PASSED, FAILED):
                raise NoAnswerError(f"its program ended with {exit_words(code)}{_quoted(tail)}")
            return 1.0 if code == PASSED else 0.0
        if code != 0:
            raise NoAnswerError(f"its program ended with {exit_words(code)}{_quoted(tail)}")
        return answer_in(said, tail)

    def _of_script(self, job: Job, source: Files) -> Any:
        key = repr(job.definition.family)  # a task's wishes are told with each output
        if key in self._scripts and self._scripts[key].is_over:
            self._scripts.pop(key).close()
        if key not in self._scripts:
            self._scripts[key] = _ScriptProcess(self._spawner, job)
        script = self._scripts[key]
        with scratch_folder() as scratch:
            try:
                return script.ask({**job.values, **dict(_laid_out(job, source, scratch))})
            except NoAnswerError as error:
                raise NoAnswerError(str(error).replace(f"{scratch}/", "")) from error


class _ScriptProcess:
    """A script that has been loaded, and is asked of one output after the other."""

    def __init__(self, spawner: Spawner, job: Job):
        options = job.definition.options
        self.is_over = False
        self._rest = b""
        self._stack = ExitStack()
        scratch = self._stack.enter_context(scratch_folder())
        self._socket, theirs = socket.socketpair()
        self._stack.callback(self._socket.close)
        interpreter = options.get("python") or sys.executable
        if "/" in interpreter:
            interpreter = str(job.folder / interpreter)
        command = (
            interpreter, str(LOOKER), str(theirs.fileno()), str(job.folder / options["script"]), options["function"]
        )  # fmt: skip
        with theirs:
            try:
                self._process = FencedProcess(spawner, command, scratch, _bounds(options), (theirs.fileno(),))
            except BaseException:
                self._stack.close()
                raise
        self._stack.callback(self._process.close)

    def close(self) -> None:
        self._stack.close()

    def ask(self, about: Mapping[str, str]) -> Any:
        try:
            self._socket.sendall(json.dumps(about).encode() + b"\n")
            answer = _decoded(self._line(), "its script gave no answer", self._process.tail)
        except OSError as error:
            self.is_over = True
            raise NoAnswerError(f"its script gave no answer{_quoted(self._process.tail)}") from error
        except (NoAnswerError, OutOfBoundsError):
            self.is_over = True
            raise
        if not isinstance(answer, dict) or "answer" not in answer:
            said = answer.get("error") if isinstance(answer, dict) else None
            raise NoAnswerError(f"its script failed{_quoted(str(said or ''))}")
        return answer["answer"]

    def _line(self) -> bytes:
        """Return its next line; what it took to load counts towards the first one's time."""
        while b"\n" not in self._rest:
            ended = self._process.wait(self._socket.fileno())
            data = self._socket.recv(MOST_SAID) if ended is None else b""
            if not data:
                self._process.wait()
                raise NoAnswerError(f"its script ended before it had answered{_quoted(self._process.tail)}")
            self._rest += data
            if len(self._rest) > MOST_SAID:
                raise NoAnswerError("its script gave an answer that is far too long")
        line, _, self._rest = self._rest.partition(b"\n")
        return line


def _digests_of(definition: Definition) -> Mapping[str, str]:
    """Return the files that a measure is made of, as its plan names them, with their digests."""
    return dict(json.loads(definition.options.get("files", "{}")))


def _bounds(options: Mapping[str, str]) -> Bounds:
    return Bounds(time_s=float(options["time_limit"]), memory_bytes=int(options["memory_limit"]))


def _laid_out(job: Job, source: Files, scratch: Path) -> Iterator[tuple[str, str]]:
    """Copy outputs into the scratch folder; yield what the placeholders stand for."""
    for place, run in zip(("output", "reference"), job.runs, strict=False):
        name, data = source.file(run)
        yield place, str(_written(scratch / place, name, data))
    for name, data in source.all_of(job.runs[0]).items():
        _written(scratch / "out", name, data)
    yield "out", str(scratch / "out")


def _written(folder: Path, name: str, data: bytes) -> Path:
    parts = [part for part in PurePath(name).parts if part not in ("/", "..", ".")]
    path = folder.joinpath(*parts)
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(data)
    return path


def _quoted(tail: str) -> str:
    last = [line for line in tail.splitlines() if line.strip()]
    return f": {clean(last[-1], LONGEST_QUOTED)}" if last else ""


def answer_in(said: bytes, tail: str = "") -> Any:
    """Return what a program has said, as JSON has it; NoAnswerError where that is none."""
    return _decoded(said, "its program printed no JSON object", tail)


def _decoded(said: bytes, why: str, tail: str) -> Any:
    try:
        return msgspec.json.decode(said)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
        raise NoAnswerError(f"{why}{_quoted(tail)}") from error


def outcomes_of(job: Job, answer: Any) -> Iterator[Outcome]:
    """Yield the values of an answer: a number, or an object of them; of points, what is there of what was expected.

    NoAnswerError where it is none.
    """
    if job.definition.options.get("points") == YES:
        yield from _points(job, answer)
        return
    if isinstance(answer, int | float):
        yield _number(job.name, answer)
        return
    if not isinstance(answer, dict) or not answer:
        raise NoAnswerError("its answer is no number, and no object of numbers")
    if len(answer) > MOST_NUMBERS:
        raise NoAnswerError(f"its answer has {len(answer)} numbers; at most {MOST_NUMBERS} are kept")
    yield Outcome(job.name, None)  # that it was asked
    for key, value in answer.items():
        name = f"{job.name}.{key}"
        if not is_name(name):
            raise NoAnswerError(f"its answer has a number under {clean(key, 60)!r}, which can't be part of a name")
        if not isinstance(value, int | float):
            raise NoAnswerError(f"its answer has no number under {key}")
        yield _number(name, value)


def _number(name: str, value: float) -> Outcome:
    try:
        number = float(value)
    except OverflowError:
        number = math.inf
    if not math.isfinite(number) or not is_0_or_within(number, SMALLEST_NUMBER, LARGEST_NUMBER):
        return Outcome(name, None, f"it came to {number:.3g}, which is no such number")
    return Outcome(name, number)


def _points(job: Job, answer: Any) -> Iterator[Outcome]:
    """Yield the share of what was expected that is there, and each point of it by its place."""
    if not isinstance(answer, dict):
        raise NoAnswerError("its answer is no object of things to there, partly or missing")
    expected = job.definition.wanted
    for thing in expected:
        if answer.get(thing) not in POINTS:
            said = clean(str(answer[thing]), 40) if thing in answer else "nothing"
            raise NoAnswerError(f"its answer says {said} of {clean(thing, 60)!r}: wanted there, partly or missing")
    points = [POINTS[answer[thing]] for thing in expected]
    yield Outcome(job.name, sum(points) / len(points))
    for place, point in enumerate(points, 1):
        yield Outcome(f"{job.name}.{place}", point)
