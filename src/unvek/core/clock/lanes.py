"""Acts folded into timed runs: each lane by itself, whatever the others do."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from unvek.core.clock.acts import (
    ANEW,
    BACK,
    COUNTED,
    FAILED,
    FORESEEN,
    LAP,
    START,
    STOP,
    WARM_UP,
    Act,
    ClockSetup,
)


@dataclass(slots=True, kw_only=True)
class TimedRun:
    """One run in a lane. laps_s are the seconds since the clock began at which each lap ended, the last with the run.

    launch counts the times that its program was started; ended_s is None while it runs.
    """

    lane: str
    began_s: float
    launch: int
    counts: dict[str, int]
    laps_s: list[float] = field(default_factory=list)
    ended_s: float | None = None
    failed: bool = False
    warm_up: bool = False
    foreseen_s: float | None = None

    @property
    def time_s(self) -> float | None:
        return None if self.ended_s is None else self.ended_s - self.began_s

    @property
    def lap_times_s(self) -> list[float]:
        """How long each lap took: where laps were pressed at all, the last one ends with the run."""
        ends = [*self.laps_s, *([self.ended_s] if self.ended_s is not None and self.laps_s and not self.failed else [])]
        return [end - begin for begin, end in zip([self.began_s, *ends], ends, strict=False)]


class Clock:
    """All that the keys have said, where the last word may be taken back."""

    def __init__(self, setup: ClockSetup, acts: Iterable[Act] = ()):
        self.setup = setup
        self.lanes = Lanes(setup)
        self._acts: list[Act] = []
        for act in acts:
            self.take(act)

    def take(self, act: Act) -> bool:
        """Take an act in; False where it fits nothing."""
        if act.do == BACK:
            if not self._acts:
                return False
            self._acts.pop()
            self.lanes = Lanes(self.setup, self._acts)
            return True
        if not self.lanes.take(act):
            return False
        self._acts.append(act)
        return True


class Lanes:
    """What the keys have said so far. An act that fits nothing (a stop of what does not run) changes nothing."""

    def __init__(self, setup: ClockSetup, acts: Iterable[Act] = ()):
        self._setup = setup
        self.runs: list[TimedRun] = []
        self._launches = dict.fromkeys(setup.lanes, 0)
        self._anew = dict.fromkeys(setup.lanes, True)
        self.last: str | None = None  # the lane that a press was of
        for act in acts:
            self.take(act)

    def of(self, lane: str) -> Sequence[TimedRun]:
        return [run for run in self.runs if run.lane == lane]

    def latest(self, lane: str) -> TimedRun | None:
        return next((run for run in reversed(self.runs) if run.lane == lane), None)

    def running(self, lane: str) -> TimedRun | None:
        run = self.latest(lane)
        return run if run is not None and run.ended_s is None else None

    @property
    def under_way(self) -> bool:
        return any(run.ended_s is None for run in self.runs)

    def next_of(self, lane: str) -> str:
        """Return what the lane's own key says now: start, lap or stop."""
        run = self.running(lane)
        if run is None:
            return START
        return LAP if len(run.laps_s) + 1 < self._setup.laps else STOP

    def take(self, act: Act) -> bool:
        """Take an act in; False where it fits nothing."""
        if act.lane not in self._setup.lanes or not self._fits(act):
            return False
        self.last = act.lane
        run = self.latest(act.lane)
        if act.do == START:
            self._start(act)
        elif act.do == ANEW:
            self._anew[act.lane] = True
        elif run is not None:
            _change(run, act)
        return True

    def _fits(self, act: Act) -> bool:
        run, latest = self.running(act.lane), self.latest(act.lane)
        if act.do == START:
            return run is None and (latest is None or act.at_s >= (latest.ended_s or 0.0))
        if act.do == ANEW:
            return run is None and self._setup.kept_running
        if act.do in (LAP, STOP) or (act.do == FAILED and run is not None):
            return run is not None and act.at_s > max([run.began_s, *run.laps_s])
        return latest is not None and (act.do != COUNTED or act.name in self._setup.counted)

    def _start(self, act: Act) -> None:
        lane, setup = act.lane, self._setup
        if self._anew[lane]:
            self._launches[lane] += 1
            self._anew[lane] = not setup.kept_running
        self.runs.append(
            TimedRun(
                lane=lane, began_s=act.at_s, launch=self._launches[lane], counts=dict.fromkeys(setup.counted, 0),
                foreseen_s=setup.foreseen_s.get(lane),
            )
        )  # fmt: skip


def _change(run: TimedRun, act: Act) -> None:
    if act.do == LAP:
        run.laps_s.append(act.at_s)
    elif act.do in (STOP, FAILED):  # that it failed may be seen when it is over
        run.ended_s, run.failed = run.ended_s or act.at_s, act.do == FAILED
    elif act.do == COUNTED:
        run.counts[act.name] += 1
    elif act.do == WARM_UP:
        run.warm_up = not run.warm_up
    elif act.do == FORESEEN:
        run.foreseen_s = act.value
