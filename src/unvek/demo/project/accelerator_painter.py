"""The painter as it would run on an accelerator: the picture is real, the device and the time it takes are simulated.

Each step moves all weights through the device once, as memory-bound models do; weights and working room lie in the
device's own memory, which may be too small for them.
"""

import bract
import painter
from simulated_accelerator import SimulatedAccelerator

UNPACKED = 8  # bytes held on the device for a byte of weights
WORKING_ROOM_BYTES = 6 * 2**20
BYTES_PER_S = 300e6


def load(variant):
    device = SimulatedAccelerator.of_this_run()
    weights_bytes = variant.weights[0].stat().st_size
    device.allocate(UNPACKED * weights_bytes)
    device.work(weights_bytes / BYTES_PER_S)
    return bract.Bract(variant.weights[0]), device, weights_bytes


def run(model, job, probe):
    network, device, weights_bytes = model
    steps = job.settings["steps"]
    room = device.allocate(WORKING_ROOM_BYTES)

    def report(picture):
        device.work(weights_bytes / BYTES_PER_S)
        probe.step(of=steps)
        if probe.preview_due:
            probe.preview(bract.SIZE, bract.SIZE, painter.as_bytes(picture()))

    probe.phase("steps")
    picture = network.paint(job.prompt, job.seed, steps, job.settings["guidance"], on_step=report)
    device.free(room)
    probe.phase("save")
    probe.output(painter.as_png(painter.as_bytes(picture), bract.SIZE, bract.SIZE), "label.png")
