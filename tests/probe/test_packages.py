"""What a model's process has imported is told: packages with versions, the script's own modules with digests."""

import hashlib
import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from tests.support import ProjectTest, task, variant
from unvek.probe import packages

LOOK = """
import json, sys
sys.path[:0] = [{folder!r}, {room!r}]
from packages import LoadedPackages
from pathlib import Path
found = LoadedPackages(Path({folder!r}) / "model.py")
{imports}
print(json.dumps([found.news(), found.news()]))
import late
print(json.dumps(found.news()))
"""


class Looking(unittest.TestCase):
    def test_versions_and_digests_are_told_once_and_again_when_more_is_imported(self):
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            for module, text in (("helper", "SHADE = 1\n"), ("late", "import numpy\n"), ("model", "import helper\n")):
                (folder / f"{module}.py").write_text(text)
            code = LOOK.format(folder=name, room=str(Path(packages.__file__).parent), imports="import model, PIL")
            done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
            first, later = (json.loads(line) for line in done.stdout.splitlines())
            self.assertIsNone(first[1], "nothing new")
            self.assertRegex(first[0]["versions"]["PIL"], r"^\d+\.\d+")
            digests = {Path(path).name: digest for path, digest in first[0]["modules"].items()}
            self.assertEqual(digests, {"helper.py": hashlib.sha256(b"SHADE = 1\n").hexdigest()})
            self.assertIn("numpy", later["versions"])
            self.assertEqual({Path(path).name for path in later["modules"]}, {"helper.py", "late.py"})

    def test_a_package_that_says_nothing_is_of_unknown_version(self):
        self.assertIsNone(packages.version_of("no_such_package_anywhere"))


class Recorded(ProjectTest):
    def test_what_is_imported_in_the_middle_of_a_run_is_recorded_too(self):
        self.write(
            "model.py", "def load(variant): return 1\ndef run(model, job, probe):\n    import PIL\n    probe.step()\n"
        )
        self.write_plan(variant("slow"), task(seeds=(1,)))
        self.unvek("run")
        provenance = self.result("show", "1")["provenance"]
        self.assertIn("PIL", provenance["packages"])
        self.assertTrue(provenance["python"].startswith(f"{sys.version_info[0]}.{sys.version_info[1]}"))
        self.assertIn("PIL", self.unvek("show", "1").stdout)

    def test_threads_are_those_that_the_libraries_work_with_whatever_the_environment_says(self):
        self.write(
            "model.py",
            """
import ctypes
def load(variant):
    import numpy
    return variant
def run(variant, job, probe):
    if variant.name == "set":
        paths = {line.split()[-1] for line in open("/proc/self/maps") if "openblas" in line}
        for name in ("scipy_openblas_set_num_threads64_", "openblas_set_num_threads"):
            call = getattr(ctypes.CDLL(paths.pop()), name, None) if paths else None
            if call:
                call(1)
    probe.step()
""",
        )
        plan = self.write_plan(variant("slow"), variant("set"), task(seeds=(1,)))
        text = plan.read_text().replace(
            'script = "model.py"', 'script = "model.py"\nenvironment = { OPENBLAS_NUM_THREADS = "2" }'
        )
        plan.write_text(text)
        self.unvek("run")
        threads = {row["variant"]: self.result("show", str(row["run"]))["provenance"]["threads"] for row in self.log()}
        self.assertEqual(threads["slow"], {"OPENBLAS_NUM_THREADS": "2", "threads of openblas": "2"})
        self.assertEqual(threads["set"], {"OPENBLAS_NUM_THREADS": "2", "threads of openblas": "1"})
        found = next(f for f in self.result("audit")["findings"] if f["code"] == "threads-differ")
        self.assertIn("threads of openblas (2 for slow, 1 for set)", found["text"])

    def test_what_nobody_said_is_shown_as_unknown(self):
        self.write_plan(variant("slow", load="raise"), task(seeds=(1,)))
        self.unvek("run", expect=1)
        shown = self.unvek("show", "1").stdout
        for words in (
            "packages    unknown",
            "interpreter unknown",
            "memory      –",
            "others      unknown",
            "energy      unknown",
        ):
            self.assertIn(words, shown)


class Rig(ProjectTest):
    def test_the_rig_is_shown_with_what_is_unknown_and_how_quiet_it_is(self):
        found = self.result("rig")
        self.assertEqual(found["kind"], "rig")
        self.assertEqual(len(found["fingerprint"]), 16)
        self.assertIn(found["quiet"]["verdict"], ("quiet", "unsettled", "noisy"))
        self.assertGreater(found["quiet"]["spins"], 10)
        text = self.unvek("rig").stdout
        for words in ("fingerprint", "accelerator", "right now", "Largest disturbance:"):
            self.assertIn(words, text)


if __name__ == "__main__":
    unittest.main()
