"""All sorts of output by their names, and which outputs are not the files any more that runs made."""

import os
from collections.abc import Container, Mapping
from pathlib import Path
from types import MappingProxyType

from unvek.core.evidence.outputs.arrays import Arrays, Scores
from unvek.core.evidence.outputs.files import Files
from unvek.core.evidence.outputs.pictures import Pictures
from unvek.core.evidence.outputs.sounds import Sounds
from unvek.core.evidence.outputs.source import Source
from unvek.core.evidence.outputs.texts import Texts
from unvek.core.held_folder import open_plain
from unvek.core.logbook.store import Logbook
from unvek.core.measures.kind import ARRAYS, FILES, PICTURES, SCORES, SOUNDS, TEXTS
from unvek.core.plan.digests import DigestCache

SOURCES: Mapping[str, type[Source]] = MappingProxyType(
    {PICTURES: Pictures, SOUNDS: Sounds, TEXTS: Texts, SCORES: Scores, ARRAYS: Arrays, FILES: Files}
)


def changed_outputs(logbook: Logbook, runs: Container[int], digests: DigestCache, most: int | None = None) -> list[int]:
    """Return of which of these runs an output is not the file any more that the run made, or is gone.

    Looked at are so many at most: None is all, and none where there are more than that.
    """
    outputs = [output for output in logbook.outputs() if output.run in runs]
    if most is not None and len(outputs) > most:
        return []
    files = logbook.files
    here = (output for output in outputs if not files.is_elsewhere(output))
    changed = (output.run for output in here if not _is_as_made(files.find(output), output.digest, digests))
    return list(dict.fromkeys(changed))


def _is_as_made(path: Path, digest: str, digests: DigestCache) -> bool:
    try:
        os.close(open_plain(path))
        return digests.digest(path) == digest
    except OSError:
        return False
