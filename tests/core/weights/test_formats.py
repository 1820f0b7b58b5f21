"""What each format's own library wrote is what a file is said to hold; what can't be true is refused within bounds."""

import json
import os
import random
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import gguf
import numpy as np
import onnx
from onnx import numpy_helper
from safetensors import safe_open

from tests.support import environment
from tests.weights_written import (
    QUANTIZED,
    arrays_of,
    bomb,
    field,
    mutated,
    raw_gguf,
    raw_safetensors,
    text,
    varint,
    write_all,
    write_gguf,
    write_npz,
    write_onnx,
    write_safetensors,
)
from unvek.core.weights.formats.contents import WeightsError
from unvek.core.weights.formats.gguf import BLOCKS
from unvek.core.weights.weighing import WeighedFile, weigh

MOST_BYTES = 128 * 2**20
# The program as it is started, which leaves the most memory that it held, in KiB.
MEASURED = """
import atexit, re
from unvek.cli import main
atexit.register(lambda: open("peak.txt", "w").write(re.search(r"VmHWM:\\s*(\\d+)", open("/proc/self/status").read())[1]))
main()
"""


class OnFiles(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory(prefix="unvek-test-")
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def weighed(self, path: Path) -> WeighedFile:
        return weigh(path, None)

    def refused(self, path: Path) -> str:
        with self.assertRaises(WeightsError) as caught:
            weigh(path, None)
        return str(caught.exception)


class AsTheLibrariesSay(OnFiles):
    def assert_is(self, found: WeighedFile, elements: int, data_bytes: int) -> None:
        self.assertEqual((found.parameters, found.data_bytes), (elements, data_bytes))
        if elements:
            self.assertAlmostEqual(found.bits_per_weight, 8 * data_bytes / elements)

    def test_safetensors_and_npz(self):
        for seed in range(20):
            arrays = arrays_of(np.random.default_rng(seed))
            path = write_safetensors(self.folder / "a.safetensors", arrays, made="by hand")
            with safe_open(path, "np") as file:
                theirs = [file.get_tensor(name) for name in file.keys()]  # noqa: SIM118 -- it has no iterator
            found = self.weighed(path)
            self.assert_is(found, sum(one.size for one in theirs), sum(one.nbytes for one in theirs))
            self.assertEqual((found.tensors, found.metadata), (len(theirs), {"made": "by hand"}))
            path = write_npz(self.folder / "a.npz", arrays, compressed=bool(seed % 2))
            with np.load(path) as file:
                theirs = [file[name] for name in file.files]
            self.assert_is(self.weighed(path), sum(one.size for one in theirs), sum(one.nbytes for one in theirs))

    def test_gguf(self):
        rng = np.random.default_rng(3)
        arrays = {f"blk.{n}.w": rng.normal(size=(4, 256)).astype(np.float32) for n in range(5)}
        quantized = {f"blk.{n}.w": kind for n, kind in enumerate(QUANTIZED)}
        path = write_gguf(self.folder / "a.gguf", arrays, quantized, block_count=5)
        theirs = gguf.GGUFReader(path).tensors
        found = self.weighed(path)
        self.assert_is(found, sum(int(one.n_elements) for one in theirs), sum(int(one.n_bytes) for one in theirs))
        self.assertEqual({share.name for share in found.precisions}, {*QUANTIZED, "float32"})
        for kind, (elements, size) in gguf.GGML_QUANT_SIZES.items():
            self.assertEqual(BLOCKS[int(kind)], (kind.name, elements, size))

    def test_onnx_with_its_data_inside_and_elsewhere(self):
        arrays = arrays_of(np.random.default_rng(1))
        for elsewhere in ("", "a.data"):
            path = write_onnx(self.folder / "a.onnx", arrays, elsewhere=elsewhere)
            tensors = onnx.load(path).graph.initializer
            theirs = [numpy_helper.to_array(one) for one in tensors]
            found = self.weighed(path)
            self.assert_is(found, sum(one.size for one in theirs), sum(one.nbytes for one in theirs))
            self.assertEqual(found.bytes, sum(file.stat().st_size for file in self.folder.glob("a.*")))
        with open(self.folder / "a.data", "r+b") as file:
            file.truncate(10)
        self.assertIn("is not whole in 'a.data'", self.refused(path))

    def test_onnx_as_numbers_in_nodes_and_in_graphs_within(self):
        path = next(path for path in write_all(self.folder, np.random.default_rng(0)) if path.suffix == ".onnx")
        found = self.weighed(path)
        # The scales and zero points of q are no weights; a constant's and an inner graph's are.
        self.assertEqual(found.parameters, 20 + 256 + 4 + 5 + 3)
        self.assertEqual({share.name: share.bytes for share in found.precisions}["8-bit"], 20 + 16 + 4)
        typed = [onnx.helper.make_tensor(kind.lower(), getattr(onnx.TensorProto, kind), [5], [1, 2, 3, 4, 5])
                 for kind in ("FLOAT", "FLOAT16", "INT4", "DOUBLE", "INT64", "BOOL")]  # fmt: skip
        onnx.save(onnx.helper.make_model(onnx.helper.make_graph([], "g", [], [], typed)), self.folder / "t.onnx")
        self.assert_is(self.weighed(self.folder / "t.onnx"), 30, 20 + 10 + 3 + 40 + 40 + 5)


class Hostile(OnFiles):
    def test_what_can_not_be_is_refused_with_the_reason(self):
        one = {"dtype": "U8", "shape": [4], "data_offsets": [0, 4]}
        s, g, o = self.folder / "s.safetensors", self.folder / "g.gguf", self.folder / "o.onnx"

        def tensors(*entries: dict) -> dict:
            return {f"t{n}": entry for n, entry in enumerate(entries)}

        def onnx_of(data: bytes) -> Path:
            o.write_bytes(data)
            return o

        key = text(b"k")
        cases = (
            (lambda: raw_safetensors(s, b"{}", length=2**63), "where 2 are left"),
            (lambda: raw_safetensors(s, b'{"a":' + b"[" * 200_000 + b"]" * 200_000 + b"}"), "no JSON object"),
            (lambda: raw_safetensors(s, tensors(one, {**one, "data_offsets": [2, 6]}), bytes(6)), "overlaps"),
            (lambda: raw_safetensors(s, tensors(one, {**one, "data_offsets": [6, 10]}), bytes(10)), "that are nobody's"),
            (lambda: raw_safetensors(s, tensors(one), bytes(2)), "it is cut off"),
            (lambda: raw_safetensors(s, tensors(one), bytes(5)), "that no tensor has"),
            (lambda: raw_safetensors(s, tensors({**one, "shape": [2**62, 2**62]}), bytes(4)), "a shape that none can have"),
            (lambda: raw_safetensors(s, tensors({**one, "shape": [-4]}), bytes(4)), "a shape that none can have"),
            (lambda: raw_safetensors(s, tensors({**one, "shape": [1] * 99}), bytes(4)), "99 dimensions"),
            (lambda: raw_safetensors(s, tensors({**one, "shape": [5]}), bytes(4)), "5 elements of 8 bits in 4 bytes"),
            (lambda: raw_safetensors(s, tensors({**one, "dtype": "X9"}), bytes(4)), "no precision that is known"),
            (lambda: raw_safetensors(s, tensors({**one, "data_offsets": [4, 0]}), bytes(4)), "ends before it begins"),
            (lambda: raw_safetensors(s, {"__metadata__": [1]}), "no texts by name"),
            (lambda: raw_gguf(g, tensors=2**63), "at most 100000"),
            (lambda: raw_gguf(g, version=9), "of version 9"),
            (lambda: raw_gguf(g, keys=2**40), "keys"),
            (lambda: raw_gguf(g, text(b"x" * 2000)), "a name of 2000 bytes"),
            (lambda: raw_gguf(g, struct_list(key, 8, 2**40)), "texts or lists"),
            (lambda: raw_gguf(g, struct_list(key, 0, 2**62)), "it is cut off"),
            (lambda: raw_gguf(g, key + b"\x09\0\0\0" + b"\x09\0\0\0\x01" + bytes(7) + (b"\x09\0\0\0\x01" + bytes(7)) * 9), "lists within lists"),
            (lambda: raw_gguf(g, key + b"\x63\0\0\0"), "a value of type 99"),
            (lambda: onnx_of(b"\xff" * 40), "does not end"),
            (lambda: onnx_of(varint(7 << 3 | 2) + varint(2**62) + b"x"), "longer than the whole"),
            (lambda: onnx_of(field(7, nested_graphs(40))), "graphs within graphs"),
            (lambda: onnx_of(field(7, field(1, b"") * 260_000)), "more than 250000 fields"),
            (lambda: onnx_of(field(7, field(5, b"\x10\x01\x08\x05"))), "is not there"),
            (lambda: onnx_of(field(7, field(5, b"\x10\x01\x08\x01\x70\x01" + field(13, field(1, b"location") + field(2, b"../a"))))), "no file in this folder"),
            (lambda: bomb(self.folder / "b.npz", 2**20), "takes 2147483648 bytes to tell"),
        )  # fmt: skip
        for make, words in cases:
            with self.subTest(words):
                self.assertIn(words, self.refused(make()))

    def test_the_worst_take_little_memory_and_end_with_2(self):
        small = b'"%x":0,'
        files = [
            raw_safetensors(
                self.folder / "many.safetensors", b"{" + b"".join(small % n for n in range(900_000)) + b'"":0}'
            ),
            raw_safetensors(self.folder / "deep.safetensors", b'{"a":' + b"[" * 5_000_000),
            raw_gguf(self.folder / "lists.gguf", struct_list(text(b"k"), 9, 9000) + (b"\0" * 12) * 8999),
            bomb(self.folder / "bomb.npz", 60 * 2**20),
        ]
        (self.folder / "index.safetensors.index.json").write_text('{"weight_map":[' + "[]," * 4_000_000 + "[]]}")
        for path in (*files, self.folder / "index.safetensors.index.json"):
            command = [sys.executable, "-c", MEASURED, "weigh", str(path)]
            done = subprocess.run(command, cwd=self.folder, env=environment(), capture_output=True, text=True)
            self.assertEqual(done.returncode, 2, done.stderr)
            self.assertIn(path.name, done.stderr)
            self.assertLess(1024 * int((self.folder / "peak.txt").read_text()), MOST_BYTES, path.name)

    def test_what_is_mutated_is_weighed_or_refused(self):
        rng = random.Random(1)
        outcomes = {True: 0, False: 0}
        for path in write_all(self.folder, np.random.default_rng(2)):
            data = path.read_bytes()
            for _ in range(120):
                path.write_bytes(mutated(data, rng))
                try:
                    weigh(path, None)
                    outcomes[True] += 1
                except WeightsError as error:
                    outcomes[False] += 1
                    self.assertIn(path.name, str(error))
        self.assertGreater(min(outcomes.values()), 50, outcomes)


def struct_list(key: bytes, kind: int, count: int) -> bytes:
    return key + b"\x09\0\0\0" + kind.to_bytes(4, "little") + count.to_bytes(8, "little")


def nested_graphs(depth: int) -> bytes:
    """A node whose attribute is a graph with such a node, and so on."""
    found = b""
    for _ in range(depth):
        found = field(1, field(5, field(6, found)))
    return found


class Folders(OnFiles):
    ARRAYS = {"a": np.zeros((4, 4), np.float32), "b": np.zeros(8, np.float16)}

    def shards(self, **weight_map: str) -> Path:
        for name, array in self.ARRAYS.items():
            write_safetensors(self.folder / f"{name}.safetensors", {name: array})
        index = self.folder / "model.safetensors.index.json"
        index.write_text(
            json.dumps({"metadata": {}, "weight_map": weight_map or {name: f"{name}.safetensors" for name in "ab"}})
        )
        return index

    def test_shards_are_one_model_by_their_index_or_their_folder(self):
        index = self.shards()
        for path in (index, self.folder):
            found = self.weighed(path)
            self.assertEqual((found.parameters, found.data_bytes, found.files), (24, 80, 2))
        write_safetensors(self.folder / "other.safetensors", {"a": self.ARRAYS["a"]})
        self.assertIn("not in the index, so not counted: other.safetensors", " ".join(self.weighed(self.folder).notes))

    def test_an_index_that_lies_is_refused(self):
        for weight_map, words in (
            ({"a": "a.safetensors", "c": "b.safetensors"}, "'c' is in b.safetensors, and it is not"),
            ({"a": "../a.safetensors"}, "no file beside it"), ({"a": "gone.safetensors"}, "not there"),
        ):  # fmt: skip
            self.assertIn(words, self.refused(self.shards(**weight_map)))

    def test_a_folder_with_one_model_several_times_over_is_not_added_up(self):
        write_safetensors(self.folder / "model.safetensors", self.ARRAYS)
        write_safetensors(self.folder / "model.fp16.safetensors", {"a": np.zeros((4, 4), np.float16)})
        self.assertIn("both have 'a'", self.refused(self.folder))
        (self.folder / "model.fp16.safetensors").unlink()
        write_npz(self.folder / "model.npz", {"c": np.zeros(3)})
        self.assertIn("npz and safetensors; name the one", self.refused(self.folder))

    def test_a_model_of_several_folders_has_them_all(self):
        for part in ("painter", "reader"):
            (self.folder / part).mkdir()
            write_safetensors(self.folder / part / "model.safetensors", self.ARRAYS)
        found = self.weighed(self.folder)
        self.assertEqual((found.parameters, found.tensors), (48, 4))
        self.assertEqual(len({matrix.name for matrix in found.matrices}), 4)

    def test_what_may_run_is_not_opened(self):
        for name, words in (
            ("a.pt", "may run what is in it"),
            ("a.txt", "no weights file that is known"),
            ("gone.npz", "No such file"),
        ):
            if name != "gone.npz":
                (self.folder / name).write_bytes(b"PK\x03\x04 words")
                (self.folder / "a.txt").write_bytes(b"words, and words")
            self.assertIn(words, self.refused(self.folder / name))
        os.mkfifo(self.folder / "pipe.gguf")
        self.assertIn("no plain file", self.refused(self.folder / "pipe.gguf"))


if __name__ == "__main__":
    unittest.main()
