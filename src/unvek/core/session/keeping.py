"""Runs kept in a team's logbook, come what may: while it can't be reached they wait in this machine's own folder.

What waits is a logbook of its own, in the folder that this machine has of the team's: sessions, launches and runs have
the ids there that they were to have. It is merged in as soon as the team's logbook is back, between two launches, or by
the next session. Since ids tell what is the same, a run whose keeping was cut off half way is there once.
"""

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from contextlib import suppress
from pathlib import Path, PurePath
from typing import Any

from unvek.core.errors import LogbookError, LogbookUnreachableError
from unvek.core.exchange.merging import merge
from unvek.core.ids import new_id
from unvek.core.logbook import tables
from unvek.core.logbook.inserting import KEEP, insert_all
from unvek.core.logbook.place import Place
from unvek.core.logbook.rows import LaunchRow, OutputRow, SessionRow
from unvek.core.logbook.store import Logbook
from unvek.core.logbook.team_work import OVER, STOPPED, Work
from unvek.core.plan.cells import Cell
from unvek.core.run.events.record import INTERRUPTED, LaunchAbout, RunRecord, RunStart, Slot
from unvek.core.run.outputs_room import Hide, MakingFolder, OutputFile, Taken
from unvek.core.units import counted

PATIENCE_S, LONGEST_BRINGING_S = 60.0, 600.0  # with a server that says nothing
WAITING_FROM = 1_000_000_000  # numbers of launches that wait: no launch of the team's logbook has one of these


class TeamKeeper:
    """The engine's Keeper for a team's logbook."""

    def __init__(
        self, logbook: Logbook, facts: Mapping[str, Any], cells: Sequence[Cell], tell: Callable[[str], None] | None
    ):
        """facts: of this machine, under the fingerprint that the logbook was told. Cells: of the plan."""
        self._logbook, self._facts, self._tell = logbook, facts, tell
        self._filled = logbook.all_done(cells, logbook.rig)
        self._session: SessionRow | None = None
        self._launch: LaunchRow | None = None
        self._waiting: Logbook | None = None  # open while the team's can't be reached
        self._waiting_runs = 0

    def begin(self, session: SessionRow, title: str, planned: int) -> None:
        self._session = session
        with suppress(LogbookUnreachableError):
            self._logbook.tell_work(Work(title=title, session=session.name, planned=planned))

    def close(self) -> None:
        """Let the waiting logbook go; what is in it stays."""
        if self._waiting is not None:
            self._waiting.close()
            self._waiting = None

    # ---- what the engine asks ----

    def open_launch(self, variant: str, round_number: int) -> int:
        self._come_back()
        if self._waiting is None:
            try:
                with self._logbook.within(PATIENCE_S):
                    self._launch = self._logbook.begin_launch(variant, round_number)
                return self._launch.number
            except LogbookUnreachableError as error:
                self._launch = None  # it may be there, and then has no runs
                self._cut_off(error)
        waiting = self._waiting_now()
        highest = max((launch.number for launch in waiting.launches()), default=0)
        self._launch = waiting.begin_launch(variant, round_number, number=max(highest + 1, WAITING_FROM))
        return self._launch.number

    def describe_launch(self, number: int, load_s: float | None, error: str | None, about: LaunchAbout) -> None:
        if self._waiting is None:
            try:
                with self._logbook.within(PATIENCE_S):
                    self._logbook.describe_launch(number, load_s, error, about)
                return
            except LogbookUnreachableError as reason:
                self._cut_off(reason)
        self._waiting_now().describe_launch(number, load_s, error, about)

    def make_folder(self, launch: int, place: int) -> MakingFolder:
        return self._logbook.make_folder(launch, place)

    def take_outputs(self, made: MakingFolder, start: RunStart, hide: Hide | None = None) -> Taken:
        taken = self._logbook.take_outputs_here(made, start, hide)
        if self._waiting is None:
            try:
                self._logbook.share_outputs(taken.files)
            except LogbookUnreachableError as error:
                self._cut_off(error)
        return taken

    def keep_run(self, run: RunRecord, outputs: Sequence[OutputFile] = ()) -> int:
        start, identity = run.start, new_id()  # the same where it is kept twice, since the answer was lost
        if not start.warm_up and run.status != INTERRUPTED:
            self._filled.add(Slot(cell_key=start.cell, round=start.round, repeat=start.repeat))
        if self._waiting is None:
            try:
                with self._logbook.within(PATIENCE_S):
                    return self._logbook.keep_run(run, outputs, identity)
            except LogbookUnreachableError as error:
                self._cut_off(error)
        self._waiting_runs += 1
        return self._waiting_now().keep_run(run, outputs, identity)

    @property
    def logs(self) -> int:
        return self._logbook.logs

    def log_path(self, launch: int) -> Path:
        return self._logbook.log_path(launch)

    # ---- what a session asks ----

    def done(self, cells: Collection[Cell], round_number: int) -> set[Slot]:
        """Return the slots of these cells, all of one variant, that are filled in a round: as far as is known here."""
        if self._waiting is None:
            try:
                with self._logbook.within(PATIENCE_S):
                    return self._logbook.done(cells, self._logbook.rig, round_number)
            except LogbookUnreachableError as error:
                self._cut_off(error)
        keys = {cell.key for cell in cells}
        return {slot for slot in self._filled if slot.round == round_number and slot.cell_key in keys}

    def finish(self, stopped: bool, forecast: int | None, took_s: float | None) -> None:
        """End the session; bring what waits into the team's logbook if it is back, and say where it is if not.

        forecast and took_s: of how long the session was to take, and how long it took, where all of it was made.
        """
        self._come_back()
        if self._waiting is None:
            try:
                with self._logbook.within(PATIENCE_S):
                    self._logbook.end_work(STOPPED if stopped else OVER)
                    self._logbook.end_session()
                if forecast is not None and took_s is not None:
                    self._logbook.close_forecast(forecast, took_s)
                return
            except LogbookUnreachableError as error:
                self._cut_off(error)
        waiting = self._waiting_now()
        waiting.end_session()
        self._say(
            f"{counted(self._waiting_runs, 'run')} wait in {waiting.place.folder}, since {self._logbook.name} can't be "
            f"reached; the next 'unvek run' brings them there, or 'unvek merge {waiting.place.folder}'"
        )
        self.close()

    # ---- away and back ----

    def _cut_off(self, error: LogbookUnreachableError) -> None:
        """Keep what comes in the machine's own folder from now on."""
        self._say(f"{error}. What is made from now on waits on this machine, and is brought there when it is back")
        self._waiting = waiting = Logbook.make_or_open(Place(self._logbook.folder.path))
        waiting.record_rig(self._logbook.rig, self._facts)
        with waiting.bringing_in() as connection:
            insert_all(connection, tables.sessions, [self._session] if self._session is not None else [], KEEP)
            insert_all(connection, tables.launches, [self._launch] if self._launch is not None else [], KEEP)
        waiting.session = self._session.number if self._session is not None else None

    def _waiting_now(self) -> Logbook:
        assert self._waiting is not None, "the team's logbook can't be reached"
        return self._waiting

    def _come_back(self) -> None:
        """Bring what waits into the team's logbook, if that can be reached again."""
        if self._waiting is None:
            return
        self.close()
        try:
            with self._logbook.within(LONGEST_BRINGING_S):
                brought = bring_what_waits(self._logbook)
        except LogbookError:  # of whatever kind: runs are made all the same, and none is lost
            self._waiting = Logbook.make_or_open(Place(self._logbook.folder.path))
            self._waiting.rig = self._logbook.rig
            self._waiting.session = self._session.number if self._session is not None else None
            return
        self._waiting_runs = 0
        self._say(f"{self._logbook.name} is back: {counted(brought, 'run')} that waited came into it")

    def _say(self, words: str) -> None:
        if self._tell is not None:
            self._tell(words)


def waits_in(place: Place) -> bool:
    """Whether runs wait in the folder that this machine has of a team's logbook."""
    return place.is_team and Logbook.is_in(Place(place.folder))


def bring_what_waits(logbook: Logbook) -> int:
    """Bring the runs that wait in a team's folder into its logbook, and return how many; none where nothing waits.

    LogbookUnreachableError where that can't be now: they wait on.
    """
    place = Place(logbook.folder.path)
    if not waits_in(logbook.place):
        return 0
    with Logbook.open(place) as waiting:
        merged = merge(logbook, waiting)
        left = _folders_of(waiting.outputs()) - _folders_of(_outputs_there(logbook, waiting))
    # Killed from here on, what waited comes once more, and nothing of it is new then.
    for path in sorted(place.folder.glob(f"{logbook.folder.database.name}*"), reverse=True):
        path.unlink(missing_ok=True)
    logbook.folder.outputs.drop(left)
    return merged.runs


def _outputs_there(logbook: Logbook, waiting: Logbook) -> list[OutputRow]:
    """Return the outputs that the team's logbook has of these runs: of one whose answer was lost, the same files."""
    numbers = logbook.numbers_by_id([run.id for run in (*waiting.runs(), *waiting.runs(trials=True))])
    return logbook.outputs_of([number for found in numbers.values() for number in found])


def _folders_of(outputs: Iterable[OutputRow]) -> set[str]:
    return {PurePath(output.path).parts[1] for output in outputs}
