"""A logbook whose runs are written by hand: what is said of them is then known beforehand."""

from dataclasses import replace
from pathlib import Path

import numpy as np
from PIL import Image

from tests.support import ProjectTest
from unvek.core.evidence.gathering import Selection, gather
from unvek.core.logbook.store import Logbook
from unvek.core.plan.model import Limits, Plan, Schedule, Task, Variant, WantedMeasure
from unvek.core.run.events.record import Progress, Provenance, RunRecord, RunStart, Value
from unvek.core.run.outputs_room import Taken
from unvek.core.session.measuring.working_out import work_out

RIG = {"processor": "p", "cores": 2, "memory_bytes": 2**33, "system": "s", "kernel": "k"}


class WrittenLogbook(ProjectTest):
    """A logbook whose runs are written by hand: cells are named variant/task/seed."""

    def setUp(self) -> None:
        super().setUp()
        self.logbook = Logbook.make_or_open(self.folder / "logbook")
        self.addCleanup(self.logbook.close)
        self.logbook.record_rig("rig-1", RIG)

    def plan(
        self, *variants: str, cells: list[str], quality: str | None = "likeness", kinds: dict[str, str] | None = None,
        of: dict[str, dict] | None = None, **also,
    ) -> None:  # fmt: skip
        kinds = kinds or ({quality: "ssim"} if quality else {})
        plan = Plan(
            path=Path("plan.toml"), text=str(cells), title="t", reference=variants[0], quality=quality,
            schedule=Schedule(rounds=3, repeats=1), runners={}, variants=tuple(planned(v, **(of or {}).get(v, {})) for v in variants),
            tasks=(planned_task("violet", wanted=("half shade", "loam")),),
            measures=tuple(WantedMeasure(name=name, kind=kind) for name, kind in kinds.items()),
        )  # fmt: skip
        self.logbook.record_plan(replace(plan, **also), cells, dict.fromkeys(variants))

    def run_made(self, name: str, time_s: float = 1.0, round_number: int = 1, status: str = "finished", place: int = 1,
                 shade: int | None = None, memory: int = 100, text: str = "", varied: dict[str, int] | None = None,
                 scores: tuple[np.ndarray, np.ndarray] | None = None, launch: int | None = None,
                 png: bytes | None = None, **also) -> int:  # fmt: skip
        launch = launch if launch is not None else self.logbook.open_launch(name.partition("/")[0], round_number)
        makes_any = shade is not None or scores is not None or png is not None
        made = self.logbook.make_folder(launch, place) if makes_any else None
        if made is not None and png is not None:
            (made.path / "label.png").write_bytes(png)
        if made is not None and shade is not None:
            Image.fromarray(picture(shade)).save(made.path / "label.png")
        if made is not None and scores is not None:
            np.savez(made.path / "given.scores.npz", log_probabilities=scores[0], tokens=scores[1])
        if isinstance(also.get("provenance"), dict):
            also["provenance"] = Provenance(**also["provenance"])
        values = (Value(name="warmth", number=4, unit="K"),)
        start = {key: also.pop(key) for key in list(also) if key in RunStart.__slots__}
        record = RunRecord(
            start=run_start(name, round=round_number, launch=launch, place=place, varied=varied or {}, **start),
            progress=Progress(time_s=time_s, memory_peak_bytes=memory, text=text, values=values),
            limits={}, status=status, error=None, exit_code=None, provenance=Provenance(),
        )  # fmt: skip
        taken = self.logbook.take_outputs(made, record.start) if made is not None else Taken()
        return self.logbook.keep_run(replace(record, **also), taken.files)

    def evidence(self, **chosen):
        return work_out(self.logbook, gather(self.logbook, Selection(**chosen))).evidence


def planned(name: str, **also) -> Variant:
    """A variant of a plan."""
    variant = Variant(name=name, form="full", runner="", of=None, weights=(), parts={}, settings={}, limits=Limits())
    also["weights"] = tuple(map(Path, also.get("weights", ())))
    also["parts"] = {part: Path(path) for part, path in also.get("parts", {}).items()}
    return replace(variant, **also)


def planned_task(name: str, **also) -> Task:
    """A task of a plan."""
    task = Task(name=name, prompt="p", seeds=(1, 2), inputs=(), expect=(), wanted=(), facts={}, settings={})
    return replace(task, **also)


def run_start(name: str, **also) -> RunStart:
    """What is known of a run of variant/task/seed when it begins."""
    variant, task, seed = name.split("/")
    start = RunStart(
        cell=name, round=1, repeat=1, launch=1, place=1, warm_up=False, variant=variant, form="full", task=task, seed=int(seed),
        settings={}, started_at="2026-01-01T00:00:00+00:00",
    )  # fmt: skip
    return replace(start, **also)


def picture(shade: int) -> np.ndarray:
    """Noise, another for each shade; all black below 0."""
    if shade < 0:
        return np.zeros((16, 16, 3), np.uint8)
    return np.random.default_rng(shade).integers(0, 256, (16, 16, 3), dtype=np.uint8)
