"""Tables in files: CSV (RFC 4180), JSON Lines and Parquet, read a row at a time and written so."""

import csv
import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import IO, TYPE_CHECKING, Any

import msgspec

from unvek.core.errors import InputError

if TYPE_CHECKING:
    import pyarrow

CSV, JSON_LINES, PARQUET = ".csv", ".jsonl", ".parquet"
ENDINGS = (CSV, JSON_LINES, PARQUET)
AT_A_TIME = 1000  # rows of Parquet
WRITTEN_AT_A_TIME = 5000
LONGEST_LINE = 2**20
UNPACKED_FACTOR, UNPACKED_FREE_BYTES = 4, 64 * 2**20
NUMBERS = (int, float)  # which stand in a cell as they are
FORMULA_STARTS = ("=", "+", "-", "@", "\t", "\r")

Row = Mapping[str, Any]
Sorts = Mapping[str, type]


def ending_of(path: Path) -> str:
    """Return which kind of table a file is by its name; InputError where that does not say."""
    ending = path.suffix.lower()
    if ending not in ENDINGS:
        raise InputError(f"{path} ends in none of {', '.join(ENDINGS)}, so what it holds is not known; rename it")
    return ending


def read_rows(path: Path) -> Iterator[tuple[int, Sequence[str] | None, Row]]:
    """Yield (line, header or None, row) of a file: of CSV and Parquet the header comes first, with an empty row.

    Lines count from 1; a row of Parquet counts as a line after the header. InputError where the file can't be read as
    what its name says.
    """
    readers = {CSV: _read_csv, JSON_LINES: _read_json_lines, PARQUET: _read_parquet}
    try:
        yield from readers[ending_of(path)](path)
    except UnicodeDecodeError as error:
        raise InputError(f"{path} is not UTF-8 text: {error.reason} at byte {error.start}") from error
    except OSError as error:
        raise InputError(f"{path} can't be read: {error.strerror or error}") from error


def _read_csv(path: Path) -> Iterator[tuple[int, Sequence[str] | None, Row]]:
    with open(path, encoding="utf-8-sig", newline="") as file:
        lines = csv.reader(_bounded(file, path), strict=True)
        header = _next_cells(lines, path)
        if header is None:
            raise InputError(f"{path} is empty; wanted a header with variant and time_s at least")
        yield 1, header, {}
        while (cells := _next_cells(lines, path)) is not None:
            if not cells:
                continue
            if len(cells) != len(header):
                raise InputError(
                    f"{path}, line {lines.line_num}: {len(cells)} cells, where the header has {len(header)}"
                )
            yield lines.line_num, None, {name: _unquoted(cell) for name, cell in zip(header, cells, strict=True)}


def _next_cells(lines: Any, path: Path) -> list[str] | None:
    """Return the next row's cells; None after the last."""
    try:
        return next(lines, None)
    except csv.Error as error:
        raise InputError(f"{path}, line {lines.line_num}: no CSV ({error})") from error


def _bounded(file: IO[str], path: Path) -> Iterator[str]:
    number = 0
    while line := file.readline(LONGEST_LINE):
        number += 1
        if len(line) >= LONGEST_LINE:
            raise InputError(f"{path}, line {number}: longer than {LONGEST_LINE} characters")
        yield line


def _read_json_lines(path: Path) -> Iterator[tuple[int, Sequence[str] | None, Row]]:
    with open(path, encoding="utf-8-sig") as file:
        for number, line in enumerate(_bounded(file, path), 1):
            if not line.strip():
                continue
            try:
                row = json.loads(line)
            except (ValueError, RecursionError) as error:
                raise InputError(f"{path}, line {number}: no JSON ({error})") from error
            if not isinstance(row, dict):
                raise InputError(f"{path}, line {number}: wanted a JSON object, one a line")
            yield number, list(row), row


def _read_parquet(path: Path) -> Iterator[tuple[int, Sequence[str] | None, Row]]:
    import pyarrow
    import pyarrow.parquet

    try:
        with pyarrow.parquet.ParquetFile(path) as file:
            unpacked = sum(file.metadata.row_group(n).total_byte_size for n in range(file.metadata.num_row_groups))
            if unpacked > max(UNPACKED_FREE_BYTES, UNPACKED_FACTOR * path.stat().st_size):
                raise InputError(f"{path} would take {unpacked} bytes unpacked, which is far more than it is large")
            yield 1, file.schema_arrow.names, {}
            line = 1
            for batch in file.iter_batches(AT_A_TIME):
                for row in batch.to_pylist():
                    line += 1
                    yield line, None, row
    except (pyarrow.ArrowException, ValueError) as error:
        raise InputError(f"{path} is no Parquet: {error}") from error


def write_rows(rows: Iterable[Row], columns: Sequence[str], path: Path, sorts: Sorts | None = None) -> int:
    """Write rows into a file of the kind that its name says, and return how many; whole, or not at all.

    sorts: whether a column's values are str (of what is no number, JSON), int, float or bool, where that is known.
    InputError for a name that says nothing; OSError where it can't be written.
    """
    ending = ending_of(path)
    part = path.with_name(path.name + ".part")
    try:
        if ending == PARQUET:
            count = _write_parquet(rows, columns, part, sorts or {})
        else:
            with open(part, "w", encoding="utf-8", newline="") as file:
                count = (write_csv if ending == CSV else _write_json_lines)(rows, columns, file)
        part.replace(path)
    finally:
        part.unlink(missing_ok=True)
    return count


def write_csv(rows: Iterable[Row], columns: Sequence[str], file: IO[str]) -> int:
    """Write CSV; a text that a spreadsheet would take for a formula is given a leading quote."""
    writer = csv.writer(file, lineterminator="\r\n")
    writer.writerow(columns)
    count = 0
    for row in rows:
        cells = map(row.get, columns)
        writer.writerow(["" if cell is None else cell if type(cell) in NUMBERS else harmless(cell) for cell in cells])
        count += 1
    return count


def _write_json_lines(rows: Iterable[Row], columns: Sequence[str], file: IO[str]) -> int:
    count, encode = 0, msgspec.json.Encoder().encode
    wanted = frozenset(columns)
    for row in rows:
        if not wanted.issuperset(row) or None in row.values():
            row = {name: value for name, value in row.items() if name in wanted and value is not None}
        file.write(encode(row).decode() + "\n")
        count += 1
    return count


def _write_parquet(rows: Iterable[Row], columns: Sequence[str], path: Path, sorts: Sorts) -> int:
    """Write Parquet, so many rows at a time; of a column whose sort is not told, all rows are looked at first."""
    if not all(name in sorts for name in columns):
        rows = list(rows)
        sorts = {name: sorts.get(name) or _sort_of(row.get(name) for row in rows) for name in columns}
    writing = ParquetRows(path, columns, sorts)
    try:
        for row in rows:
            writing.put(row)
    finally:
        writing.close()
    return writing.count


class ParquetRows:
    """A Parquet file that is written row by row; so many of them are held at a time."""

    def __init__(self, path: Path, columns: Sequence[str], sorts: Sorts):
        import pyarrow
        import pyarrow.parquet

        self._kinds = {str: pyarrow.string(), float: pyarrow.float64(), int: pyarrow.int64(), bool: pyarrow.bool_()}
        self._sorts = {name: sorts[name] for name in columns}
        self._schema = pyarrow.schema([(name, self._kinds[sort]) for name, sort in self._sorts.items()])
        self._writer = pyarrow.parquet.ParquetWriter(path, self._schema)
        self._held: list[Row] = []
        self.count = 0

    def put(self, row: Row) -> None:
        self._held.append(row)
        self.count += 1
        if len(self._held) >= WRITTEN_AT_A_TIME:
            self._write()

    def _write(self) -> None:
        import pyarrow

        arrays = [
            _column([row.get(name) for row in self._held], sort, self._kinds) for name, sort in self._sorts.items()
        ]
        self._writer.write_batch(pyarrow.record_batch(arrays, schema=self._schema))
        self._held = []

    def close(self) -> None:
        if self._held:
            self._write()
        self._writer.close()


def _sort_of(values: Iterable[Any]) -> type:
    """Return which sort of value a column holds; texts, where it holds none, or values of several sorts."""
    found = {type(_flat(value)) for value in values if value is not None}
    if found == {int, float}:
        return float
    return found.pop() if len(found) == 1 else str


def _column(values: list[Any], sort: type, kinds: Mapping[type, Any]) -> "pyarrow.Array":
    import pyarrow

    flat = [None if value is None else _flat(value) for value in values]
    if sort in (str, float):
        flat = [None if value is None else sort(value) for value in flat]
    return pyarrow.array(flat, kinds[sort])


def _flat(value: Any) -> Any:
    return json.dumps(value) if isinstance(value, dict | list) else value


def harmless(value: Any) -> Any:
    """Return a value as CSV shows it: a text that a spreadsheet would take for a formula has a quote before it."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, dict | list):
        return json.dumps(value)
    return "'" + value if isinstance(value, str) and value.startswith(FORMULA_STARTS) else value


def _unquoted(cell: str) -> str:
    """Undo the quote before what a spreadsheet would take for a formula."""
    return cell[1:] if cell.startswith("'") and cell[1:].startswith(FORMULA_STARTS) else cell
