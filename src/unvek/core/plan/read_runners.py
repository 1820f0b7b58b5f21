"""Reading the [runners] of a plan, and checking that their placeholders can be filled for every run."""

import re
import sys
from collections.abc import Callable, Mapping
from pathlib import Path
from types import MappingProxyType
from typing import Any
from urllib.parse import urlsplit

from jsonpointer import JsonPointer, JsonPointerException

from unvek.core.plan.door import PROGRAM_WANTED, Problems, Table, found_program, is_a, is_file
from unvek.core.plan.model import SettingValue, Task, Variant
from unvek.core.plan.placeholders import INTERPRETER, OUT, PROMPT_FILE, names_in, of_variant, values_for
from unvek.core.plan.quoting import nearest_words, shown
from unvek.core.plan.runners import (
    CHARACTERS,
    COMMAND,
    EVENT_STREAM,
    FILES,
    KINDS,
    LINES,
    LOAD_SETTINGS,
    MOST_ARRIVALS_PER_S,
    MOST_CLIENTS,
    MOST_REQUESTS,
    OUT_FOLDER,
    PLAN_FOLDER,
    PRINTED,
    PYTHON,
    STREAM,
    TOKENS,
    WORDS,
    CommandRunner,
    PythonRunner,
    Runner,
    StreamRunner,
    ValuePattern,
)

MOST_RETRIES = 100
METHODS = ("POST", "GET", "PUT")
HEADER_NAME = re.compile(r"[!#$%&'*+.^_`|~0-9A-Za-z-]+")
VARIABLE_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")
PORT = "port"


def read_runners(table: Table, folder: Path) -> Mapping[str, Runner]:
    """Read every runner, by its name."""
    return MappingProxyType({name: _read_runner(name, table.table(name), folder) for name in table.names()})


def _read_runner(name: str, entry: Table, folder: Path) -> Runner:
    readers: Mapping[str, Callable[[str, Table, Path], Runner]] = {
        PYTHON: _read_python,
        COMMAND: _read_command,
        STREAM: _read_stream,
    }
    runner = readers[entry.choice("kind", KINDS, PYTHON)](name, entry, folder)
    entry.close()
    return runner


def _read_python(name: str, entry: Table, folder: Path) -> PythonRunner:
    return PythonRunner(
        name=name,
        script=entry.file("script", 'the name of a Python file with load() and run(), such as "painter.py"'),
        python=entry.program("python", default=sys.executable),
        environment=entry.named_texts("environment"),
        secrets=_read_secrets(entry),
    )


def _read_command(name: str, entry: Table, folder: Path) -> CommandRunner:
    wanted = 'a list of texts: the program and its arguments, such as ["./paint", "--steps", "{steps}"]'
    command = entry.texts("command")
    if not command:
        entry.problem("command", "nothing", wanted)
    phases, values = entry.table("phases"), entry.table("values")
    return CommandRunner(
        name=name,
        folder=folder,
        command=command,
        program=_found_program(entry, "command", command, folder),
        files=_files_named(command, folder),
        environment=entry.named_texts("environment"),
        secrets=_read_secrets(entry),
        outputs=_read_outputs(entry),
        answer=entry.choice("answer", (FILES, PRINTED), FILES),
        start_in=entry.choice("start_in", (PLAN_FOLDER, OUT_FOLDER), PLAN_FOLDER),
        terminal=entry.true_or_false("terminal", True),
        steps=_read_pattern(entry, "steps", ("done",)) if entry.has("steps") else None,
        phases=MappingProxyType({phase: _read_pattern(phases, phase, ()) for phase in phases.names()}),
        values=MappingProxyType({value: _read_value(values, value) for value in values.names()}),
    )


def _read_stream(name: str, entry: Table, folder: Path) -> StreamRunner:
    serve = entry.texts("serve")
    if entry.has("serve"):
        _found_program(entry, "serve", serve, folder)
    if entry.has("serve") != entry.has("ready"):
        entry.problem(
            "ready" if serve else "serve",
            "nothing",
            "both serve and ready: the command that starts the server, and a URL that answers once it is ready",
        )
    return StreamRunner(
        name=name,
        folder=folder,
        url=_read_url(entry, "url"),
        method=entry.choice("method", METHODS, METHODS[0]),
        headers=_read_headers(entry),
        body=entry.json("body"),
        framing=entry.choice("framing", (EVENT_STREAM, LINES), EVENT_STREAM),
        text=_read_pointer(entry, "text", needed=True) or "",
        tokens_in=_read_pointer(entry, "tokens_in"),
        tokens_out=_read_pointer(entry, "tokens_out"),
        count=entry.choice("count", (TOKENS, WORDS, CHARACTERS), TOKENS if entry.has("tokens_out") else WORDS),
        retries=entry.whole("retries", 0, 0, MOST_RETRIES),
        serve=serve,
        ready=_read_url(entry, "ready") if entry.has("ready") else None,
        files=_files_named(serve, folder),
        environment=entry.named_texts("environment"),
        secrets=_read_secrets(entry),
        simulated=entry.true_or_false("simulated", False),
        clients=_read_numbers(entry, "clients", (int,), 1, MOST_CLIENTS),
        arrivals_per_second=_read_numbers(entry, "arrivals_per_second", (int, float), 0.001, MOST_ARRIVALS_PER_S),
        requests=entry.whole_or_none("requests", None, 1, MOST_REQUESTS),
    )


def _read_secrets(entry: Table) -> tuple[str, ...]:
    """Names of environment variables. Whether they are set is asked when a process is started, not here."""
    names = entry.texts("secrets")
    for name in names:
        if not VARIABLE_NAME.fullmatch(name):
            entry.problem("secrets", "a name that can't be an environment variable's", "names such as API_KEY")
    return names


def _read_outputs(entry: Table) -> tuple[str, ...]:
    patterns = entry.texts("outputs") or ("*",)
    for pattern in patterns:
        if Path(pattern).is_absolute() or ".." in Path(pattern).parts:
            entry.problem("outputs", shown(pattern), 'patterns within the run\'s own folder, such as "*.png"')
    return patterns


def _read_pattern(entry: Table, key: str, groups: tuple[str, ...]) -> str:
    wanted = "a regular expression" + (f" with a group named {' and '.join(groups)}" if groups else "")
    value = entry.text(key, wanted=wanted)
    try:
        compiled = re.compile(value)
    except (re.error, RecursionError, OverflowError) as error:
        entry.problem(key, f"{shown(value)}: {error}", wanted)
        return ""
    if value and not set(groups) <= set(compiled.groupindex):
        entry.problem(key, shown(value), wanted + r", such as (?P<done>\d+)")
    return value


def _read_value(table: Table, name: str) -> ValuePattern:
    """A pattern, or a table with a pattern and a unit."""
    is_table = isinstance(table.json(name), Mapping)
    entry, key = (table.table(name), "pattern") if is_table else (table, name)
    pattern = _read_pattern(entry, key, ())
    if pattern and re.compile(pattern).groups < 1:
        entry.problem(key, shown(pattern), r"a regular expression with a group for the number, such as ([\d.]+)")
    unit = entry.text("unit", default=" ").strip() if is_table else ""
    if is_table:
        entry.close()
    return ValuePattern(pattern=pattern, unit=unit)


def _read_url(entry: Table, key: str) -> str:
    wanted = "a URL that begins with http:// or https://"
    url = entry.text(key, wanted=wanted)
    try:
        split = urlsplit(url)
        fits = split.scheme in ("http", "https") and bool(split.hostname)
    except ValueError:
        fits = False
    if url and not fits:
        entry.problem(key, shown(url), wanted)
    return url


def _read_headers(entry: Table) -> Mapping[str, str]:
    headers = entry.named_texts("headers")
    for name, value in headers.items():
        if not HEADER_NAME.fullmatch(name) or not value.isprintable():
            entry.problem(f"headers.{name}", shown(value), "a header of one line of printable characters")
    return headers


def _read_pointer(entry: Table, key: str, needed: bool = False) -> str | None:
    wanted = 'a JSON Pointer (RFC 6901) such as "/pieces/0/text"'
    if not needed and not entry.has(key):
        return None
    value = entry.text(key, wanted=wanted)
    try:
        JsonPointer(value)
    except JsonPointerException:
        entry.problem(key, shown(value), wanted)
    return value


def _read_numbers(entry: Table, key: str, kinds: tuple[type, ...], low: float, high: float) -> tuple[Any, ...]:
    """One number, or a list of different ones to be varied."""
    if not entry.has(key):
        return ()
    value = entry.json(key)
    numbers = value if isinstance(value, list) else [value]
    if (
        not numbers
        or len(set(map(str, numbers))) < len(numbers)
        or any(not is_a(number, kinds) or not low <= number <= high for number in numbers)
    ):
        what = "a whole number" if kinds == (int,) else "a number"
        entry.problem(key, shown(value), f"{what} from {low:g} to {high:g}, or a list of different ones")
        return ()
    return tuple(numbers)


def _found_program(entry: Table, key: str, command: tuple[str, ...], folder: Path) -> str:
    """Return where the program of a command is; one with a slash is a path from the plan's folder."""
    if not command or next(names_in(command[0]), None) == INTERPRETER:
        return sys.executable
    found, state = found_program(command[0], folder)
    if state is not None:
        entry.problem(f"{key}[0]", f"{shown(command[0])}, {state}", PROGRAM_WANTED)
    return found


def _files_named(command: tuple[str, ...], folder: Path) -> tuple[Path, ...]:
    """Return the files of the project among a command's words: a program, a script."""
    return tuple(
        dict.fromkeys(
            folder / word
            for word in command
            if not any(names_in(word)) and not word.startswith("-") and is_file(folder / word)
        )
    )


# ---- what the placeholders stand for ----------------------------------------------------------------


def check_placeholders(
    runners: Mapping[str, Runner],
    variants: tuple[Variant, ...],
    tasks: tuple[Task, ...],
    vary: Mapping[str, tuple[SettingValue, ...]],
    problems: Problems,
) -> None:
    """Report each placeholder that some run could not fill."""
    for name, runner in runners.items():
        users = [variant for variant in variants if variant.runner == name]
        for where, template, of_run in runner.templates():
            for asked in dict.fromkeys(names_in(template)):
                _check_one(f"runners.{name}.{where}", asked, runner, users, tasks if of_run else (), vary, problems)


def _check_one(
    where: str, asked: str, runner: Runner, users: list[Variant], tasks: tuple[Task, ...],
    vary: Mapping[str, tuple[SettingValue, ...]], problems: Problems,
) -> None:  # fmt: skip
    extra: set[str] = set()
    if isinstance(runner, StreamRunner):
        extra |= {PORT} if runner.serve else set()
        extra |= (
            set(runner.secrets) if where.endswith("url") or ".headers" in where or where.endswith("body") else set()
        )
        extra |= set(LOAD_SETTINGS) if tasks else set()
    else:
        extra |= {OUT, PROMPT_FILE}
    for variant in users:
        for task in tasks or (None,):
            known = set(extra)
            if task is None:
                known |= {*variant.settings, *of_variant(variant)}
            else:
                settings = {**task.settings, **variant.settings, **dict.fromkeys(vary, 0)}
                known |= set(values_for(variant, task, 0, settings))
            if asked not in known:
                in_task = f" with task {task.name}" if task is not None else ""
                problems.add(
                    where,
                    f"{{{asked}}}, which variant {variant.name}{in_task} does not have",
                    f"one of {', '.join(sorted(known))}{nearest_words(asked, tuple(known))}",
                )
                return
