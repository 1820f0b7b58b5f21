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

    def test_a_folder_is_a_model_and_tells_what_was_changed_added_and_taken_away(self):
        for name in ("config.json", "part/a.bin", ".cache", "__pycache__/x.pyc"):
            (self.folder / "tiny" / name).parent.mkdir(parents=True, exist_ok=True)
            self.write(f"tiny/{name}", name * 100)
        (self.folder / "tiny/part/round").symlink_to(self.folder / "tiny")
        self.write_plan(SLOW + 'weights = ["tiny/"]\n', task(seeds=(1,)))
        self.assertEqual(self.result("check")["variants"][0]["weights_bytes"], 100 * len("config.json" + "part/a.bin"))
        self.unvek("run")
        files = self.result("show", "1")["provenance"]["files"]
        self.assertEqual([path.partition("/tiny/")[2] for path in files], ["config.json", "part/a.bin"])

        self.write("tiny/.cache", "left behind by loading")
        self.assertEqual(self.result("check")["changes"], [])
        self.write("tiny/part/a.bin", "other")
        self.write("tiny/more.bin", "new")
        (self.folder / "tiny/config.json").unlink()
        changes = self.result("check")["changes"]
        self.assertEqual(
            {c["path"].partition("/tiny/")[2]: (c["before"] is None, c["now"] is None) for c in changes},
            {"part/a.bin": (False, False), "more.bin": (True, False), "config.json": (False, True)},
        )
        self.assertEqual({c["within"] for c in changes}, {str(self.folder / "tiny")})
        told = "tiny (weights of slow) is not the folder that run 1 was made with"
        self.assertIn(told, self.unvek("check").stdout)
        replaced = next(f for f in self.result("audit")["findings"] if f["code"] == "weights-replaced")
        self.assertIn("a.bin, config.json, more.bin of slow are not the files any more", replaced["text"])
        self.assertIn("gone: config.json", self.unvek("run").stderr)
        self.assertEqual(len(self.log()), 2, "the cell was run anew")
        texts = [f["text"] for f in self.result("audit")["findings"] if f["code"] == "weights-changed"]
        self.assertEqual(len(texts), 2)
        self.assertIn("a.bin of slow was replaced before launch 2", texts[0])
        self.assertIn("config.json, more.bin came or went, first before launch 2", texts[1])

    def test_what_is_no_model_is_refused_and_a_pattern_stands_for_what_fits(self):
        for name in ("b.bin", "a.bin", "c.txt"):
            self.write(name, name)
        (self.folder / "empty/.git").mkdir(parents=True)
        (self.folder / "broken").mkdir()
        (self.folder / "broken/w.bin").symlink_to("nowhere")
        for written, words in {
            "empty": "a folder with no files in it",
            "broken/": "a folder with a link to nothing (w.bin)",
            "no-*.bin": "which nothing fits",
        }.items():
            self.write_plan(SLOW + f'weights = ["{written}"]\n', task())
            error = self.result("check", expect=2)["errors"][0]
            self.assertIn(words, error["found"])
            self.assertEqual(error["where"], "variants[slow].weights[0]")
        self.write_plan(SLOW + 'weights = ["*.bin"]\n', task(seeds=(1,)))
        self.unvek("run")
        files = self.result("show", "1")["provenance"]["files"]
        self.assertEqual([path.rpartition("/")[2] for path in files], ["a.bin", "b.bin"])


if __name__ == "__main__":
    unittest.main()
