"""Every command as a user starts it says what it says when the tests call it in their own process."""

import json
import re
import shutil
import tempfile
from collections.abc import Callable, Sequence
from pathlib import Path
from subprocess import CompletedProcess

from tests.support import QUICK, SLOW, STARTED, ProjectTest, called, started, task
from unvek.cli import COMMANDS

# What each command that is called elsewhere is asked here, on a plan with runs.
ASKED = {
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
    "import": ("import", "other.csv", "--here", "--name", "monday"),
    "export": ("export",),
    "sheet": ("sheet", "--out", "sheet.png"),
}
FAULTS = (("show", "99"), ("compare", "--quickly"), ("check", "none.toml"), ("comapre",))


class Started(ProjectTest):
    def setUp(self) -> None:
        super().setUp()
        plan = self.write_plan(SLOW, QUICK, task(), rounds=2, quality=True)
        plan.write_text(plan.read_text() + "\n[vary]\nsteps = [2, 4]\n")
        self.write("other.csv", "variant,task,seed,time_s\nother,violet,1,0.5\n")
        self.have_runs()

    def test_every_command_is_asked(self):
        self.assertEqual(set(ASKED) | set(STARTED), set(COMMANDS))

    def test_each_says_the_same_and_leaves_the_same(self):
        for arguments in (*ASKED.values(), *FAULTS):
            with self.subTest(arguments):
                here, there = (self.what_came(way, arguments) for way in (called, started))
                self.assertEqual(here, there)
                self.assertEqual(here[0], 2 if arguments in FAULTS else 0, here)

    def what_came(self, way: Callable[..., CompletedProcess[str]], arguments: Sequence[str]) -> tuple[object, ...]:
        """Return the exit code, what was said, and the files left; of a machine at a moment only what is told."""
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name) / "project"
            shutil.copytree(self.folder, folder)
            done = way(*arguments, folder=folder)
            files = sorted(path.name for path in folder.rglob("*") if path.suffix != ".pyc")
        out, err = (text.replace(name, "where the project is") for text in (done.stdout, done.stderr))
        err = re.sub(r"python -m (unittest\.)?unvek", "unvek", err)
        return done.returncode, sorted(json.loads(out)) if '"kind": "rig"' in out else out, err, files
