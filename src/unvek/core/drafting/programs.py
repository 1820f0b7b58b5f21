"""A draft from a command: which of its words are the prompt, the seed, the steps, the weights, the file it writes."""

import os
import re
import shlex
import signal
import subprocess
from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from select import select
from time import monotonic
from typing import Any

from unvek.core.drafting.draft import (
    PICTURES,
    TEXTS,
    Ask,
    Draft,
    DraftVariant,
    Question,
    form_of,
    path_from,
    precision_of,
    second_to,
    written,
)
from unvek.core.errors import InputError
from unvek.core.plan.placeholders import LONE
from unvek.core.plan.reading.door import found_program
from unvek.core.units import parse_value

HELP_S, HELP_BYTES = 10.0, 256 * 1024
OPTION = re.compile(r"(?<![\w-])(--?[A-Za-z][\w-]*)")
# What an option may be called, by what it is for; settings keep the name that is first.
ROLES: Mapping[str, tuple[str, ...]] = {
    "prompt": ("prompt", "text", "p"),
    "seed": ("seed",),
    "out": ("out", "output", "o", "output-file", "out-file", "save"),
    "weights": ("weights", "model", "m", "checkpoint"),
    "steps": ("steps", "num-steps", "sampling-steps", "iterations"),
    "width": ("width", "w"),
    "height": ("height", "h"),
    "guidance": ("guidance", "guidance-scale"),
    "temperature": ("temperature", "temp"),
    "tokens": ("tokens", "max-tokens", "num-tokens"),
}
ADDED = ("prompt", "seed", "out")  # which are put in where the help knows them
SETTINGS = ("steps", "width", "height", "guidance", "temperature", "tokens")
PRINTED, FILES = "printed", "files"
BRACES = str.maketrans({"{": "{{", "}": "}}"})


@dataclass(slots=True)
class _Command:
    """The command as it comes to be, and what was found in it."""

    words: list[str] = field(default_factory=list)
    settings: dict[str, Any] = field(default_factory=dict)
    roles: set[str] = field(default_factory=set)
    prompt: str | None = None
    weights: str | None = None


def draft_of_program(words: Sequence[str], folder: Path, ask: Ask, may_ask_it: bool = True) -> Draft:
    """Draft a plan for a command; may_ask_it: whether it is started with --help. InputError where it can't be."""
    _, wrong = found_program(words[0], Path.cwd())
    if wrong is not None:
        raise InputError(f"{words[0]}, {wrong}: give the command as you would type it, such as ./paint --steps 20")
    options = _options_told(words) if may_ask_it else {}
    command = _Command([_as_in_plan(words[0], folder)])
    _take_words(command, words[1:], folder)
    for role in ADDED:
        if role not in command.roles and role in options:
            command.words += [options[role], "{out}/output.png" if role == "out" else f"{{{role}}}"]
            command.roles.add(role)
    answer = FILES if "out" in command.roles else _answer(ask)
    is_script = words[0].startswith("python") and len(words) > 1
    title = Path(words[1] if is_script else words[0]).stem
    usual = TEXTS if answer == PRINTED else PICTURES
    return Draft(
        title=f"Which {title}?",
        runner=re.sub(r"[^A-Za-z0-9_-]", "-", title) or "program",
        runner_lines=_runner_lines(command, answer),
        variants=_variants(command),
        prompts=[*([command.prompt] if command.prompt else []), *(one for one in usual if one != command.prompt)],
        notes=_notes(command),
    )


def _options_told(words: Sequence[str]) -> dict[str, str]:
    """Return how the program calls its options, by their roles, as its help says."""
    start = [*_until_options(words), "--help"]
    try:
        asked = subprocess.Popen(
            start, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, start_new_session=True
        )
    except OSError as error:
        raise InputError(f"{words[0]} can't be started: {error.strerror}") from error
    try:
        told = _read(asked).decode("utf-8", "replace")
    finally:
        with suppress(ProcessLookupError):
            os.killpg(asked.pid, signal.SIGKILL)
        asked.wait()
    return {role: option for option in OPTION.findall(told)[::-1] if (role := _role(option)) is not None}


def _read(process: "subprocess.Popen[bytes]") -> bytes:
    """Return what it prints, within bounds: one that knows no such option may work, or print, without end."""
    assert process.stdout is not None, "its output is a pipe"
    told, until_s = bytearray(), monotonic() + HELP_S
    with process.stdout as out:
        while len(told) < HELP_BYTES and (left_s := until_s - monotonic()) > 0 and select([out], [], [], left_s)[0]:
            piece = os.read(out.fileno(), 65536)
            if not piece:
                break
            told += piece
    return bytes(told)


def _until_options(words: Sequence[str]) -> list[str]:
    """Return the words that start the program: it and what comes before its first option, if that is a file."""
    start = [words[0]]
    for word in words[1:]:
        if word.startswith("-") or not Path(word).is_file():
            break
        start.append(word)
    return start


def _role(option: str) -> str | None:
    name = option.lstrip("-").lower().replace("_", "-")
    if option.startswith("--") and len(name) < 2:
        return None
    return next((role for role, names in ROLES.items() if name in names), None)


def _take_words(command: _Command, words: Sequence[str], folder: Path) -> None:
    """Take the words one by one; a value that is known for what it is becomes a placeholder."""
    rest = list(words)
    while rest:
        word = rest.pop(0)
        option, equals, value = word.partition("=")
        role = _role(option) if option.startswith("-") else None
        if role is None:
            is_prompt = not word.startswith("-") and " " in word.strip() and "prompt" not in command.roles
            command.words.append(_filled(command, "prompt", word, folder) if is_prompt else _as_in_plan(word, folder))
        elif equals:
            command.words.append(f"{option}={_filled(command, role, value, folder)}")
        elif rest and (not rest[0].startswith("-") or isinstance(parse_value(rest[0]), int | float)):
            command.words += [option, _filled(command, role, rest.pop(0), folder)]
        else:
            command.words.append(word)


def _filled(command: _Command, role: str, value: str, folder: Path) -> str:
    """Return what stands in a value's place, and keep what it was."""
    command.roles.add(role)
    if role == "prompt":
        command.prompt = value
        return "{prompt}"
    if role == "out":
        return f"{{out}}/{(Path(value).name or 'output.png').translate(BRACES)}"
    if role == "weights":
        if not Path(value).exists():
            return value.translate(BRACES)
        command.weights = path_from(folder, Path(value))
        return "{weights[0]}"
    if role in SETTINGS:
        command.settings[role] = parse_value(value)
    return f"{{{role}}}"


def _as_in_plan(word: str, folder: Path) -> str:
    """Return a word as the plan has it: files are named from its folder; braces around a role are a placeholder."""
    if (lone := LONE.fullmatch(word)) is not None and lone[1] in ROLES:
        return word
    if "/" in word or Path(word).suffix:
        path = Path(word)
        if path.is_file():
            named = path_from(folder, path)
            return (named if "/" in named or "/" not in word else f"./{named}").translate(BRACES)
    return word.translate(BRACES)


def _answer(ask: Ask) -> str:
    said = ask(Question(f"Is its answer what it prints ({PRINTED}), or does it write {FILES} where it stands", PRINTED))
    return said if said in (PRINTED, FILES) else PRINTED


def _runner_lines(command: _Command, answer: str) -> list[str]:
    lines = [
        "# Started anew for each run, without a shell. Progress is read from what it prints: 3/20, step 3 of 20, bars.",
        'kind = "command"',
        f"command = {written(command.words)}",
    ]
    if answer == PRINTED:
        lines.append('answer = "printed"   # its answer is what it prints; its progress then what it prints as errors')
    elif "out" not in command.roles:
        lines.append('start_in = "out"     # it is started in the run\'s own folder, and what it writes there is kept')
    return lines


def _variants(command: _Command) -> list[DraftVariant]:
    weights = (command.weights,) if command.weights else ()
    name = command.weights or ""
    first = DraftVariant(
        name="full", form=form_of(name), precision=precision_of(name), weights=weights, settings=command.settings
    )
    return [first, second_to(first)]


def _notes(command: _Command) -> list[str]:
    missing = [role for role in ("prompt", "seed") if role not in command.roles]
    said = [f"The command of each run: {shlex.join(command.words)}"]
    if missing:
        braced = " and ".join(f"{{{role}}}" for role in missing)
        said.append(f"No {' and no '.join(missing)} was found in it: put {braced} where it belongs.")
    return said
