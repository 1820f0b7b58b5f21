"""Arrays of numbers, and the scores of a given text."""

import io
import math
import warnings
import zipfile
from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from unvek.core.evidence.outputs.source import OutputError, Source, damage_as
from unvek.core.measures.kind import Kind


class Arrays(Source):
    """Numbers of any shape, written with numpy.save."""

    name = "array (*.npy)"
    endings = (".npy",)
    largest_bytes = 512 * 2**20

    def _read(self, data: bytes) -> NDArray[Any]:
        return numbers_of(data)


class ScoresFound(NamedTuple):
    """What a model expected of a given text."""

    log_probabilities: NDArray[np.floating]
    tokens: NDArray[np.integer]


class Scores(Source):
    name = "file of scores (*.scores.npz)"
    endings = (".scores.npz",)
    largest_bytes = 512 * 2**20

    def _read(self, data: bytes) -> ScoresFound:
        found = scores_of(data)
        if np.any(np.isnan(found.log_probabilities)):
            raise OutputError("its scores are no numbers (NaN)")
        return found

    def arguments(self, kind: Kind, ours: Any, theirs: Any, wanted: Sequence[str]) -> tuple[Any, ...]:
        if kind.is_likeness:
            return theirs.log_probabilities, ours.log_probabilities
        return ours.log_probabilities, ours.tokens


def scores_of(data: bytes) -> ScoresFound:
    """Return the arrays of a file written with numpy.savez; OutputError where it is none, or larger unpacked."""
    with damage_as("its file of scores is damaged, or none"), zipfile.ZipFile(io.BytesIO(data)) as packed:
        if sum(entry.file_size for entry in packed.infolist()) > min(Scores.largest_bytes, 4 * len(data)):
            raise OutputError("its file of scores is far larger unpacked")
        found = ScoresFound(*(array_of(packed.read(f"{name}.npy")) for name in ScoresFound._fields))
    if found.log_probabilities.dtype.kind != "f" or found.tokens.dtype.kind not in "iu":
        raise OutputError("its file of scores holds no log-probabilities (floats) and tokens (whole numbers)")
    return found


def array_of(content: bytes) -> NDArray[Any]:
    """Return the array of a file written with numpy.save; OutputError, or any other error, where it is none."""
    data = io.BytesIO(content)
    # Its head may say any shape, and is believed only as far as there are bytes.
    read_head = {1: np.lib.format.read_array_header_1_0, 2: np.lib.format.read_array_header_2_0}
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # of a head that is odd, and read all the same
        shape, is_fortran, dtype = read_head[np.lib.format.read_magic(data)[0]](data)
    rest = data.read()
    if dtype.hasobject or math.prod(shape) * dtype.itemsize != len(rest):
        raise OutputError("its file does not hold what its head says")
    return np.frombuffer(rest, dtype).reshape(shape, order="F" if is_fortran else "C")


def numbers_of(data: bytes) -> NDArray[Any]:
    """Return the numbers of a file written with numpy.save; OutputError where there are none, or it is damaged."""
    with damage_as("its array is damaged, or none"):
        found = array_of(data)
    if found.dtype.kind not in "fiub":
        raise OutputError("its array holds no real numbers")
    return found
