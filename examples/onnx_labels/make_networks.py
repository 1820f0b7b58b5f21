"""Makes the network and its 8-bit form: run once, before the plan.  python make_networks.py

The network is a smoothing kernel and some layers drawn from a seed around it; it takes a picture a little nearer to its
neighbourhood's mean. Static quantization calibrates it on noise.
"""

from pathlib import Path

import numpy as np
import onnx
from onnx import TensorProto, helper, numpy_helper
from onnxruntime.quantization import CalibrationDataReader, QuantFormat, QuantType, quantize_static

HERE = Path(__file__).parent
SIDE, WIDTH = 96, 48


def make(path: Path):
    rng = np.random.default_rng(1)
    weights = {
        "into": rng.normal(0, 0.2, (WIDTH, 3, 3, 3)),
        "between": rng.normal(0, 0.05, (WIDTH, WIDTH, 3, 3)),
        "out": rng.normal(0, 0.01, (3, WIDTH, 3, 3)),
        "smooth": np.eye(3)[:, :, None, None] * np.ones((1, 1, 3, 3)) / 9,
    }
    nodes = [
        helper.make_node("Conv", ["picture", "into"], ["a"], pads=[1, 1, 1, 1]),
        helper.make_node("Relu", ["a"], ["b"]),
        helper.make_node("Conv", ["b", "between"], ["c"], pads=[1, 1, 1, 1]),
        helper.make_node("Relu", ["c"], ["d"]),
        helper.make_node("Conv", ["d", "out"], ["e"], pads=[1, 1, 1, 1]),
        helper.make_node("Conv", ["picture", "smooth"], ["f"], pads=[1, 1, 1, 1]),
        helper.make_node("Add", ["e", "f"], ["nearer"]),
    ]
    shape = [1, 3, SIDE, SIDE]
    graph = helper.make_graph(
        nodes,
        "label",
        [helper.make_tensor_value_info("picture", TensorProto.FLOAT, shape)],
        [helper.make_tensor_value_info("nearer", TensorProto.FLOAT, shape)],
        [numpy_helper.from_array(array.astype(np.float32), name) for name, array in weights.items()],
    )
    model = helper.make_model(graph, opset_imports=[helper.make_opsetid("", 17)], ir_version=9)
    onnx.checker.check_model(model)
    onnx.save(model, path)


class Noise(CalibrationDataReader):
    """Pictures of noise to calibrate on."""

    def __init__(self):
        rng = np.random.default_rng(2)
        self.pictures = iter([{"picture": rng.random((1, 3, SIDE, SIDE), np.float32)} for _ in range(8)])

    def get_next(self):
        return next(self.pictures, None)


def main():
    make(HERE / "label-full.onnx")
    quantize_static(
        HERE / "label-full.onnx", HERE / "label-8bit.onnx", Noise(), quant_format=QuantFormat.QDQ,
        activation_type=QuantType.QUInt8, weight_type=QuantType.QInt8,
    )  # fmt: skip


if __name__ == "__main__":
    main()
