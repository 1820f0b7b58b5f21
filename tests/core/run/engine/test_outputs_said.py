"""Which of a run's files comes first, which nobody has reported, where a name is looked for, and what printing costs."""

import unittest

from tests.support import ProjectTest, task, variant

SCRIPT = """
def load(variant): return variant.name
def run(name, job, probe):
    for file in ("a.txt", "b.txt", "notes.log"):
        (job.out / file).write_text(file)
    if name == "slow":
        probe.output("b.txt")
        open("b.txt", "w").write("what lies where the script runs is another")
    elif name == "none":
        probe.output("c.txt")
    else:
        print("x" * 99 * 6000)
    probe.step()
"""


class Files(ProjectTest):
    def test_what_is_reported_comes_first_and_the_rest_is_named_once(self):
        self.write("model.py", SCRIPT)
        self.write_plan(variant("slow"), variant("none"), variant("loud"), task(seeds=(1, 2)))
        said = self.unvek("run", expect=1).stderr
        self.assertEqual(said.count("slow leaves files in job.out that it does not report: a.txt, notes.log."), 1)
        self.assertEqual(
            said.count('slow makes several files that end alike: b.txt, a.txt. b.txt is measured; output = "a.txt"'), 1
        )
        self.assertIn("loud leaves files in job.out that it does not report: a.txt, b.txt, notes.log.", said)
        self.assertEqual(said.count("loud printed 580 KiB in a run: printing takes time"), 1)
        self.assertNotIn("slow printed", said)
        runs = {row["variant"]: self.result("show", str(row["run"])) for row in self.log()}
        names = [output["path"].rpartition("/")[2] for output in runs["slow"]["outputs"]]
        self.assertEqual(names, ["b.txt", "a.txt", "notes.log"])
        kept = self.folder / "logbook" / runs["slow"]["outputs"][0]["path"]
        self.assertEqual(kept.read_text(), "b.txt", "the run's own folder is looked into first")
        self.assertIn("probe.output('c.txt'): there is no such file in job.out (", runs["none"]["error"])
        self.assertIn(f", nor in {self.folder}", runs["none"]["error"])


if __name__ == "__main__":
    unittest.main()
