"""Imports go one way, and a command imports only what it uses."""

import ast
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import unvek
from tests.support import environment, program

SOURCE = Path(unvek.__file__).parent
# From the ground up: a room may import from itself and from rooms before it.
ROOMS = ("probe", "core.units", "core.ids", "core.stats", "core.measures", "core.errors", "core.plan", "core.rig", "core.run", "core.logbook",
         "core.exchange", "core.findings", "core.session", "show", "demo", "cli")  # fmt: skip
HEAVY = ("numpy", "scipy", "pandas", "matplotlib", "pyarrow", "sqlalchemy", "rich", "PIL", "psutil")


def imports_of(path: Path) -> set[str]:
    found = set()
    for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found.add(node.module)
    return found


def room_of(module: str) -> int | None:
    inside = module.removeprefix("unvek.")
    return next((place for place, room in enumerate(ROOMS) if (inside + ".").startswith(room + ".")), None)


class Rooms(unittest.TestCase):
    def test_each_room_imports_only_from_rooms_before_it(self):
        checked = 0
        for path in SOURCE.rglob("*.py"):
            module = ".".join(path.relative_to(SOURCE).with_suffix("").parts).removesuffix(".__init__")
            room = room_of(module)
            if room is None or "demo.project" in module:
                continue
            for imported in imports_of(path):
                if imported.startswith("unvek."):
                    checked += 1
                    theirs = room_of(imported)
                    self.assertTrue(theirs is None or theirs <= room, f"{module} imports {imported}")
        self.assertGreater(checked, 150)

    def test_the_core_knows_no_interface(self):
        for path in (SOURCE / "core").rglob("*.py"):
            names = {name.split(".")[0] for name in imports_of(path)}
            self.assertFalse(names & {"click", "rich", "matplotlib"}, path)
            calls = [node.func for node in ast.walk(ast.parse(path.read_text())) if isinstance(node, ast.Call)]
            self.assertFalse([call for call in calls if isinstance(call, ast.Name) and call.id == "print"], path)

    def test_statistics_and_measures_know_no_runs_and_no_files(self):
        for room in ("stats", "measures"):
            for path in (SOURCE / "core" / room).rglob("*.py"):
                theirs = {name for name in imports_of(path) if name.startswith("unvek.")}
                self.assertTrue(all(name.startswith(f"unvek.core.{room}") for name in theirs), (path, theirs))

    def test_the_probe_is_standard_library_only(self):
        for path in (SOURCE / "probe").glob("*.py"):
            roots = {name.split(".")[0] for name in imports_of(path)}
            self.assertLessEqual(roots, set(sys.stdlib_module_names), path)


class StartUp(unittest.TestCase):
    def imported_by(self, *arguments: str) -> set[str]:
        """Return which heavy packages a command has imported when it ends."""
        code = (
            "import sys, atexit; from unvek.cli import main; sys.argv[1:] = sys.argv[1:];"
            f"atexit.register(lambda: print([m for m in {HEAVY!r} if m in sys.modules], file=sys.stderr)); main()"
        )
        done = subprocess.run(
            [sys.executable, "-c", code, *arguments], capture_output=True, text=True, env=environment()
        )
        return set(ast.literal_eval(done.stderr.strip().splitlines()[-1]))

    def test_help_imports_nothing_heavy(self):
        self.assertEqual(self.imported_by("--help"), set())
        self.assertEqual(self.imported_by("run", "--help"), set())

    def test_running_and_listing_need_no_numbers_package(self):
        for command in ("run", "log", "check"):
            self.assertFalse(self.imported_by(command) & {"numpy", "scipy", "PIL"}, command)

    def test_results_import_nothing_that_takes_a_second(self):
        with tempfile.TemporaryDirectory() as name:
            table = Path(name) / "runs.csv"
            table.write_text("variant,time_s\nfull,1\nfull,2\nswift,1\nswift,1.5\n")
            logbook = ("--logbook", f"{name}/logbook")
            subprocess.run(
                program("import", str(table), *logbook), check=True, env=environment(), stderr=subprocess.PIPE
            )
            for command in ("compare", "audit", "tradeoff", "export"):
                slow = {"scipy", "pandas", "matplotlib", "pyarrow"}
                self.assertFalse(self.imported_by(command, *logbook) & slow, command)


if __name__ == "__main__":
    unittest.main()
