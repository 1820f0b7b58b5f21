"""Reading the [[tasks]] of a plan: each for itself, many from a file, one prompt in several lengths."""

import re
from collections.abc import Iterator
from pathlib import Path
from types import MappingProxyType

from unvek.core.plan.model import Task
from unvek.core.plan.reading.door import Problems, Table
from unvek.core.plan.reading.quoting import shown
from unvek.core.plan.reading.task_files import CSV, JSON_LINES, TaskFileError, read_text, task_tables

WORDS = "words"  # the number about a task that says how long its prompt was made
MOST_LENGTH = 1_000_000
LARGEST_PROMPT = 16 * 2**20  # characters
WORD = re.compile(r"\S+\s*")


def read_tasks(table: Table, folder: Path, problems: Problems) -> tuple[Task, ...]:
    """Read every task, in the order in which they stand in the plan and in its files."""
    return tuple(
        task
        for entry in table.tables("tasks", "at least one [[tasks]] table")
        for row in _rows_of(entry, folder, problems)
        for task in _read(row)
    )


def _rows_of(entry: Table, folder: Path, problems: Problems) -> Iterator[Table]:
    if not entry.has("from"):
        yield entry
        return
    wanted = f'the name of a {CSV} or {JSON_LINES} file, such as "prompts.csv"'
    path = entry.file("from", wanted)
    if not path.is_file():
        return  # a problem by now
    if path.suffix not in (CSV, JSON_LINES):
        entry.problem("from", shown(path.name), wanted)
        return
    yield from task_tables(entry, path, folder, problems)


def _read(table: Table) -> Iterator[Task]:
    prompt = _read_prompt(table)
    task = Task(
        name=table.name(),
        prompt=prompt,
        seeds=table.seeds("seeds", (0,)),
        inputs=table.files("inputs"),
        expect=table.texts("expect"),
        wanted=table.texts("wanted"),
        facts=table.numbers("facts"),
        settings=table.settings(),
        wordings=table.texts("wordings"),
    )
    has_prompt = table.has("prompt") or table.has("prompt_file")
    if task.wordings and not has_prompt:
        table.problem("prompt", "nothing", "the prompt, to which wordings are other ways to ask for the same")
    if not has_prompt and not task.inputs:
        table.problem("prompt", "nothing", "a prompt, a prompt_file, or input files under inputs")
    lengths = table.seeds("length", ())
    if lengths:
        yield from _in_lengths(table, task, lengths)
    else:
        yield task
    table.close()


def _read_prompt(table: Table) -> str:
    if not table.has("prompt_file"):
        return table.text("prompt", default="") if table.has("prompt") else ""
    if table.has("prompt"):
        table.problem("prompt_file", "a prompt beside it", "one of the two")
        return ""
    wanted = "the name of a text file in UTF-8 with the prompt in it"
    path = table.file("prompt_file", wanted)
    if not path.is_file():
        return ""  # a problem by now
    try:
        prompt = read_text(path).removesuffix("\n").removesuffix("\r")  # the end of the last line is the editor's
    except TaskFileError as error:
        table.problem("prompt_file", f"{shown(path.name)}: {error}", wanted)
        return ""
    if not prompt.strip() or "\0" in prompt or len(prompt) > LARGEST_PROMPT:
        found = "nothing in it" if not prompt.strip() else "a zero byte in it" if "\0" in prompt else "too long"
        table.problem("prompt_file", f"{shown(path.name)}: {found}", f"{wanted}, {LARGEST_PROMPT} characters at most")
        return ""
    return prompt


def _in_lengths(table: Table, task: Task, lengths: tuple[int, ...]) -> Iterator[Task]:
    """Yield the task with its prompt in each of some lengths, in words: cut, or said again from its beginning."""
    words = WORD.findall(task.prompt.lstrip())
    if not words or task.wordings:
        table.problem(
            "length", "no prompt" if not words else "wordings beside it",
            "a prompt or a prompt_file, whose words are taken, and no wordings",
        )  # fmt: skip
        return
    wanted = f"whole numbers from 1 to {MOST_LENGTH}, and {LARGEST_PROMPT} characters at most"
    if words[-1].strip() == words[-1]:
        words[-1] += " "
    characters = sum(map(len, words)) / len(words)
    for length in lengths:
        if not 1 <= length <= MOST_LENGTH or length * characters > LARGEST_PROMPT:
            table.problem("length", str(length), wanted)
            return
        times, rest = divmod(length, len(words))
        yield Task(
            name=f"{task.name}-{length}", prompt="".join(words * times + words[:rest]).rstrip(), seeds=task.seeds,
            inputs=task.inputs, expect=task.expect, wanted=task.wanted,
            facts=MappingProxyType({WORDS: length, **task.facts}), settings=task.settings,
        )  # fmt: skip
