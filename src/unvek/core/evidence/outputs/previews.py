"""Pictures as they formed, one for each step that a script gave a preview of, where a plan keeps them all."""

import re
from collections.abc import Iterator
from pathlib import PurePath

import numpy as np
from numpy.typing import NDArray

from unvek.core.evidence.outputs.pictures import Pictures
from unvek.core.evidence.outputs.source import PREVIEWS
from unvek.core.logbook.rows import OutputRow

NUMBER = re.compile(r"\d{1,9}")


class Previews(Pictures):
    """The previews of each run, in the order of its steps."""

    name = "preview"

    @staticmethod
    def is_of_source(path: PurePath) -> bool:
        return PREVIEWS in path.parts and NUMBER.fullmatch(path.stem) is not None

    def along(self, run: int) -> Iterator[tuple[int, NDArray[np.uint8]]]:
        """Yield the steps of a run that have one, with the picture; OutputError as for `content`."""
        for output in sorted(self._all.get(run, ()), key=_step):
            yield _step(output), self._read(self._bytes(output))


def _step(output: OutputRow) -> int:
    return int(PurePath(output.path).stem)
