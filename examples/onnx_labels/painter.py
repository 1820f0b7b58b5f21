"""How Unvek runs it: a noisy picture goes through the network a number of times."""

import numpy as np
import onnxruntime


def load(variant):
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = 1
    return onnxruntime.InferenceSession(str(variant.weights[0]), options, providers=["CPUExecutionProvider"])


def run(model, job, probe):
    rng = np.random.default_rng(job.seed)
    side = model.get_inputs()[0].shape[-1]
    y, x = np.mgrid[:side, :side] / side
    flower = np.stack([x, y, np.hypot(x - 0.5, y - 0.5)])
    picture = (0.7 * flower + 0.3 * rng.random((3, side, side))).astype(np.float32)[None]
    probe.phase("steps")
    for _ in range(job.settings["steps"]):
        (picture,) = model.run(None, {"picture": picture})
        probe.step(of=job.settings["steps"])
    probe.phase("save")
    rgb = (np.clip(picture[0], 0, 1) * 255).round().astype(np.uint8).transpose(1, 2, 0)
    probe.output(b"P6 %d %d 255\n" % (side, side) + rgb.tobytes(), "label.ppm")
