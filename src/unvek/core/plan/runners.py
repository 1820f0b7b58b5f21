"""The kinds of runner that a plan may name: a Python script, a program, a server that streams its answers.

They are structs and no dataclasses, so that what a logbook keeps of one says by itself of which kind it is.
"""

from collections.abc import Iterator, Mapping
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any, ClassVar, NamedTuple

from msgspec import Struct, field

from unvek.core.plan.price import Price

PYTHON, COMMAND, STREAM = "python", "command", "stream"
KINDS = (PYTHON, COMMAND, STREAM)
FILES, PRINTED = "files", "printed"  # where a program's answer is
PLAN_FOLDER, OUT_FOLDER = "plan", "out"  # where a program is started
EVENT_STREAM, LINES, WHOLE, JOB = "sse", "lines", "whole", "job"  # how an answer comes: in messages, at once, later
FRAMINGS = (EVENT_STREAM, LINES, WHOLE, JOB)
ANSWER = "answer"  # the text that is the answer, where a server writes others beside it
# What an answer is counted in; pieces are messages, where nobody says that each is a token.
TOKENS, WORDS, CHARACTERS, PIECES = "tokens", "words", "characters", "pieces"
CLIENTS, ARRIVALS, REQUESTS = "clients", "arrivals_per_second", "requests"
LOAD_SETTINGS = (CLIENTS, ARRIVALS, REQUESTS)  # settings that are the client's, not the model's
MOST_CLIENTS, MOST_ARRIVALS_PER_S, MOST_REQUESTS = 1000, 10_000, 100_000


class Template(NamedTuple):
    """A text, or JSON with texts in it, whose placeholders are filled: for each run, or once for a launch."""

    key: str
    content: Any
    is_of_run: bool


class AnyRunner(Struct, frozen=True, kw_only=True):
    """What is asked of every kind of runner: here the answers of one that runs on this machine, one run at a time."""

    takes_clients: ClassVar[bool] = False  # whether the settings of clients are its own
    price: Price | None = None

    @property
    def vary(self) -> Mapping[str, tuple[int | float, ...]]:
        """The client's settings that the runner gives several values of."""
        return {}

    @property
    def load(self) -> Mapping[str, int | float]:
        """The client's settings that the runner gives one value of."""
        return {}

    @property
    def is_stand_in(self) -> bool:
        """Whether what it measures is marked simulated."""
        return False

    def templates(self) -> Iterator[Template]:
        """Yield what the plan says with placeholders in it."""
        yield from ()


class PythonRunner(AnyRunner, frozen=True, kw_only=True, tag_field="kind", tag=PYTHON):
    """A script with load() and run(), in a worker process of the interpreter named."""

    kind: ClassVar[str] = PYTHON
    name: str
    script: Path
    python: str
    environment: Mapping[str, str]
    secrets: tuple[str, ...] = ()

    @property
    def files(self) -> tuple[Path, ...]:
        """The files of the project that runs depend on."""
        return (self.script,)

    def made_of(self, digests: Mapping[Path, str]) -> list[Any]:
        """Return what a run's outcome depends on, as JSON; digests has those of `files`."""
        return [digests[self.script], self.python, dict(self.environment)]


@dataclass(frozen=True, slots=True, kw_only=True)
class ValuePattern:
    """Printed text that holds a number: its first group."""

    pattern: str
    unit: str


class CommandRunner(AnyRunner, frozen=True, kw_only=True, tag_field="kind", tag=COMMAND):
    """A program that is started anew for each run.

    steps, phases and values are regular expressions for what it prints; steps is None for the common forms. Its
    answer is in files that fit `outputs`, or is what it prints on its standard output. With `terminal` it prints to
    a pseudo-terminal, so that no library holds lines back until a buffer is full.
    """

    kind: ClassVar[str] = COMMAND
    name: str
    folder: Path
    command: tuple[str, ...]
    program: str  # what is started, as found when the plan was read
    files: tuple[Path, ...]
    environment: Mapping[str, str]
    secrets: tuple[str, ...]
    outputs: tuple[str, ...]
    answer: str
    start_in: str
    terminal: bool
    steps: str | None
    phases: Mapping[str, str]
    values: Mapping[str, ValuePattern]

    def templates(self) -> Iterator[Template]:
        yield from (Template(f"command[{place}]", word, True) for place, word in enumerate(self.command))

    def made_of(self, digests: Mapping[Path, str]) -> list[Any]:
        return [
            COMMAND, self.command, [digests[path] for path in self.files], dict(self.environment), self.outputs,
            self.answer, self.start_in, self.terminal, self.steps, dict(self.phases),
            {name: asdict(value) for name, value in self.values.items()},
        ]  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class JobAsked:
    """How a server is asked that takes a job and answers later.

    name and state are JSON Pointers, the one into the answer to the request, the other into what stands at `look`, a
    URL with `{job}` in it, or a pointer to one in the answer to the request. Without a state the job is done once there
    is something to fetch. step and of are pointers to how far it is.
    """

    name: str | None
    look: str
    state: str | None
    done: tuple[str, ...]
    failed: tuple[str, ...]
    every_s: float | None
    step: str | None
    of: str | None


class StreamRunner(AnyRunner, frozen=True, kw_only=True, tag_field="kind", tag=STREAM):
    """A server that answers over HTTP and streams its answer.

    text, tokens_in, tokens_out and cached (the tokens that it knew) are JSON Pointers (RFC 6901) into its messages, as
    are texts_beside, other texts by their name, and tokens_of, how many tokens each of these had. fetch are pointers to
    files in the answer, or URLs of them. With `serve` and `ready` the
    server is started and stopped; without, it is somebody else's. clients and arrivals_per_second hold a value to be
    varied each; requests is how many are sent in a run.
    """

    kind: ClassVar[str] = STREAM
    takes_clients: ClassVar[bool] = True
    name: str
    folder: Path
    url: str
    method: str
    headers: Mapping[str, str]
    body: Any
    framing: str
    text: str
    tokens_in: str | None
    tokens_out: str | None
    count: str
    retries: int
    serve: tuple[str, ...]
    ready: str | None
    files: tuple[Path, ...]
    environment: Mapping[str, str]
    secrets: tuple[str, ...]
    simulated: bool
    clients: tuple[int, ...] = ()
    arrivals_per_second: tuple[float, ...] = ()
    requests: int | None = None
    cached: str | None = None
    texts_beside: Mapping[str, str] = field(default_factory=dict)
    tokens_of: Mapping[str, str] = field(default_factory=dict)
    each_is_token: bool = True  # whether a message is known to be one token
    fetch: tuple[str, ...] = ()
    job: JobAsked | None = None

    def made_of(self, digests: Mapping[Path, str]) -> list[Any]:
        beside = [dict(self.texts_beside), self.fetch, None if self.job is None else asdict(self.job)]
        return [
            STREAM, self.url, self.method, dict(self.headers), self.body, self.framing, self.text, self.tokens_in,
            self.tokens_out, self.count, self.retries, self.serve, self.ready,
            [digests[path] for path in self.files], dict(self.environment), *(beside if any(beside) else ()),
        ]  # fmt: skip

    @property
    def vary(self) -> Mapping[str, tuple[int | float, ...]]:
        return {name: values for name, values in self._given().items() if len(values) > 1}

    @property
    def load(self) -> Mapping[str, int | float]:
        return {name: values[0] for name, values in self._given().items() if len(values) == 1}

    @property
    def is_stand_in(self) -> bool:
        return self.simulated

    def templates(self) -> Iterator[Template]:
        yield from (Template(f"serve[{place}]", word, False) for place, word in enumerate(self.serve))
        yield Template("ready", self.ready or "", False)
        yield Template("url", self.url, True)
        yield from (Template(f"headers.{name}", value, True) for name, value in self.headers.items())
        yield Template("body", self.body, True)
        if self.job is not None:
            yield Template("job.look", self.job.look, True)
        yield from (Template(f"fetch[{place}]", where, True) for place, where in enumerate(self.fetch))

    def _given(self) -> Mapping[str, tuple[int | float, ...]]:
        requests = () if self.requests is None else (self.requests,)
        return {CLIENTS: self.clients, ARRIVALS: self.arrivals_per_second, REQUESTS: requests}


Runner = PythonRunner | CommandRunner | StreamRunner


def load_problem(settings: Mapping[str, Any]) -> str | None:
    """Return what is wrong with the client's settings among these, in words; None where nothing is."""
    for name, kinds, low, high in (
        (CLIENTS, (int,), 1, MOST_CLIENTS),
        (ARRIVALS, (int, float), 0.001, MOST_ARRIVALS_PER_S),
        (REQUESTS, (int,), 1, MOST_REQUESTS),
    ):
        value = settings.get(name)
        if value is not None and (type(value) not in kinds or not low <= value <= high):
            what = "whole number" if kinds == (int,) else "number"
            return f"{name} can't be {value!r}: a {what} from {low:g} to {high:g}"
    if CLIENTS in settings and ARRIVALS in settings:
        return f"either {CLIENTS} or {ARRIVALS}: requests are sent one after the other, or at set times"
    return None
