"""Where TOML comes in: each table is read key by key, and everything wrong with it is collected, not raised.

A reading method returns the parsed value, or a harmless stand-in where the value is wrong, so that the reading
goes on and all problems are told at once. Whoever reads must ask `Problems` at the end whether there are any.
"""

import json
import os
import shutil
from collections.abc import Callable, Iterator, Mapping
from glob import escape, has_magic, iglob
from itertools import islice
from pathlib import Path
from types import MappingProxyType
from typing import Any, TypeVar

from unvek.core.errors import Problem
from unvek.core.measures import kind
from unvek.core.measures.kind import Option
from unvek.core.plan.model import Settings, SettingValue
from unvek.core.plan.model_folder import MOST_FILES, FolderError, files_of
from unvek.core.plan.names import LARGEST_SEED, NAME_WORDS, is_name
from unvek.core.plan.reading.quoting import LARGEST_WHOLE, nearest_words, shortened, shown
from unvek.core.units import parse_bytes, parse_duration, parse_share

MOST_WORDS, LONGEST_WORD = 100, 4000  # of a command
LARGEST_OPTION = 1e100
_MISSING = object()
Quantity = TypeVar("Quantity", int, float)


class Problems(list[Problem]):
    """The problems found so far."""

    def add(self, where: str, found: str, wanted: str) -> None:
        self.append(Problem(where=where, found=found, wanted=wanted))


class Table:
    """One TOML table, with its key path and the folder that its relative file names start from."""

    def __init__(self, content: Mapping[str, Any], where: str, folder: Path, problems: Problems):
        self._content = content
        self._where = where
        self._folder = folder
        self._problems = problems
        self._known: set[str] = set()

    def path_of(self, key: str) -> str:
        key = shortened(key)
        return f"{self._where}.{key}" if self._where else key

    def has(self, key: str) -> bool:
        self._known.add(key)
        return key in self._content

    def problem(self, key: str, found: str, wanted: str) -> None:
        self._problems.add(self.path_of(key), found, wanted)

    def text(self, key: str, default: str | None = None, wanted: str = "a text") -> str:
        """A text that is not empty; needed where there is no default."""
        value = self._take(key, wanted, needed=default is None)
        if value is _MISSING:
            return default or ""
        if isinstance(value, str) and value.strip() and "\0" not in value:
            return value
        self.problem(key, shown(value), wanted)
        return default or ""

    def name(self, key: str = "name") -> str:
        """A name that can stand in a table, a file name and an option."""
        value = self.text(key, wanted=NAME_WORDS)
        if value and not is_name(value):
            self.problem(key, shown(value), NAME_WORDS)
        return value

    def choice(
        self, key: str, choices: tuple[str, ...], default: str, renamed: Mapping[str, str] = MappingProxyType({})
    ) -> str:
        """One of some words; of one that was renamed the error says what it is called now."""
        value = self._take(key, "", needed=False)
        if value is _MISSING:
            return default
        if value in choices:
            return str(value)
        if isinstance(value, str) and value in renamed:
            self.problem(key, shown(value), f"{renamed[value]}, which is what {value} is called now")
        else:
            self.problem(key, shown(value), "one of " + ", ".join(choices) + nearest_words(value, choices))
        return default

    def option(self, option: Option) -> str:
        """What a plan says of a measure, as its kind has it, as one text."""
        if option.choices:
            return self.choice(option.name, option.choices, option.default or option.choices[0])
        match option.written:
            case kind.NUMBER:
                return f"{self.number_or_none(option.name, 0.0, LARGEST_OPTION) or 0.0:g}"
            case kind.TRUTH:
                return kind.YES if self.true_or_false(option.name, False) else "no"
            case kind.DURATION:
                return f"{self.duration_s(option.name, None) or 0.0:g}"
            case kind.SIZE:
                return str(self.size_bytes(option.name, None) or 0)
            case kind.WORDS:
                return self._words(option.name)
            case kind.FILE:
                self.file(option.name, "the name of a file that exists")
                return str(self._content[option.name])
        wanted = f"a text of up to {option.longest} characters"
        value = self.text(option.name, wanted=wanted)
        if len(value) > option.longest:
            self.problem(option.name, shown(value), wanted)
        return value[: option.longest]

    def _words(self, key: str) -> str:
        """A command: a list of texts, as JSON."""
        words = self.texts(key)
        if not words or len(words) > MOST_WORDS or max(map(len, words)) > LONGEST_WORD:
            self.problem(key, shown(self._content[key]), "a command as a list of texts, and no shell")
        return json.dumps(words)

    def whole(self, key: str, default: int, at_least: int, at_most: int) -> int:
        value = self._take(key, "", needed=False)
        if value is _MISSING:
            return default
        if isinstance(value, int) and not isinstance(value, bool) and at_least <= value <= at_most:
            return value
        self.problem(key, shown(value), f"a whole number from {at_least} to {at_most}")
        return default

    def whole_or_none(self, key: str, default: int | None, at_least: int, at_most: int) -> int | None:
        """A whole number where there is one; with default None, none is none."""
        return self.whole(key, default or at_least, at_least, at_most) if self.has(key) else default

    def number_or_none(self, key: str, at_least: float, at_most: float) -> float | None:
        value = self._take(key, "", needed=False)
        if value is _MISSING:
            return None
        if is_a(value, (int, float)) and at_least <= value <= at_most:
            return float(value)
        self.problem(key, shown(value), f"a number from {at_least:g} to {at_most:g}")
        return None

    def duration_s(self, key: str, default: float | None) -> float | None:
        return self._quantity(key, default, parse_duration)

    def share(self, key: str, default: float | None) -> float | None:
        """A share between 0 and 1, written as a percentage."""
        return self._quantity(key, default, parse_share)

    def size_bytes(self, key: str, default: int | None) -> int | None:
        """A size of at least one byte."""
        return self._quantity(key, default, parse_bytes)

    def _quantity(self, key: str, default: Quantity | None, parse: Callable[[str], Quantity]) -> Quantity | None:
        """A text with a number and a unit, as `parse` has it."""
        value = self._take(key, "", needed=False)
        if value is _MISSING:
            return default
        try:
            return parse(value if isinstance(value, str) else "")
        except ValueError as error:
            self.problem(key, shown(value), str(error))
            return default

    def file(self, key: str, wanted: str) -> Path:
        value = self.text(key, wanted=wanted)
        return self._checked_file(key, value, wanted) if value else self._folder

    def program(self, key: str, default: str) -> str:
        """A program: a name to be looked for on the PATH, or a path from the plan's folder to one that exists."""
        value = self.text(key, default=default)
        is_path = "/" in value and key in self._content
        return str(self._checked_file(key, value, PROGRAM_WANTED)) if is_path else value

    def files(self, key: str) -> tuple[Path, ...]:
        wanted = "a list of names of files that exist"
        return tuple(self._checked_file(place, value, wanted) for place, value in self._list_of(key, str, wanted))

    def models(self, key: str) -> tuple[Path, ...]:
        """Files, folders that are models as a whole, and patterns for either: what fits is in order of its name."""
        wanted = 'a list of names of files or folders that exist, or patterns such as "models/*.safetensors"'
        return tuple(
            path for place, value in self._list_of(key, str, wanted) for path in self._models_of(place, value, wanted)
        )

    def named_models(self, key: str) -> Mapping[str, Path]:
        """Files, or folders that are models as a whole, each under its name."""
        table, wanted = self.table(key), "the name of a file or folder that exists"
        named = {name: table.text(name, wanted=wanted) for name in table.names()}
        return MappingProxyType(
            {name: table._checked_file(name, value, wanted, or_folder=True) for name, value in named.items() if value}
        )

    def _models_of(self, place: str, value: str, wanted: str) -> list[Path]:
        if not has_magic(value) or (self._folder / value).exists():
            return [self._checked_file(place, value, wanted, or_folder=True)]
        pattern = os.path.join(escape(str(self._folder)), os.path.expanduser(value))
        found = sorted(islice(iglob(pattern, recursive=True), MOST_FILES + 1))
        if not found or len(found) > MOST_FILES:
            how_many = "which nothing fits" if not found else f"which more than {MOST_FILES} files fit"
            self.problem(place, f"{shown(value)}, {how_many} in {self._folder}", wanted)
            return []
        return [self._checked_file(place, path, wanted, or_folder=True) for path in found]

    def texts(self, key: str) -> tuple[str, ...]:
        """Texts that can be handed to a program: no zero bytes in them."""
        wanted = "a list of texts"
        values = tuple(value for _, value in self._list_of(key, str, wanted))
        if any("\0" in value for value in values):
            self.problem(key, shown(list(values)), f"{wanted} without zero bytes")
            return ()
        return values

    def seeds(self, key: str, default: tuple[int, ...]) -> tuple[int, ...]:
        wanted = f"a list of different whole numbers from 0 to {LARGEST_SEED}"
        if not self.has(key):
            return default
        before = len(self._problems)
        values = tuple(value for _, value in self._list_of(key, int, wanted))
        if len(self._problems) > before:
            return default
        if not values or len(set(values)) < len(values) or not all(0 <= value <= LARGEST_SEED for value in values):
            self.problem(key, shown(self._content[key]), wanted)
            return default
        return values

    def settings(self, key: str = "settings") -> Settings:
        wanted = "a number, a text, true or false"
        return MappingProxyType(dict(self.table(key)._values_of((str, int, float, bool), wanted)))

    def varied(self, key: str) -> Mapping[str, tuple[SettingValue, ...]]:
        """Settings, each with a list of different values."""
        wanted = "a list of different numbers, texts, true or false"
        found = {}
        table = self.table(key)
        for name in table.names():
            values = table._take(name, "", needed=False)
            fits = isinstance(values, list) and all(is_a(value, (str, int, float, bool)) for value in values)
            if not fits or not values or len(set(map(repr, values))) < len(values):
                table.problem(name, shown(values), wanted)
            else:
                found[name] = tuple(values)
        return MappingProxyType(found)

    def numbers(self, key: str) -> Mapping[str, float]:
        return MappingProxyType(dict(self.table(key)._values_of((int, float), "a number")))

    def named_texts(self, key: str) -> Mapping[str, str]:
        return MappingProxyType(dict(self.table(key)._values_of((str,), "a text")))

    def true_or_false(self, key: str, default: bool) -> bool:
        value = self._take(key, "", needed=False)
        if value is _MISSING:
            return default
        if isinstance(value, bool):
            return value
        self.problem(key, shown(value), "true or false")
        return default

    def json(self, key: str) -> Any:
        """Whatever stands there, as JSON has it; None where nothing does."""
        value = self._take(key, "", needed=False)
        if value is _MISSING:
            return None
        try:
            return json.loads(json.dumps(value, allow_nan=False))
        except (TypeError, ValueError, RecursionError):
            self.problem(key, shown(value), "texts, numbers, true or false, lists and tables (no dates)")
            return None

    def besides(self, key: str) -> dict[str, Any]:
        """What stands here beside a key, as it was read; whoever takes it asks for each of its keys."""
        self._known.update(self._content)
        return {name: value for name, value in self._content.items() if name != key}

    def filled(self, fill: Callable[[Mapping[str, Any]], Mapping[str, Any]]) -> "Table":
        """The same table with more in it; what is asked of either is known of both."""
        table = Table(fill(self._content), self._where, self._folder, self._problems)
        table._known = self._known
        return table

    def names(self) -> list[str]:
        return list(self._content)

    def table(self, key: str) -> "Table":
        value = self._take(key, "", needed=False)
        if value is not _MISSING and not isinstance(value, dict):
            self.problem(key, shown(value), "a table")
        return Table(value if isinstance(value, dict) else {}, self.path_of(key), self._folder, self._problems)

    def tables(self, key: str, wanted: str) -> Iterator["Table"]:
        """The tables of an array such as [[variants]], each under its name where it has one."""
        value = self._take(key, wanted, needed=False)
        if not isinstance(value, list) or not value:
            self.problem(key, "nothing" if value in (_MISSING, []) else shown(value), wanted)
            return
        for number, entry in enumerate(value):
            if isinstance(entry, dict):
                name = entry.get("name")
                place = shortened(name) if isinstance(name, str) and name else number + 1
                yield Table(entry, f"{key}[{place}]", self._folder, self._problems)
            else:
                self.problem(f"{key}[{number + 1}]", shown(entry), wanted)

    def close(self) -> None:
        """Report each key that nobody asked for, with the nearest that is known."""
        for key in self._content:
            if key not in self._known:
                known = "one of " + ", ".join(sorted(self._known)) if self._known else "no key here"
                self.problem(key, "an unknown key", known + nearest_words(key, tuple(self._known)))

    def _take(self, key: str, wanted: str, needed: bool) -> Any:
        if self.has(key):
            return self._content[key]
        if needed:
            self.problem(key, "nothing", wanted)
        return _MISSING

    def _list_of(self, key: str, kind: type, wanted: str) -> list[tuple[str, Any]]:
        value = self._take(key, wanted, needed=False)
        if value is _MISSING:
            return []
        if not isinstance(value, list) or any(not is_a(entry, (kind,)) for entry in value):
            self.problem(key, shown(value), wanted)
            return []
        return [(f"{key}[{number}]", entry) for number, entry in enumerate(value)]

    def _values_of(self, kinds: tuple[type, ...], wanted: str) -> Iterator[tuple[str, Any]]:
        for key, value in self._content.items():
            if is_a(value, kinds):
                yield key, value
            else:
                self.problem(key, shown(value), wanted)

    def _checked_file(self, key: str, value: str, wanted: str, or_folder: bool = False) -> Path:
        try:
            path = self._folder / Path(value).expanduser()
            problem = None if path.is_file() else "a folder" if path.is_dir() else "no such file"
            if or_folder and problem == "a folder":
                files_of(path)
                problem = None
        except FolderError as error:
            problem = str(error)
        except OSError as error:  # a name that is too long, or in a folder that may not be looked into
            path, problem = self._folder, f"{error.strerror}"
        except RuntimeError:
            path, problem = self._folder, "no such user"
        if problem is not None:
            self.problem(key, f"{shown(value)}, {problem} in {self._folder}", wanted)
        return path


def is_file(path: Path) -> bool:
    """Whether a file lies there; not where the name is one that none can have."""
    try:
        return path.is_file()
    except OSError:
        return False


def is_a(value: Any, kinds: tuple[type, ...]) -> bool:
    """Whether a TOML value is of one of the kinds; true is no number, nan, inf and what is beyond all use are none."""
    if isinstance(value, bool):
        return bool in kinds
    if isinstance(value, float) and not -1e300 < value < 1e300:
        return False
    if isinstance(value, int) and not -LARGEST_WHOLE <= value <= LARGEST_WHOLE:
        return False
    return isinstance(value, kinds)


PROGRAM_WANTED = "a program on the PATH, or the path of one"


def found_program(name: str, folder: Path) -> tuple[str, str | None]:
    """Return where a program is, and what is wrong with it if it can't be started.

    One with a slash is a path from the plan's folder.
    """
    found = str(folder / name) if "/" in name else shutil.which(name)
    if found is None or not os.access(found, os.X_OK) or os.path.isdir(found):
        is_there = found is not None and os.path.isfile(found)
        return name, "a file that may not be executed" if is_there else "no such program"
    return found, None
