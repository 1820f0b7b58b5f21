"""A program that judges: it is handed the outputs as files, and prints one JSON object with its answer."""

import json
import sys
from collections.abc import Sequence

from unvek.core.judging.outputs import TEXT, Content
from unvek.core.logbook.verdict_rows import PAIRS
from unvek.core.plan.judges import Judge
from unvek.core.plan.placeholders import INTERPRETER, filled
from unvek.core.run.processes.family import exit_words
from unvek.core.run.processes.process import Spawner, StartError
from unvek.core.session.judging.models import Heard
from unvek.core.session.measuring.fence import Bounds, FencedProcess, OutOfBoundsError, scratch_folder

ENDINGS = {"image/png": "png", "image/webp": "webp", "audio/wav": "wav"}


def ask_program(
    spawner: Spawner, judge: Judge, asked_for: str, seed: int, outputs: Sequence[Content], things: Sequence[str]
) -> Heard:
    """Have a program judge; whatever goes wrong is heard as an error, within its bounds."""
    with scratch_folder() as scratch:
        sides = ("left", "right") if judge.asks == PAIRS else ("output",)
        values = {INTERPRETER: sys.executable, "asked_for": asked_for, "seed": seed}
        for side, content in zip(sides, outputs, strict=True):
            file = scratch / f"{side}.{ENDINGS.get(content.form, 'txt')}"
            file.write_bytes(content.text.encode() if content.sort == TEXT else content.files[0])
            values[side] = str(file)
        task = scratch / "task.json"
        task.write_text(json.dumps({"asked_for": asked_for, "seed": seed, "expect": list(things)}))
        values["task"] = str(task)
        named = {str(path.relative_to(judge.folder)) for path in judge.files if path.is_relative_to(judge.folder)}
        command = [str(judge.folder / word) if word in named else filled(word, values) for word in judge.command]
        try:
            process = FencedProcess(
                spawner, command, scratch, Bounds(time_s=judge.time_limit_s, memory_bytes=judge.memory_limit_bytes)
            )
        except StartError as error:
            return Heard(error=f"it can't be started: {error}")
        try:
            ended = process.wait()
            said, tail = process.said.decode("utf-8", "replace"), process.tail.replace(f"{scratch}/", "")
        except OutOfBoundsError as error:
            return Heard(error=str(error))
        finally:
            process.close()
    if ended is None or ended.code != 0:
        last = f": {tail.splitlines()[-1]}" if tail else ""
        return Heard(error=f"it ended with {exit_words(ended.code if ended is not None else None)}{last}"[:300])
    return Heard(reply=said)
