"""How many weights packed codes hold, how a context is kept, what two files differ in: against what is known by hand."""

import json
import sys
import unittest

import numpy as np

from tests.core.weights.test_formats import OnFiles
from tests.weights_written import write_gguf, write_npz, write_onnx, write_safetensors
from unvek.core.weights.beside import beside
from unvek.core.weights.layers import Context, context_of
from unvek.core.weights.weighing import weigh
from unvek.demo import PROJECT

# The project's scripts import each other by name, as a user's would.
sys.path.insert(0, str(PROJECT))
import sprig

MODELS = PROJECT / "models"
ROWS, COLUMNS = 128, 64  # of one matrix of 8192 weights
WEIGHTS = ROWS * COLUMNS


def zeros(kind: type, *shape: int) -> np.ndarray:
    return np.zeros(shape, kind)


class Packed(OnFiles):
    def assert_packed(self, arrays: dict, bits: int, also_bytes: int, note: str = "", **metadata: str) -> None:
        path = write_safetensors(self.folder / "a.safetensors", arrays, **metadata)
        found = weigh(path, None)
        self.assertEqual((found.parameters, found.precisions[0].name), (WEIGHTS, f"{bits}-bit"), found.notes)
        self.assertAlmostEqual(found.bits_per_weight, bits + 8 * also_bytes / WEIGHTS)

    def test_codes_in_integers_are_counted_by_their_zero_points(self):
        groups = ROWS // 32
        for bits in (2, 4, 8):
            a_word = 32 // bits
            arrays = {
                "up.qweight": zeros(np.int32, ROWS // a_word, COLUMNS), "up.scales": zeros(np.float16, groups, COLUMNS),
                "up.qzeros": zeros(np.int32, groups, COLUMNS // a_word), "up.g_idx": zeros(np.int32, ROWS),
            }  # fmt: skip
            self.assert_packed(arrays, bits, sum(arrays[f"up.{name}"].nbytes for name in ("scales", "qzeros", "g_idx")))

    def test_by_a_codebook_beside_them_by_what_the_file_says_and_by_its_folder(self):
        codes, scale = zeros(np.uint8, WEIGHTS // 2, 1), zeros(np.float32, WEIGHTS // 64)
        book = {"up.weight": codes, "up.weight.absmax": scale, "up.weight.quant_map": zeros(np.float32, 16)}
        self.assert_packed(book, 4, scale.nbytes + 64)
        told = {"up.packed": zeros(np.uint8, 3 * WEIGHTS // 8), "up.scale": scale}
        self.assert_packed(told, 3, scale.nbytes, grouped=json.dumps({"up": [3, ROWS, COLUMNS]}))
        for config in ({"bits": 4}, {"load_in_4bit": True}, {"config_groups": {"g": {"weights": {"num_bits": 4}}}}):
            (self.folder / "config.json").write_text(json.dumps({"quantization_config": config}))
            self.assert_packed({"up.weight_packed": codes, "up.weight_scale": scale}, 4, scale.nbytes)

    def test_what_nothing_tells_is_said_and_can_be_told_by_hand(self):
        arrays = {"up.weight": zeros(np.uint8, WEIGHTS // 2), "up.weight_scale": zeros(np.float16, 64)}
        path = write_safetensors(self.folder / "a.safetensors", arrays)
        found = weigh(path, None)
        self.assertEqual(found.parameters, WEIGHTS // 2)
        self.assertIn("nothing tells how many weights an integer holds", found.notes[0])
        told = weigh(path, None, bits=4)
        self.assertEqual((told.parameters, told.notes), (WEIGHTS, ()))

    def test_one_code_an_element_is_what_it_is_and_a_shape_that_can_not_be_is_not_believed(self):
        scale = zeros(np.float32, ROWS)
        self.assert_packed({"up.weight": zeros(np.int8, ROWS, COLUMNS), "up.weight_scale": scale}, 8, scale.nbytes)
        lying = json.dumps({"up": [4, 2**30, 2**30]})
        self.assert_packed(
            {"up.weight": zeros(np.int8, ROWS, COLUMNS), "up.weight_scale": scale}, 8, scale.nbytes, grouped=lying
        )
        path = write_npz(self.folder / "a.npz", {"up": zeros(np.int8, ROWS, COLUMNS), "up_scale": scale})
        self.assertEqual(weigh(path, None).parameters, WEIGHTS)

    def test_scales_without_codes_are_weights_as_any(self):
        arrays = {
            "norm.scale": zeros(np.float32, 64),
            "block.0.scale_1": zeros(np.float32, 64),
            "ids": zeros(np.int64, 9),
        }
        found = weigh(write_safetensors(self.folder / "a.safetensors", arrays), None)
        self.assertEqual((found.parameters, found.whole), (137, ()))

    def test_a_node_of_a_graph_tells_how_its_codes_are_packed(self):
        from onnx import helper

        node = helper.make_node("MatMulPacked", ["x", "up", "s", "z"], ["y"], K=ROWS, N=COLUMNS, bits=4)
        arrays = {
            "up": zeros(np.uint8, COLUMNS, 1, ROWS // 2),
            "s": zeros(np.float16, COLUMNS),
            "z": zeros(np.uint8, 32),
        }
        found = weigh(write_onnx(self.folder / "a.onnx", arrays, (node,)), None)
        self.assertEqual((found.parameters, found.data_bytes), (WEIGHTS, WEIGHTS // 2 + 128 + 32))

    def test_the_demos_models_by_hand(self):
        full, four, half = (weigh(MODELS / f"bract-{name}.safetensors", None) for name in ("full", "4bit", "half"))
        self.assertEqual({one.parameters for one in (full, four, half)}, {640_528})
        self.assertEqual((full.bits_per_weight, half.bits_per_weight), (32.0, 16.0))
        # The middle in groups of 64 with a scale and a smallest value of 16 bits each, the ends in 8 bits, the rest whole.
        by_hand = (524_288 * (4 + 32 / 64) + 106_496 * (8 + 32 / 64) + 9_744 * 16) / 640_528
        self.assertAlmostEqual(four.bits_per_weight, by_hand, places=6)
        self.assertEqual(four.whole_parameters, 9_744)
        found = beside(full, four)
        self.assertEqual([(change.before, change.now, change.matrices) for change in found.changes],
                         [("float32", "4-bit", 16), ("float32", "8-bit", 4), ("float32", "float16", 14)])  # fmt: skip
        self.assertEqual((found.same, found.first_alone, found.second_alone, found.other_size), (0, (), (), ()))
        self.assertEqual(sum(c.before_bytes - c.now_bytes for c in found.changes), found.saved_bytes)
        swift = beside(full, weigh(MODELS / "bract-swift.safetensors", None))
        self.assertEqual((swift.same, len(swift.first_alone), swift.changes), (28, 6, ()), "a block less")


class Contexts(OnFiles):
    def test_of_a_gguf_file(self):
        arrays = {"w": np.zeros((4, 32), np.float32)}
        keys = {
            "block_count": 3,
            "attention__head_count": 8,
            "attention__head_count_kv": 2,
            "embedding_length": 64,
            "context_length": 2048,
        }
        found = weigh(write_gguf(self.folder / "a.gguf", arrays, **keys), None).context
        # 2 x 3 layers x 2 heads x (64 / 8) x 2 bytes
        self.assertEqual((found.bytes_per_token, found.longest, found.layers), (192, 2048, 3))
        self.assertEqual(found.bytes_at(1000), 192_000)
        by_layer = {
            **keys,
            "attention__head_count_kv": [2, 0, 4],
            "attention__key_length": 16,
            "attention__value_length": 8,
        }
        found = weigh(write_gguf(self.folder / "b.gguf", arrays, **by_layer), None).context
        self.assertEqual(found.bytes_per_token, 6 * (16 + 8) * 2)

    def test_of_a_folders_config_with_windows_that_some_layers_have(self):
        config = {"num_hidden_layers": 4, "num_attention_heads": 4, "num_key_value_heads": 2, "hidden_size": 32, "torch_dtype": "float32",
                  "max_position_embeddings": 512}  # fmt: skip
        write_safetensors(self.folder / "a.safetensors", {"w": np.zeros(4, np.float32)})
        (self.folder / "config.json").write_text(json.dumps({"text_config": config}))
        found = weigh(self.folder, None).context
        self.assertEqual((found.bytes_per_token, found.longest), (4 * 2 * 2 * 8 * 4, 512))
        slides = {**config, "sliding_window": 100, "layer_types": ["sliding_attention"] * 3 + ["full_attention"]}
        found = context_of(slides, {})
        self.assertEqual(found.bytes_at(80), 80 * found.bytes_per_token)
        self.assertEqual(
            found.bytes_at(500), (500 + 3 * 100) * found.bytes_per_token // 4 - 0, "three of four keep 100"
        )

    def test_what_is_kept_otherwise_or_can_not_be_is_not_known(self):
        config = {"num_hidden_layers": 4, "num_attention_heads": 4, "hidden_size": 32}
        self.assertIsNotNone(context_of(config, {}))
        for odd in ({"kv_lora_rank": 8}, {"num_hidden_layers": 0}, {"num_hidden_layers": "many"}, {"num_attention_heads": 0},
                    {"hidden_size": 1e400}, {"num_key_value_heads": [1]}, {"head_dim": -3}, {"num_hidden_layers": True}):  # fmt: skip
            self.assertIsNone(context_of({**config, **odd}, {}), odd)
        self.assertIsNone(context_of({"general.architecture": "n", "n.block_count": 2, "n.ssm.state_size": 4}, {}))

    def test_of_the_demos_own_files_beside_what_it_keeps(self):
        for name, depth in (("full", 4), ("swift", 2)):
            found = weigh(MODELS / f"sprig-{name}.safetensors", None).context
            kept = sprig.Kept(depth)
            self.assertEqual(found.bytes_at(sprig.LONGEST), kept.keys.nbytes + kept.values.nbytes)
            self.assertIsInstance(found, Context)


if __name__ == "__main__":
    unittest.main()
