"""What runs are made with, and what is to be made: two values that the engine and its launches are handed."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Protocol

from unvek.core.plan.cells import Sources
from unvek.core.plan.model import Plan
from unvek.core.rig.telemetry import Instruments
from unvek.core.run.engine.interruption import Interruption
from unvek.core.run.engine.model_process import Starter
from unvek.core.run.events.record import LaunchAbout, RunRecord, RunStart
from unvek.core.run.forecast import Forecaster
from unvek.core.run.journal.journal import Journal
from unvek.core.run.outputs_room import Hide, MakingFolder, OutputFile, Taken
from unvek.core.run.remaining import Remaining


class Keeper(Protocol):
    """Where launches and runs are kept. A run handed over is safe when `keep_run` returns."""

    def open_launch(self, variant: str, round_number: int) -> int:
        """Note that a process is about to be started, and return the launch's number."""

    def describe_launch(self, number: int, load_s: float | None, error: str | None, about: LaunchAbout) -> None:
        """Note how a launch went, and what its process is; what was noted before is replaced."""

    def make_folder(self, launch: int, place: int) -> MakingFolder:
        """Return a new, empty folder for a run's outputs."""

    def take_outputs(self, made: MakingFolder, start: RunStart, hide: Hide | None = None) -> Taken:
        """Take what a run has put into its folder; hide takes secrets out of it."""

    def keep_run(self, run: RunRecord, outputs: Sequence[OutputFile] = ()) -> int:
        """Keep a run with the outputs that were taken, and return its number."""

    @property
    def logs(self) -> int | None:
        """The descriptor of the folder of logs, held open."""

    def log_path(self, launch: int) -> Path:
        """Return where what a launch prints is to go."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Bench:
    """What runs are made with. most_bytes is more than the machine holds: what a run tells beyond that can't be."""

    starter: Starter
    keeper: Keeper
    journal: Journal
    interruption: Interruption
    instruments: Instruments
    forecaster: Forecaster
    most_bytes: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Assignment:
    """What is to be made: a plan's runs, of these files, and what is left of them; or mere trials of a setting.

    one_step: each run is broken off after its first step or token.
    """

    plan: Plan
    sources: Sources
    remaining: Remaining
    trial: bool = False
    one_step: bool = False
    varied: Mapping[str, Any] = field(default_factory=dict)
