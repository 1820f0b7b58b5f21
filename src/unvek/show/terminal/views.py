"""One place that puts a finding out: as a table, JSON, CSV or Markdown, all drawn from the same object."""

import csv
import io
import json
import sys
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from types import NoneType
from typing import Any, Generic, TypeVar

from rich.console import Console

from unvek.core.exchange.files import harmless
from unvek.core.findings.as_json import finding_as_json
from unvek.core.logbook.run_table import uncollected
from unvek.core.plain_text import clean
from unvek.show.terminal.console import console
from unvek.show.terminal.grid import Column, markdown

MOST_INDENTED = 2000  # rows
FORMATS = ("table", "json", "csv", "markdown")
Finding = TypeVar("Finding")

NUMBERS = {int, float}  # which a cell takes as they are


@dataclass(frozen=True, slots=True)
class RecordColumns:
    """Flat records, column by column: of a great many it takes long to make each."""

    columns: Mapping[str, Sequence[Any]]


@dataclass(frozen=True, slots=True)
class View(Generic[Finding]):
    """How one kind of finding is shown: printed, as columns, and as flat records with units in their names."""

    print: Callable[[Console, Finding], None]
    columns: Callable[[Finding], Sequence[Column]]
    records: "Callable[[Finding], Sequence[Mapping[str, Any]] | RecordColumns]"


def put(finding: Finding, view: View[Finding], how: str) -> None:
    """Write a finding to standard output in the format asked for."""
    match how:
        case "json":
            with uncollected():
                content = finding_as_json(finding)
                # Indented for people to read, as long as anybody could: it takes ten times as long to write.
                indent = 2 if len(content.get("rows", ())) <= MOST_INDENTED else None
                sys.stdout.write(json.dumps(content, indent=indent, allow_nan=False) + "\n")
        case "csv":
            sys.stdout.write(as_csv(view.records(finding)))
        case "markdown":
            sys.stdout.write(markdown(view.columns(finding)) + "\n")
        case _:
            view.print(console(), finding)


def as_csv(records: Sequence[Mapping[str, Any]] | RecordColumns) -> str:
    """Return records as CSV (RFC 4180). A text that a spreadsheet would take for a formula is given a leading quote."""
    file = io.StringIO(newline="")
    columns = records.columns if isinstance(records, RecordColumns) else _columns_of(records)
    writer = csv.writer(file, lineterminator="\r\n")
    writer.writerow(_cells(list(columns)))
    writer.writerows(zip(*map(_cells, columns.values()), strict=True))
    return file.getvalue()


def _columns_of(records: Sequence[Mapping[str, Any]]) -> dict[str, Sequence[Any]]:
    names = dict.fromkeys(name for kind in dict.fromkeys(map(tuple, records)) for name in kind)
    return {name: [record.get(name) for record in records] for name in names}


def _cells(values: Sequence[Any]) -> Sequence[Any]:
    """Return what stands in a column's cells; of a long one most texts come many times."""
    kinds = set(map(type, values))
    if kinds <= NUMBERS:
        return values
    if kinds <= {*NUMBERS, NoneType}:
        return ["" if value is None else value for value in values]
    if kinds <= {str, NoneType}:
        cell = {value: "" if value is None else harmless(clean(value)) for value in set(values)}
        return [cell[value] for value in values]
    return [harmless(clean(value) if isinstance(value, str) else value) for value in values]
