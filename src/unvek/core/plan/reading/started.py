"""Reading what is started for a runner: a program, the project's files among its words, and the secrets it is given."""

import re
import sys
from pathlib import Path

from unvek.core.plan.placeholders import INTERPRETER, names_in
from unvek.core.plan.reading.door import PROGRAM_WANTED, Table, found_program, is_file
from unvek.core.plan.reading.quoting import shown

VARIABLE_NAME = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")


def read_secrets(entry: Table) -> tuple[str, ...]:
    """Names of environment variables. Whether they are set is asked when a process is started, not here."""
    names = entry.texts("secrets")
    for name in names:
        if not VARIABLE_NAME.fullmatch(name):
            entry.problem("secrets", "a name that can't be an environment variable's", "names such as API_KEY")
    return names


def program_of(entry: Table, key: str, command: tuple[str, ...], folder: Path) -> str:
    """Return where the program of a command is; one with a slash is a path from the plan's folder."""
    if not command or next(names_in(command[0]), None) == INTERPRETER:
        return sys.executable
    found, state = found_program(command[0], folder)
    if state is not None:
        entry.problem(f"{key}[0]", f"{shown(command[0])}, {state}", PROGRAM_WANTED)
    return found


def files_named(command: tuple[str, ...], folder: Path) -> tuple[Path, ...]:
    """Return the files of the project among a command's words: a program, a script."""
    return tuple(
        dict.fromkeys(
            folder / word
            for word in command
            if not any(names_in(word)) and not word.startswith("-") and is_file(folder / word)
        )
    )
