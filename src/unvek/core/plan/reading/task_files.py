"""Files that hold many tasks: a row of a .csv, or a line of a .jsonl, is a task, its columns named as a task's keys."""

import csv
import json
from collections.abc import Callable, Iterator, Mapping
from io import StringIO
from pathlib import Path
from typing import Any

from unvek.core.plan.reading.door import Problems, Table
from unvek.core.plan.reading.quoting import nearest_words, shown
from unvek.core.units import parse_value

LARGEST_BYTES = 64 * 2**20
MOST_TASKS = 10_000
MOST_PROBLEMS = 20  # that are told of one file
CSV, JSON_LINES = ".csv", ".jsonl"
TEXT_KEYS = ("name", "prompt", "prompt_file")
TEXTS_KEYS = ("inputs", "expect", "wanted", "wordings")  # lists; in a CSV file with semicolons between
NUMBERS_KEYS = ("seeds", "length")
TABLES_KEYS = ("facts", "settings")  # a column for each thing in them, such as facts.things
BETWEEN = ";"


class TaskFileError(ValueError):
    """A file that can't be read as tasks; the text says where and why."""


def task_tables(entry: Table, path: Path, folder: Path, problems: Problems) -> Iterator[Table]:
    """Yield a table for each row; what the entry in the plan says beside `from` is said for every row without it.

    What is wrong with the file is a problem of the entry, what is wrong with a row one of its line.
    """
    usual, before = entry.besides("from"), len(problems)
    try:
        for number, (line, content) in enumerate(_rows(path), 1):
            if number > MOST_TASKS:
                raise TaskFileError(f"more than {MOST_TASKS} rows")
            row = _merged(usual, {"name": f"{path.stem}-{number}", **content})
            if len(problems) - before > MOST_PROBLEMS:
                raise TaskFileError(f"more that is wrong from line {line} on")
            yield Table(row, f"{path.name} line {line}", folder, problems)
    except TaskFileError as error:
        entry.problem("from", f"{shown(path.name)}: {error}", "a file with a row for each task")


def _merged(usual: Mapping[str, Any], row: Mapping[str, Any]) -> dict[str, Any]:
    merged = {**usual, **row}
    for key in TABLES_KEYS:
        if isinstance(usual.get(key), Mapping) and isinstance(row.get(key), Mapping):
            merged[key] = {**usual[key], **row[key]}
    return merged


def _rows(path: Path) -> Iterator[tuple[int, dict[str, Any]]]:
    """Yield each row with the number of its line."""
    text = read_text(path)
    found = 0
    for found, row in enumerate((_of_csv if path.suffix == CSV else _of_json_lines)(text), 1):  # noqa: B007
        yield row
    if not found:
        raise TaskFileError("no rows in it")


def read_text(path: Path) -> str:
    """Read a text file within bounds. Raises TaskFileError where that can't be."""
    try:
        if path.stat().st_size > LARGEST_BYTES:
            raise TaskFileError(f"more than {LARGEST_BYTES} bytes")
        return path.read_bytes().decode("utf-8-sig")
    except (OSError, UnicodeDecodeError) as error:
        raise TaskFileError(f"it can't be read as UTF-8 text: {error}") from error


def _of_csv(text: str) -> Iterator[tuple[int, dict[str, Any]]]:
    csv.field_size_limit(LARGEST_BYTES)
    reader = csv.reader(StringIO(text, newline=""), strict=True)
    try:
        columns = [name.strip() for name in next(reader, [])]
        parsers = [_parser(name) for name in columns]
        if len(set(columns)) < len(columns):
            raise TaskFileError("two columns of one name")
        line = reader.line_num + 1
        for cells in reader:
            if len(cells) > len(columns):
                raise TaskFileError(f"line {line} has {len(cells)} cells, and there are {len(columns)} columns")
            if any(cell.strip() for cell in cells):
                given = {
                    name: parse(cell)
                    for name, parse, cell in zip(columns, parsers, cells, strict=False)
                    if cell.strip()
                }
                yield line, _nested(given)
            line = reader.line_num + 1
    except csv.Error as error:
        raise TaskFileError(f"line {reader.line_num}: {error}") from error


def _parser(column: str) -> Callable[[str], Any]:
    """Return how a column's cells are read. Raises TaskFileError for one that no task has."""
    if column in TEXT_KEYS:
        return str
    if column in TEXTS_KEYS:
        return lambda cell: [part.strip() for part in cell.split(BETWEEN)]
    if column in NUMBERS_KEYS:
        return lambda cell: [parse_value(part.strip()) for part in cell.split(BETWEEN)]
    if column.partition(".")[0] in TABLES_KEYS and column.partition(".")[2]:
        return lambda cell: parse_value(cell.strip())
    known = (*TEXT_KEYS, *TEXTS_KEYS, *NUMBERS_KEYS, *(f"{key}.NAME" for key in TABLES_KEYS))
    raise TaskFileError(
        f"a column {shown(column)}, which no task has; there are {', '.join(known)}{nearest_words(column, known)}"
    )


def _of_json_lines(text: str) -> Iterator[tuple[int, dict[str, Any]]]:
    for number, line in enumerate(text.split("\n"), 1):
        if not line.strip():
            continue
        try:
            content = json.loads(line)
        except (ValueError, RecursionError) as error:
            raise TaskFileError(f"line {number} isn't JSON: {error}") from error
        if not isinstance(content, dict):
            raise TaskFileError(f"line {number} is {shown(content)}, and no object")
        yield number, _nested({key: value for key, value in content.items() if value is not None})


def _nested(given: Mapping[str, Any]) -> dict[str, Any]:
    """Put facts.things where things stands among the facts."""
    content: dict[str, Any] = {}
    for key, value in given.items():
        table, _, name = key.partition(".")
        if name and table in TABLES_KEYS and isinstance(content.setdefault(table, {}), dict):
            content[table][name] = value
        else:
            content[key] = value
    return content
