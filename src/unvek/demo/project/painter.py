"""How Unvek runs bract: load() reads a variant's weights, run() paints one label and reports each step.

Everything here is ordinary Python with NumPy. Copy this folder, change the plan, or let load() and run() call a
model of your own: the probe is all that Unvek asks of it.
"""

import struct
import zlib

import bract
import numpy as np


def load(variant):
    """Return the model; what it returns is handed to every run of this process."""
    return bract.Bract(variant.weights[0])


def run(model, job, probe):
    """Paint the label that the prompt asks for, at the job's seed and settings."""
    steps, guidance = job.settings["steps"], job.settings["guidance"]

    def report(picture):
        probe.step(of=steps)
        if probe.preview_due:
            probe.preview(bract.SIZE, bract.SIZE, as_bytes(picture()))

    probe.phase("steps")
    picture = model.paint(job.prompt, job.seed, steps, guidance, on_step=report)
    probe.phase("save")
    (job.out / "label.png").write_bytes(as_png(as_bytes(picture), bract.SIZE, bract.SIZE))
    probe.output(job.out / "label.png")


def as_bytes(picture: np.ndarray) -> bytes:
    return np.round(picture * 255).astype(np.uint8).tobytes()


def as_png(rgb: bytes, width: int, height: int) -> bytes:
    """Return a PNG (ISO/IEC 15948) of rows of red, green, blue bytes."""
    rows = b"".join(b"\0" + rgb[3 * width * y : 3 * width * (y + 1)] for y in range(height))

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    header = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", zlib.compress(rows)) + chunk(b"IEND", b"")
