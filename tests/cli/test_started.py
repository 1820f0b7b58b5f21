"""Every command as a user starts it: it says what it says when the tests call it, and imports only what it uses."""

import json
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Callable, Sequence
from pathlib import Path
from subprocess import CompletedProcess

import numpy as np

from tests.support import QUICK, SLOW, STARTED, ProjectTest, called, environment, started, task
from unvek.cli import COMMANDS

# What each command that is called elsewhere is asked here, on a plan with runs.
ASKED = {
    "init": ("init", "script", "model.py", "--in", "drafted"),
    "weigh": ("weigh", "small.npz", "--room", "1 GiB"),
    "rig": ("rig", "--as", "json"),
    "check": ("check",),
    "log": ("log",),
    "show": ("show", "2"),
    "note": ("note", "1", "a delivery came"),
    "void": ("void", "2", "--why", "a delivery came"),
    "compare": ("compare",),
    "curve": ("curve", "steps"),
    "measure": ("measure",),
    "audit": ("audit",),
    "tradeoff": ("tradeoff",),
    "budget": ("budget", "--drafts", "quick", "--finals", "slow"),
    "report": ("report", "--without-outputs"),
    "import": ("import", "other.csv", "--here", "--name", "monday"),
    "merge": ("merge", "other"),
    "team": ("team", "--roles"),
    "export": ("export",),
    "judge": ("judge", "log"),
    "help": ("help", "weigh"),
    "completion": ("completion", "bash"),
    "sheet": ("sheet", "--out", "sheet.png"),
}
FAULTS = (("show", "99"), ("check", "none.toml"), ("comapre",))
LEARNED = (("--help",), ("run", "--help"), ("compare", "--help"))

# What takes a noticeable time to import, and which commands have a use for it.
LARGE = ("numpy", "scipy", "pandas", "matplotlib", "pyarrow", "sqlalchemy", "rich", "PIL", "psutil", "httpx", "uvloop")
DRAWS, KEEPS, WATCHES = {"rich"}, {"sqlalchemy"}, {"psutil"}
COMPUTES, LOOKS_AT_PICTURES = {"numpy"}, {"PIL"}
USES: dict[str, set[str]] = {
    "init": set(),
    "weigh": DRAWS | KEEPS | WATCHES | COMPUTES,
    "rig": DRAWS | WATCHES,
    "check": DRAWS | KEEPS | WATCHES | COMPUTES,  # which runs are there already, and what they say of such a plan
    "log": DRAWS | KEEPS,
    "show": DRAWS | KEEPS,
    "note": KEEPS,
    "void": KEEPS,
    "compare": DRAWS | KEEPS | COMPUTES,
    "curve": DRAWS | KEEPS | COMPUTES,
    "measure": DRAWS | KEEPS | COMPUTES,
    "audit": DRAWS | KEEPS | COMPUTES | LOOKS_AT_PICTURES,
    "tradeoff": DRAWS | KEEPS | COMPUTES,
    "budget": DRAWS | KEEPS | COMPUTES,
    "report": DRAWS | KEEPS | COMPUTES | LOOKS_AT_PICTURES | {"matplotlib"},
    "import": DRAWS | KEEPS | WATCHES,
    "merge": KEEPS,
    "team": KEEPS,
    "export": DRAWS | KEEPS | COMPUTES,
    "judge": DRAWS | KEEPS,
    "sheet": DRAWS | KEEPS | COMPUTES | LOOKS_AT_PICTURES,
    "help": DRAWS,
    "completion": set(),
    "run": DRAWS | KEEPS | WATCHES,
}
REPORTING = """
import atexit, sys
from unvek.cli import main
atexit.register(lambda: open("imported.txt", "w").write(" ".join(sys.modules)))
main()
"""


class Started(ProjectTest):
    def setUp(self) -> None:
        super().setUp()
        plan = self.write_plan(SLOW, QUICK, task(), rounds=2, quality=True)
        plan.write_text(plan.read_text() + "\n[vary]\nsteps = [2, 4]\n")
        np.savez(self.folder / "small.npz", w=np.zeros((4, 4), np.float16))
        self.write("other.csv", "variant,task,seed,time_s\nother,violet,1,0.5\n")

    def test_every_command_is_asked(self):
        self.assertEqual(set(ASKED) | set(STARTED), set(COMMANDS))

    def test_each_says_the_same_leaves_the_same_and_imports_only_what_it_uses(self):
        self.have_runs()
        shutil.copytree(self.folder / "logbook", self.folder / "other")
        self.unvek("measure")  # whoever finds likenesses worked out need not look at pictures
        for name, arguments in ASKED.items():
            with self.subTest(name):
                (here, _), (there, imported) = (self.what_came(way, arguments) for way in (called, reporting))
                self.assertEqual(here, there)
                self.assertEqual(here[0], 0, here)
                self.assertLessEqual(imported, USES[name])
        for arguments in FAULTS:
            with self.subTest(arguments):
                (here, _), (there, _) = (self.what_came(way, arguments) for way in (called, started))
                self.assertEqual(here, there)
                self.assertEqual(here[0], 2, here)

    def test_help_imports_nothing_large_and_a_run_no_numbers_package(self):
        for arguments in LEARNED:
            (code, out, *_), imported = self.what_came(reporting, arguments)
            self.assertEqual((code, imported), (0, set()), arguments)
            self.assertIn("Usage", out)
        (code, *_), imported = self.what_came(reporting, ("run",))
        self.assertEqual(code, 0)
        self.assertLessEqual(imported, USES["run"])

    def what_came(
        self, way: Callable[..., CompletedProcess[str]], arguments: Sequence[str]
    ) -> tuple[tuple[object, ...], set[str]]:
        """Return the exit code, what was said, and the files left; and which large packages were imported.

        Of a machine at a moment only what is told is returned, not what it was.
        """
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name) / "project"
            shutil.copytree(self.folder, folder)
            done = way(*arguments, folder=folder)
            report = folder / "imported.txt"
            imported = set(report.read_text().split()) & set(LARGE) if report.exists() else set()
            report.unlink(missing_ok=True)
            files = sorted(path.name for path in folder.rglob("*") if path.suffix != ".pyc")
        out, err = (text.replace(name, "where the project is") for text in (done.stdout, done.stderr))
        return (done.returncode, sorted(json.loads(out)) if '"kind": "rig"' in out else out, err, files), imported


def reporting(*arguments: str, folder: Path) -> CompletedProcess[str]:
    """Start the program as its own script does, and have it leave a list of what it has imported."""
    command = [sys.executable, "-c", REPORTING, *arguments]
    return subprocess.run(command, cwd=folder, env=environment(), capture_output=True, text=True)
