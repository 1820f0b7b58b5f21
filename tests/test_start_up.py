"""A command imports only what it uses: tried on a plan with runs, to the end of the command."""

import ast
import subprocess
import sys

from tests.support import QUICK, SLOW, ProjectTest, environment, task

HEAVY = ("numpy", "scipy", "pandas", "matplotlib", "pyarrow", "sqlalchemy", "rich", "PIL", "psutil", "httpx", "uvloop")
# The engine watches processes and keeps a logbook; who only reads the logbook needs no more than that and numbers.
NOT_TO_RUN = {"scipy", "pandas", "matplotlib", "pyarrow", "PIL", "httpx"}
NOT_TO_READ = {"scipy", "pandas", "matplotlib", "pyarrow", "PIL", "httpx", "uvloop", "psutil"}

REPORTING = f"""
import atexit, sys
from unvek.cli import main
atexit.register(lambda: print([name for name in {HEAVY!r} if name in sys.modules], file=sys.stderr))
main()
"""


class StartUp(ProjectTest):
    def setUp(self) -> None:
        super().setUp()
        plan = self.write_plan(SLOW, QUICK, task(), rounds=2)
        plan.write_text(plan.read_text() + "\n[vary]\nsteps = [2, 4]\n")

    def imported_by(self, *arguments: str) -> set[str]:
        """Return which heavy packages a command has imported when it ends as it should."""
        done = subprocess.run(
            [sys.executable, "-c", REPORTING, *arguments], cwd=self.folder, capture_output=True, text=True, env=environment()
        )  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertTrue(done.stdout or arguments[0] == "run", "it did its work")
        return set(ast.literal_eval(done.stderr.strip().splitlines()[-1]))

    def test_help_imports_nothing_heavy(self):
        for arguments in (("--help",), ("run", "--help"), ("compare", "--help")):
            self.assertEqual(self.imported_by(*arguments), set(), arguments)

    def test_a_plan_that_is_checked_or_run_needs_no_numbers_package(self):
        self.assertFalse(self.imported_by("check") & (NOT_TO_READ | {"numpy"}))
        self.assertFalse(self.imported_by("run") & NOT_TO_RUN)
        self.assertFalse(self.imported_by("check") & (NOT_TO_RUN | {"numpy"}))

    def test_runs_that_are_read_need_nothing_that_takes_a_second(self):
        self.have_runs()
        for arguments in (("log",), ("log", "--sessions"), ("show", "2")):
            self.assertFalse(self.imported_by(*arguments) & (NOT_TO_READ | {"numpy"}), arguments)
        for arguments in (("compare",), ("tradeoff",), ("curve", "steps"), ("export",), ("measure",)):
            self.assertFalse(self.imported_by(*arguments) & NOT_TO_READ, arguments)
        self.assertFalse(self.imported_by("audit") & (NOT_TO_READ - {"PIL"}), "it looks at the outputs' sizes")
