"""A file that is another one under its name is told."""

import unittest

from tests.support import SLOW, ProjectTest, task


class ChangedFiles(ProjectTest):
    def test_weights_that_changed_under_their_name_are_told_by_check_and_run(self):
        self.write("weights.bin", "the first weights")
        self.write("helper.py", "SHADE = 1\n")
        script = self.folder / "model.py"
        script.write_text(script.read_text().replace("import ctypes", "import helper, ctypes"))
        self.write_plan(SLOW + 'weights = ["weights.bin"]\n', task(seeds=(1,)))
        self.assertEqual(self.result("check")["changes"], [])
        self.unvek("run")
        self.assertEqual(self.result("check")["changes"], [])
        made_of = self.result("show", "1")["provenance"]
        self.assertEqual([path.rpartition("/")[2] for path in made_of["modules"]], ["helper.py"])
        self.write("weights.bin", "quite other weights")
        self.write("helper.py", "SHADE = 2\n")
        changes = self.result("check")["changes"]
        self.assertEqual([(c["what"], c["path"].rpartition("/")[2], c["last_run"]) for c in changes],
                         [("weights", "weights.bin", 1), ("module", "helper.py", 1)])  # fmt: skip
        self.assertIn(
            "weights.bin (weights of slow) is not the file that run 1 was made with", self.unvek("check").stdout
        )
        self.assertIn("is not the file that run 1 was made with", self.unvek("run").stderr)
        self.assertEqual(len(self.log()), 2, "the cell was run anew")


if __name__ == "__main__":
    unittest.main()
