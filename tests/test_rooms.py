"""Imports go one way: each folder is a room, and takes only from rooms below it; no file goes round in a circle."""

import ast
import sys
import unittest
from functools import cache
from graphlib import CycleError, TopologicalSorter
from pathlib import Path

import unvek

SOURCE = Path(unvek.__file__).parent
# Every folder, from the ground up. A new one is put where it belongs, or the first test fails.
ROOMS = (
    "probe", "core", "core/stats", "core/stats/over_launches", "core/stats/over_tasks", "core/stats/conclusions", "core/stats/judged", "core/measures", "core/plan", "core/plan/reading", "core/weights/formats", "core/weights", "core/rig", "core/ask", "core/drafting",
    "core/run", "core/run/events", "core/run/journal", "core/run/processes", "core/run/engine", "core/run/runners", "core/run/runners/asker",
    "core/logbook/upgrades", "core/logbook", "core/exchange", "core/clock", "core/evidence/outputs", "core/evidence", "core/judging",
    "core/findings", "core/findings/log", "core/findings/weights", "core/findings/audit", "core/findings/comparison", "core/findings/curve", "core/findings/tradeoff", "core/findings/changes", "core/findings/output_sheet", "core/findings/tally", "core/findings/report",
    "core/session/measuring", "core/session/judging", "core/session", "show", "show/terminal", "show/results", "show/live", "show/picture/tiles", "show/picture/plots", "show/picture", "show/page", "demo", "cli", "cli/judge", ".",
)  # fmt: skip
NO_ROOMS = ("demo/project",)  # a user's files, which are copied
# What a room may not take from outside, with everything within it.
FORBIDDEN = {"core": {"click", "rich", "matplotlib"}, "show": {"click"}}


def room_of(path: Path) -> str:
    return str(path.parent.relative_to(SOURCE))


def files() -> list[Path]:
    return [path for path in sorted(SOURCE.rglob("*.py")) if room_of(path) not in NO_ROOMS]


@cache
def tree_of(path: Path) -> ast.Module:
    return ast.parse(path.read_text(encoding="utf-8"))


def imports_of(path: Path) -> set[str]:
    """Return the modules that a file imports, at its top or within a function; of a package, the parts it names."""
    found = set()
    for node in ast.walk(tree_of(path)):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found |= {node.module, *(f"{node.module}.{alias.name}" for alias in node.names)}
    return found


def file_of(module: str) -> Path | None:
    """Return the file of a module of ours; None where it is a name within one, a package's face or somebody else's."""
    path = SOURCE.parent.joinpath(*module.split(".")).with_suffix(".py")
    return path if path.is_file() else None


class Rooms(unittest.TestCase):
    def test_every_folder_is_a_room_that_is_known_and_says_what_it_is(self):
        folders = {room_of(path) for path in SOURCE.rglob("*.py")} - set(NO_ROOMS)
        self.assertEqual(folders, set(ROOMS))
        for room in ROOMS:
            face = SOURCE / room / "__init__.py"
            self.assertTrue(ast.get_docstring(tree_of(face)), f"{face} says nothing")

    def test_each_takes_only_from_rooms_below_it(self):
        checked = 0
        for path in files():
            for theirs in filter(None, map(file_of, imports_of(path))):
                checked += 1
                self.assertLessEqual(
                    ROOMS.index(room_of(theirs)), ROOMS.index(room_of(path)), f"{path} imports {theirs}"
                )
        self.assertGreater(checked, 500)

    def test_no_file_goes_round_in_a_circle(self):
        graph = {
            path: {theirs for theirs in map(file_of, imports_of(path)) if theirs not in (None, path)}
            for path in files()
        }
        try:
            TopologicalSorter(graph).prepare()
        except CycleError as error:
            self.fail(" -> ".join(str(path.relative_to(SOURCE)) for path in error.args[1]))

    def test_the_core_knows_no_interface_and_what_is_shown_no_command_line(self):
        for room, names in FORBIDDEN.items():
            for path in (SOURCE / room).rglob("*.py"):
                self.assertFalse({name.split(".")[0] for name in imports_of(path)} & names, path)
        for path in (SOURCE / "core").rglob("*.py"):
            calls = [node.func for node in ast.walk(tree_of(path)) if isinstance(node, ast.Call)]
            self.assertFalse([call for call in calls if isinstance(call, ast.Name) and call.id == "print"], path)

    def test_what_makes_runs_is_called_by_commands_and_by_nothing_that_draws(self):
        makers = {"make_runs", "make_trial", "Engine"}
        for path in (SOURCE / "show").rglob("*.py"):
            self.assertFalse({name.rpartition(".")[2] for name in imports_of(path)} & makers, path)

    def test_statistics_and_measures_know_no_runs_and_no_files(self):
        for room in ("core/stats", "core/measures"):
            for path in (SOURCE / room).rglob("*.py"):
                theirs = {room_of(file) for file in map(file_of, imports_of(path)) if file is not None}
                self.assertTrue(all(f"{one}/".startswith(f"{room}/") for one in theirs), path)

    def test_the_probe_is_standard_library_only(self):
        for path in (SOURCE / "probe").glob("*.py"):
            roots = {name.split(".")[0] for name in imports_of(path)}
            self.assertLessEqual(roots, set(sys.stdlib_module_names), path)


if __name__ == "__main__":
    unittest.main()
