"""A logbook with outputs to be judged, and judges whose taste is known."""

import io
import json
from pathlib import Path

import numpy as np
from PIL import Image, PngImagePlugin

from tests.written import WrittenLogbook, planned_task
from unvek.core.evidence.gathering import gather
from unvek.core.evidence.outputs.source import KeptOutputs
from unvek.core.findings.tally.tally import tally
from unvek.core.judging.outputs import JudgedOutputs
from unvek.core.logbook.store import Logbook
from unvek.core.logbook.verdict_rows import BallotRow

TASKS = ("violet", "amber", "white", "rose", "olive", "slate", "sand", "plum")


def label(shade: int, size: int = 8) -> np.ndarray:
    """A small picture, another one for each shade."""
    return np.random.default_rng(shade).integers(0, 256, (size, size, 3), dtype=np.uint8)


def png(pixels: np.ndarray, secret: str = "", **how) -> bytes:
    """A picture as a variant might write it, with its name in it."""
    file, told = io.BytesIO(), PngImagePlugin.PngInfo()
    if secret:
        told.add_text("Software", secret)
        told.add_itxt("variant", secret)
    Image.fromarray(pixels).save(file, "PNG", pnginfo=told, **how)
    return file.getvalue()


class JudgedLogbook(WrittenLogbook):
    """Variants a, b, ... each with one output of each task; a is the reference."""

    def make(self, variants: str = "ab", tasks: int = 8, texts: bool = False, alike: tuple[str, ...] = ()) -> None:
        names = TASKS[:tasks]
        cells = [f"{variant}/{task}/0" for variant in variants for task in names]
        self.plan(
            *variants, cells=cells, quality=None,
            tasks=tuple(planned_task(task, seeds=(0,), prompt=f"a {task} label", expect=(f"{task} petals", "one leaf")) for task in names),
        )  # fmt: skip
        self.runs = {}
        for place, (variant, task) in enumerate((v, t) for v in variants for t in names):
            shade = 1000 + names.index(task) if variant in alike else place
            what = {"text": f"{task} card by {shade}"} if texts else {"png": png(label(shade), f"secret-{variant}")}
            number = self.run_made(f"{variant}/{task}/0", **what)
            self.runs[number] = (variant, task)

    @property
    def logbook_path(self) -> Path:
        return self.folder / "logbook"

    def outputs(self) -> JudgedOutputs:
        return JudgedOutputs(KeptOutputs.of(self.logbook), gather(self.logbook))

    def ballots(self, *options: str, name: str = "page.html") -> list[BallotRow]:
        """Have the program write pages; return what the logbook knows of them."""
        before = len(self.logbook.ballots())
        self.unvek("judge", "ballot", name, *options)
        return self.logbook.ballots()[before:]

    def answered(self, ballot: BallotRow, judge: str, say, name: str | None = None, only: int | None = None) -> Path:
        """Write a file of answers: say(left variant, right variant, task) is called for each question."""
        answers = []
        for question in ballot.questions[:only]:
            (left, task), right = (
                self.runs[question.left.run],
                self.runs.get(getattr(question.right, "run", 0), (None,))[0],
            )
            answers.append(
                {"question": question.id, "answer": say(left, right, task), "why": "", "took_s": 2.5, "flips": 1}
            )
        return self.write_answers(
            {"ballot": ballot.id, "judge": judge, "answers": answers}, name or f"answers-{judge}.json"
        )

    def write_answers(self, content: dict, name: str = "answers.json") -> Path:
        path = self.folder / name
        path.write_text(json.dumps({"unvek": 1, "kind": "answers", **content}))
        return path

    def tallied(self):
        with Logbook.open(self.logbook_path) as logbook:
            return tally(logbook, gather(logbook))
