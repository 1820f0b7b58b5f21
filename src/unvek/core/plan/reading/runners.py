"""Reading the [runners] of a plan, and checking that their placeholders can be filled for every run."""

import re
import sys
from collections.abc import Callable, Mapping
from pathlib import Path
from types import MappingProxyType

from msgspec.structs import replace

from unvek.core.plan.model import SettingValue, Task, Variant
from unvek.core.plan.placeholders import JOB_NAME, NONCE, OUT, PROMPT_FILE, names_in, of_variant, values_for
from unvek.core.plan.reading.door import Problems, Table
from unvek.core.plan.reading.prices import read_price
from unvek.core.plan.reading.quoting import nearest_words, shown
from unvek.core.plan.reading.servers import read_stream
from unvek.core.plan.reading.started import files_named, program_of, read_secrets
from unvek.core.plan.runners import (
    COMMAND,
    FILES,
    KINDS,
    LOAD_SETTINGS,
    OUT_FOLDER,
    PLAN_FOLDER,
    PRINTED,
    PYTHON,
    STREAM,
    CommandRunner,
    PythonRunner,
    Runner,
    StreamRunner,
    Template,
    ValuePattern,
)
from unvek.core.plan.script_sight import TAKES, call_of, sight_of

PORT = "port"
SCRIPT_WANTED = 'the name of a Python file with load() and run(), such as "painter.py"'


def read_runners(table: Table, folder: Path) -> Mapping[str, Runner]:
    """Read every runner, by its name."""
    return MappingProxyType({name: _read_runner(name, table.table(name), folder) for name in table.names()})


def _read_runner(name: str, entry: Table, folder: Path) -> Runner:
    readers: Mapping[str, Callable[[str, Table, Path], Runner]] = {
        PYTHON: _read_python,
        COMMAND: _read_command,
        STREAM: read_stream,
    }
    runner = readers[entry.choice("kind", KINDS, PYTHON)](name, entry, folder)
    price = read_price(entry)
    entry.close()
    return replace(runner, price=price)


def _read_python(name: str, entry: Table, folder: Path) -> PythonRunner:
    script = entry.file("script", SCRIPT_WANTED)
    python = entry.program("python", default=sys.executable)
    _check_script(entry, script, is_ours=python == sys.executable)
    return PythonRunner(
        name=name,
        script=script,
        python=python,
        environment=entry.named_texts("environment"),
        secrets=read_secrets(entry),
    )


def _check_script(entry: Table, script: Path, is_ours: bool) -> None:
    """Look at a script without running it; one for another interpreter may be written in another Python."""
    if not script.is_file():
        return  # a problem by now
    try:
        sight = sight_of(script)
    except SyntaxError as error:
        if is_ours:
            entry.problem("script", f"{script.name}:{error.lineno}: {error.msg}", "a Python file")
        return
    except (OSError, ValueError) as error:
        entry.problem("script", f"{shown(script.name)}: {error}", SCRIPT_WANTED)
        return
    for name, takes in TAKES.items():
        call = call_of(name)
        function = sight.functions.get(name)
        if sight.is_missing(name):
            entry.problem("script", f"{script.name} has no {call}", f"a function {call}, which Unvek calls")
        elif function is not None and (function.is_async or not function.takes(len(takes))):
            found = "an async function" if function.is_async else f"a function {name} with other parameters"
            entry.problem("script", f"{script.name}:{function.line}: {found}", f"{call}, with {len(takes)} to be given")


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
        program=program_of(entry, "command", command, folder),
        files=files_named(command, folder),
        environment=entry.named_texts("environment"),
        secrets=read_secrets(entry),
        outputs=_read_outputs(entry),
        answer=entry.choice("answer", (FILES, PRINTED), FILES),
        start_in=entry.choice("start_in", (PLAN_FOLDER, OUT_FOLDER), PLAN_FOLDER),
        terminal=entry.true_or_false("terminal", True),
        steps=_read_pattern(entry, "steps", ("done",)) if entry.has("steps") else None,
        phases=MappingProxyType({phase: _read_pattern(phases, phase, ()) for phase in phases.names()}),
        values=MappingProxyType({value: _read_value(values, value) for value in values.names()}),
    )


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
        for template in runner.templates():
            for asked in dict.fromkeys(names_in(template.content)):
                here = tasks if template.is_of_run else ()
                _check_one(
                    f"runners.{name}.{template.key}", asked, _given(runner, template), users, here, vary, problems
                )


def _given(runner: Runner, template: Template) -> set[str]:
    """Return what a placeholder may stand for there besides what a variant and a task have."""
    if not isinstance(runner, StreamRunner):
        return {OUT, PROMPT_FILE}
    given = {PORT} if runner.serve else set()
    if template.is_of_run:
        given |= {NONCE, *LOAD_SETTINGS, *runner.secrets}
    if runner.job is not None and template.key.startswith(("job.", "fetch")):
        given |= {JOB_NAME}
    return given


def _check_one(
    where: str, asked: str, given: set[str], users: list[Variant], tasks: tuple[Task, ...],
    vary: Mapping[str, tuple[SettingValue, ...]], problems: Problems,
) -> None:  # fmt: skip
    for variant in users:
        for task in tasks or (None,):
            known = set(given)
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
