"""Reading the [judges] of a plan."""

import re
from collections.abc import Mapping
from pathlib import Path
from types import MappingProxyType

from unvek.core.plan.judges import (
    ASKED_MARKS,
    ASKED_PAIRS,
    ASKED_POINTS,
    EXPECT,
    IN_BODY,
    IN_INSTRUCTIONS,
    INSTRUCTIONS,
    JUDGE_KINDS,
    LEFT_OUTPUT,
    MODEL,
    OUTPUT,
    PROGRAM,
    RIGHT_OUTPUT,
    Judge,
)
from unvek.core.plan.names import NAME_WORDS, is_name
from unvek.core.plan.placeholders import INTERPRETER, names_in
from unvek.core.plan.reading.door import Table
from unvek.core.plan.reading.quoting import nearest_words, shown
from unvek.core.plan.reading.servers import is_pointer, read_stream
from unvek.core.plan.reading.started import files_named, program_of

PORT = "port"
MOST_AGAIN = 10
NEEDED = {ASKED_PAIRS: (LEFT_OUTPUT, RIGHT_OUTPUT), ASKED_POINTS: (OUTPUT,), ASKED_MARKS: (OUTPUT,)}
IN_COMMAND = ("left", "right", "output", "task", "asked_for", "seed", INTERPRETER)


def read_judges(table: Table, folder: Path) -> Mapping[str, Judge]:
    """Read every judge, by its name."""
    judges = {}
    for name in table.names():
        if not is_name(name):
            table.problem(name, shown(name), NAME_WORDS)
        judges[name] = _read_judge(name, table.table(name), folder)
    return MappingProxyType(judges)


def _read_judge(name: str, entry: Table, folder: Path) -> Judge:
    kind = entry.choice("kind", JUDGE_KINDS, PROGRAM if entry.has("command") else MODEL)
    judge = _read_program(name, entry, folder) if kind == PROGRAM else _read_model(name, entry, folder)
    entry.close()
    return judge


def _read_asks(entry: Table) -> str:
    return entry.choice("asks", tuple(NEEDED), ASKED_PAIRS)


def _read_program(name: str, entry: Table, folder: Path) -> Judge:
    command, asks = entry.texts("command"), _read_asks(entry)
    if not command:
        entry.problem("command", "nothing", 'a list of texts, such as ["{python}", "judge.py", "{left}", "{right}"]')
    program_of(entry, "command", command, folder)
    for word in names_in(command):
        if word not in IN_COMMAND:
            wanted = "one of " + ", ".join(f"{{{known}}}" for known in IN_COMMAND) + nearest_words(word, IN_COMMAND)
            entry.problem("command", shown(f"{{{word}}}"), wanted)
    return Judge(
        name=name, kind=PROGRAM, asks=asks, folder=folder, command=command, files=files_named(command, folder),
        time_limit_s=entry.duration_s("time_limit", 60.0) or 60.0,
        memory_limit_bytes=entry.size_bytes("memory_limit", 2**30) or 2**30,
        each_other=entry.true_or_false("each_other", False), simulated=entry.true_or_false("simulated", False),
        ask_again=0,
    )  # fmt: skip


def _read_model(name: str, entry: Table, folder: Path) -> Judge:
    asks = _read_asks(entry)
    server = read_stream(name, entry, folder)
    price = entry.table("price")
    judge = Judge(
        name=name, kind=MODEL, asks=asks, folder=folder, server=server,
        instructions=entry.text("instructions", default=INSTRUCTIONS[asks]),
        answer=_read_pointer(entry, "answer", "/answer"), why=_read_pointer(entry, "why", "/why"),
        pattern=_read_pattern(entry), ask_again=entry.whole("ask_again", 1, 0, MOST_AGAIN),
        time_limit_s=entry.duration_s("time_limit", 60.0) or 60.0,
        each_other=entry.true_or_false("each_other", False), elsewhere=entry.true_or_false("elsewhere", False),
        price_in=price.number_or_none("per_million_in", 0, 1e9),
        price_out=price.number_or_none("per_million_out", 0, 1e9), simulated=server.simulated,
    )  # fmt: skip
    price.close()
    _check_places(entry, judge)
    return judge


def _read_pointer(entry: Table, key: str, default: str) -> str:
    value = entry.text(key, default=default)
    if not is_pointer(value):
        entry.problem(key, shown(value), 'a JSON Pointer (RFC 6901) into what the judge says, such as "/answer"')
    return value


def _read_pattern(entry: Table) -> str | None:
    if not entry.has("pattern"):
        return None
    value, wanted = entry.text("pattern"), r"a regular expression with a group answer, such as (?P<answer>left|right)"
    try:
        if "answer" not in re.compile(value).groupindex:
            entry.problem("pattern", shown(value), wanted)
    except (re.error, RecursionError, OverflowError) as error:
        entry.problem("pattern", f"{shown(value)}: {error}", wanted)
    return value


def _check_places(entry: Table, judge: Judge) -> None:
    """Report placeholders that nothing stands for, and outputs that the judge would never see."""
    server = judge.server
    assert server is not None, "a model has a server"
    asked = set(names_in(judge.instructions))
    for name in asked - set(IN_INSTRUCTIONS):
        known = "one of " + ", ".join(f"{{{known}}}" for known in IN_INSTRUCTIONS)
        entry.problem("instructions", shown(f"{{{name}}}"), known + nearest_words(name, IN_INSTRUCTIONS))
    in_body = set(names_in(server.body)) | set(names_in(server.url))
    known_there = (*IN_BODY, PORT, *server.secrets)
    for name in in_body - set(known_there):
        known = "one of " + ", ".join(f"{{{known}}}" for known in known_there)
        entry.problem("body", shown(f"{{{name}}}"), known + nearest_words(name, known_there))
    missing = [f"{{{name}}}" for name in NEEDED[judge.asks] if name not in asked | in_body]
    if missing:
        entry.problem("instructions", f"no {' and no '.join(missing)}", "a place for what is judged")
    if judge.asks == ASKED_POINTS and EXPECT not in asked:
        entry.problem("instructions", f"no {{{EXPECT}}}", "a place for the things that the task expects")
    if not in_body & {"question", "prompt"} and not set(NEEDED[judge.asks]) <= in_body:
        entry.problem("body", "no {question}", "a place for the question: {question}, the instructions filled in")
