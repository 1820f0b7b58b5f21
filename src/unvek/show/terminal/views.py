"""One place that puts a finding out: as a table, JSON, CSV or Markdown, all drawn from the same object."""

import csv
import io
import sys
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from types import NoneType
from typing import Any, Generic, TypeVar

from msgspec.json import encode
from rich.console import Console

from unvek.core.exchange.files import FORMULA_STARTS, harmless
from unvek.core.findings.as_json import json_pieces
from unvek.core.logbook.run_table import uncollected
from unvek.core.plain_text import LONGEST, clean
from unvek.show.terminal.console import console
from unvek.show.terminal.grid import Column, markdown

FORMATS = ("table", "json", "csv", "markdown")
Finding = TypeVar("Finding")

END_OF_LINE = "\r\n"


@dataclass(frozen=True, slots=True)
class RecordBlocks:
    """Flat records, by column, so many at a time: of a great many it takes long to make each, and room to hold all."""

    names: Sequence[str]
    blocks: Iterable[Mapping[str, Sequence[Any]]]


@dataclass(frozen=True, slots=True)
class View(Generic[Finding]):
    """How one kind of finding is shown: printed, as columns, and as flat records with units in their names."""

    print: Callable[[Console, Finding], None]
    columns: Callable[[Finding], Sequence[Column]]
    records: "Callable[[Finding], Sequence[Mapping[str, Any]] | RecordBlocks]"


def put(finding: Finding, view: View[Finding], how: str) -> None:
    """Write a finding to standard output in the format asked for."""
    match how:
        case "json":
            with uncollected():
                sys.stdout.writelines(json_pieces(finding))
            sys.stdout.write("\n")
        case "csv":
            sys.stdout.writelines(csv_pieces(view.records(finding)))
        case "markdown":
            sys.stdout.write(markdown(view.columns(finding)) + "\n")
        case _:
            view.print(console(), finding)


def csv_pieces(records: Sequence[Mapping[str, Any]] | RecordBlocks) -> Iterator[str]:
    """Yield records as CSV (RFC 4180). A text that a spreadsheet would take for a formula is given a leading quote."""
    if not isinstance(records, RecordBlocks):
        names = tuple(dict.fromkeys(name for kind in dict.fromkeys(map(tuple, records)) for name in kind))
        records = RecordBlocks(names, [{name: [record.get(name) for record in records] for name in names}])
    yield _written([_cells(records.names)])
    for block in records.blocks:
        yield _written(list(zip(*map(_cells, block.values()), strict=True)))


def _written(rows: Sequence[Sequence[str]]) -> str:
    """Return rows of cells as CSV; where none of them needs a quote, without looking at each, which takes longer."""
    text = END_OF_LINE.join([*map(",".join, rows), ""])
    commas = (len(rows[0]) - 1) * len(rows) if rows else 0
    if commas and text.count(",") == commas and '"' not in text and text.count("\n") == text.count("\r") == len(rows):
        return text
    file = io.StringIO(newline="")
    csv.writer(file, lineterminator=END_OF_LINE).writerows(rows)
    return file.getvalue()


def _cells(values: Sequence[Any]) -> Sequence[str]:
    """Return what stands in a column's cells; of a long one most texts come many times."""
    kinds = set(map(type, values))
    if kinds <= {str} and _are_plain(values):
        return values
    if kinds <= {str, bool, NoneType}:
        cells = {value: _cell(value) for value in set(values)}
        return list(map(cells.__getitem__, values))
    if kinds == {float}:
        return _numbers(values)
    return list(map(str if kinds == {int} else _cell, values))


def _numbers(values: Sequence[float]) -> Sequence[str]:
    """Return numbers as Python writes them: by a library that writes all at once, where that has the same forms."""
    text = encode(values).decode()[1:-1]
    has_others = any(form in text for form in ("e", "null", "0.0000"))  # 1e-05 and below, 1e+16 and above, not a number
    return list(map(str, values)) if has_others else text.split(",")


def _are_plain(texts: Sequence[str]) -> bool:
    """Whether texts can stand as they are: all of them looked at as one, which takes a tenth of the time."""
    line = "," + ",".join(texts)
    has_formula = any("," + start in line for start in FORMULA_STARTS)
    return line.isascii() and line.isprintable() and not has_formula and max(map(len, texts), default=0) <= LONGEST


def _cell(value: Any) -> str:
    return str(harmless(clean(value) if isinstance(value, str) else value))
