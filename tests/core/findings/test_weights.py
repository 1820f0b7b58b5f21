"""What fits, beside what runs are known to have taken: by hand, as the command says it, and as a check doubts it."""

import unittest
from pathlib import Path

import numpy as np

from tests.support import SLOW, ProjectTest, task
from tests.weights_written import raw_safetensors, write_safetensors
from tests.written import WrittenLogbook
from unvek.core.findings.weights.looking import Asked, look_at_weights
from unvek.core.plan.digests import DigestCache
from unvek.core.rig.room import Room
from unvek.core.run.events.record import LaunchAbout
from unvek.demo import PROJECT

KIB = 1024
KEPT = {"layers": "2", "heads": "4", "head_width": "8", "longest": "256", "kept_as": "float16"}  # 256 B a token
ROOM = Room(words="200 KiB", bytes=200 * KIB, free_bytes=None)


class Fits(WrittenLogbook):
    def weights(self, name: str, rows: int, kind: type = np.float32) -> Path:
        arrays = {"a": np.zeros((rows, KIB // 4), kind), "b": np.zeros((1, KIB // 4), kind)}
        return write_safetensors(self.folder / f"{name}.safetensors", arrays, **KEPT)

    def made(self, files: dict[str, Path], working: dict[str, int], program: int = 500 * KIB) -> None:
        """Three launches of each variant, that take weights and working memory beyond what was there before."""
        cells = [f"{name}/violet/{seed}" for name in files for seed in (1, 2)]
        self.plan(*files, cells=cells, quality=None, of={name: {"weights": [path]} for name, path in files.items()})
        for number in (1, 2, 3):
            for name, path in files.items():
                launch = self.logbook.open_launch(name, number)
                self.logbook.describe_launch(launch, 1.0, None, LaunchAbout(memory_before_bytes=program))
                weights = KIB * round(path.stat().st_size / KIB)
                for place, cell in enumerate((cell for cell in cells if cell.startswith(f"{name}/")), 2):
                    self.run_made(cell, place=place, launch=launch, memory=program + weights + working[name],
                                  round_number=number)  # fmt: skip

    def look(self, *paths: Path, **asked):
        with DigestCache() as digests:
            return look_at_weights(paths, digests, asked=Asked(room=ROOM, **asked), evidence=self.evidence())

    def test_working_memory_is_that_of_such_models_and_the_forecast_is_held_against_what_was(self):
        files = {"full": self.weights("full", 99), "half": self.weights("half", 99, np.float16)}
        self.made(files, {"full": 60 * KIB, "half": 50 * KIB})
        found = self.look(*files.values())
        at_most = {Path(need.path).stem: need for need in found.needs if need.length == 256}
        self.assertEqual((at_most["full"].weights_bytes, at_most["full"].context_bytes), (100 * KIB, 64 * KIB))
        # Each has 200 KiB for weights, context, what such models work in (50 or 60 KiB), and the program beside them.
        self.assertEqual(at_most["full"].working_bytes, 55 * KIB)
        self.assertEqual(at_most["full"].program_bytes, 500 * KIB)
        self.assertEqual((at_most["full"].fits, at_most["half"].fits), (False, False))
        off = {one.variant: one for one in found.foretold}
        self.assertEqual(off["full"].measured_bytes, 160 * KIB)
        self.assertEqual(off["full"].foretold_bytes, 150 * KIB, "from the run of half alone")
        self.assertAlmostEqual(off["full"].off, 150 / 160 - 1)
        self.assertGreater(off["half"].off, 0)

    def test_a_model_of_another_kind_tells_nothing_and_a_changed_file_neither(self):
        files = {"full": self.weights("full", 99), "half": self.weights("half", 99, np.float16)}
        self.made(files, {"full": 60 * KIB, "half": 50 * KIB})
        other = write_safetensors(self.folder / "other.safetensors", {"c": np.zeros((9, 9), np.float32)})
        found = self.look(other)
        self.assertEqual(({need.working_bytes for need in found.needs}, found.foretold), ({None}, ()))
        self.assertIn("is not known, and is in none of these sums", " ".join(found.notes))
        files["half"].unlink()
        self.assertEqual(self.look(files["full"]).foretold, (), "of the others none is there any more")

    def test_where_the_ends_disagree_neither_is_said(self):
        small = {name: self.weights(name, 9) for name in ("a", "b", "c")}
        self.made(small, {"a": 100 * KIB, "b": 40 * KIB, "c": 20 * KIB}, program=100 * KIB)
        found = self.look(small["a"], lengths=(40, 200), bits=(16.0,))
        said = {(need.is_as_it_is, need.length): need.fits for need in found.needs}
        # 10 KiB of weights, 10 or 50 of context, 20 to 100 to work in, 100 of the program: 140 to 220, or 180 to 260.
        self.assertEqual(said[True, 40], None)
        self.assertEqual(said[True, 200], None)
        self.assertIn("perhaps: ", " ".join(found.notes))

    def test_the_grid_is_of_bits_and_lengths_and_says_what_spills(self):
        file = self.weights("full", 399)
        found = look_at_weights([file], None, asked=Asked(room=Room(words="260 KiB", bytes=260 * KIB, free_bytes=None)))
        grid = {(need.bits, need.length): need for need in found.needs}
        self.assertEqual(sorted({bits for bits, _ in grid}), [3.0, 4.0, 8.0, 16.0, 32.0])
        self.assertEqual(sorted({length for _, length in grid}), [16, 64, 256])
        whole = grid[32.0, 256]
        self.assertEqual((whole.needed_bytes, whole.over_bytes), (464 * KIB, 204 * KIB))
        self.assertEqual(whole.over_layers, 1, "of two layers of 232 KiB each")
        self.assertEqual((grid[16.0, 64].needed_bytes, grid[16.0, 64].fits), (216 * KIB, True))
        self.assertEqual(grid[16.0, 256].over_bytes, 4 * KIB)


class Commands(ProjectTest):
    def test_weigh_says_it_in_each_form(self):
        models = PROJECT / "models"
        four = str(models / "bract-4bit.safetensors")
        said = self.unvek("weigh", four).stdout
        self.assertIn("640,528 parameters in 418 KiB, 5.34 bits per weight, scales and zero points counted", said)
        self.assertIn("Left whole: 1.5 % of the weights", said)
        both = " ".join(self.unvek("weigh", str(models / "bract-full.safetensors"), four).stdout.split())
        self.assertIn("bract-4bit.safetensors saves 2.0 MiB (83 %)", both)
        found = self.result("weigh", four, "--room", "512 MiB", "--bits", "2.5")
        self.assertEqual(found["kind"], "weights")
        (file,) = found["files"]
        self.assertEqual((file["format"], file["tensors"], file["parameters"]), ("safetensors", 74, 640_528))
        self.assertEqual(len(file["digest"]), 64)
        self.assertEqual([one["bits"] for one in found["needs"]], [file["bits_per_weight"], 2.5])
        self.assertTrue(all(one["fits"] and one["room_bytes"] == 512 * 2**20 for one in found["needs"]))
        rows = self.unvek("weigh", four, "--as", "csv").stdout.splitlines()
        self.assertIn("bits_per_weight", rows[0])
        self.assertIn("| ", self.unvek("weigh", four, "--as", "markdown").stdout)
        self.assertIsNone(self.result("weigh", four, "--no-digest")["files"][0]["digest"])

    def test_what_is_asked_wrongly_is_refused(self):
        path = str(write_safetensors(self.folder / "a.safetensors", {"a": np.zeros(4)}))
        for options, words in (
            (("--room", "much"), '"12 GiB"'), (("--room", "0 B"), "more than nothing"), (("--bits", "0"), "16,8,4.5"),
            (("--tokens", "1,x"), "512,4096"), (("--packed", "9"), "1<=x<=8"),
        ):  # fmt: skip
            self.assertIn(words, self.unvek("weigh", path, *options, expect=2).stderr)
        self.assertIn("no weights file", self.unvek("weigh", "model.py", expect=2).stderr)

    def test_what_a_file_says_of_itself_can_not_touch_the_terminal(self):
        words = "\x1b[31mred\x1b]0;t\x07\u202e"
        path = raw_safetensors(
            self.folder / "a.safetensors",
            {"__metadata__": {words: words, "=cmd": "=1"}, words: {"dtype": "F32", "shape": [1], "data_offsets": [0, 4]}}, bytes(4),
        )  # fmt: skip
        other = raw_safetensors(
            self.folder / "b.safetensors", {words: {"dtype": "F16", "shape": [1], "data_offsets": [0, 2]}}, bytes(2)
        )
        for arguments in (("weigh", str(path)), ("weigh", str(path), str(other), "--fits")):
            said = self.unvek(*arguments).stdout
            self.assertFalse(set(said) & {"\x1b", "\x07", "\u202e"}, repr(said))
        self.assertEqual(self.result("weigh", str(path))["files"][0]["metadata"][words], words)

    def test_a_check_doubts_what_will_not_fit(self):
        for name, size, layers in (("huge", 900 * KIB, "1"), ("long", 10 * KIB, "20"), ("small", 10 * KIB, "1")):
            write_safetensors(
                self.folder / f"{name}.safetensors", {"w": np.zeros(size, np.uint8)}, **KEPT | {"layers": layers}
            )
        variants = [
            SLOW.replace("slow", name) + f'weights = ["{name}.safetensors"]\n' for name in ("huge", "long", "small")
        ]
        plan = self.write_plan(
            *variants, variants[2].replace("small", "held", 1) + 'limits = { memory = "1 KiB" }\n', task()
        )
        plan.write_text(plan.read_text().replace('reference = "slow"', 'reference = "huge"'))
        doubts = " ".join(self.result("check")["doubts"])
        self.assertNotIn("more than this machine", doubts)
        self.assertIn("held: the weights take 10.0 KiB, more than the limit of 1.0 KiB", doubts)
        plan.write_text(plan.read_text() + '[rig]\nsimulated_accelerator = "500 KiB"\n')
        doubts = " ".join(self.result("check")["doubts"])
        self.assertIn("huge: the weights take 900 KiB, more than the 500 KiB of ", doubts)
        self.assertIn("(simulated)", doubts)
        self.assertIn("long: the weights take 10.0 KiB and a context of 256 tokens 640 KiB, together more", doubts)
        self.assertNotIn("small", doubts)


if __name__ == "__main__":
    unittest.main()
