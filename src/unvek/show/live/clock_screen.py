"""Drawing a clock that is worked by hand: each lane, what was timed last, which key does what. Readable at 80x24."""

from dataclasses import dataclass, field

from rich.cells import cell_len
from rich.text import Text

from unvek.core.clock.acts import START, STOP, WARM_UP, ClockSetup
from unvek.core.clock.lanes import Clock, TimedRun
from unvek.core.measures.catalogue import COUNT, FAULTS
from unvek.core.plain_text import clean
from unvek.core.units import counted, duration_words, times_words
from unvek.show.palette import FORM_COLOURS, WARNING
from unvek.show.terminal.figures import both_ends, item_words, variant_text

LAP_KEY, FAILED_KEY, WARM_UP_KEY, FORESEEN_KEY, ANEW_KEY, BACK_KEY, QUIT_KEY = " ", "f", "w", "e", "n", "b", "q"
TAKEN_KEYS = (FAILED_KEY, WARM_UP_KEY, FORESEEN_KEY, ANEW_KEY, BACK_KEY, QUIT_KEY)
NAME_COLUMNS, TIME_COLUMNS = 20, 12
ROOMY = 3  # lines a lane, where there is room


@dataclass(slots=True, kw_only=True)
class ClockShown:
    """What is shown: the clock, which key counts which measure, what was said last. entry is what is being typed."""

    clock: Clock
    counting: dict[str, str] = field(default_factory=dict)
    measured_hand: bool = False
    news: str = ""
    entry: str | None = None


def lasted(seconds: float) -> str:
    """Word a time as a hand takes it: to a hundredth of a second, in minutes where it is long."""
    hundredths = round(100 * seconds)
    minutes, rest = divmod(hundredths, 6000)
    if not minutes:
        return f"{rest / 100:.2f} s"
    hours, minutes = divmod(minutes, 60)
    return f"{hours}:{minutes:02}:{rest / 100:05.2f}" if hours else f"{minutes}:{rest / 100:05.2f}"


def draw_clock(shown: ClockShown, width: int, height: int, now_s: float) -> list[Text]:
    """Return the screen's lines: never more than height, never wider than width. now_s: since the clock began."""
    setup = shown.clock.setup
    foot = _foot(shown, width)
    room = height - len(foot)
    lines = [*_head(shown, width), Text()]
    each = min(ROOMY, (room - len(lines)) // len(setup.lanes))
    for place, lane in enumerate(setup.lanes, 1):
        stands, came_with = _lane(shown, place, lane, now_s)
        # Where the window is low, what a run came with is shown of the lane that was pressed last.
        lines += (
            [stands, came_with, Text()][:each] if each > 1 or lane != shown.clock.lanes.last else [stands, came_with]
        )
    lines = lines[:room]
    lines += _just_timed(shown, room - len(lines))
    lines += [Text() for _ in range(room - len(lines))]
    lines += foot
    for line in lines:
        line.truncate(width, overflow="ellipsis")
    return lines[-height:]


def _head(shown: ClockShown, width: int) -> list[Text]:
    setup, runs = shown.clock.setup, shown.clock.lanes.runs
    over = [run for run in runs if run.ended_s is not None]
    failed = sum(run.failed for run in over)
    hand = f"your hand is off by {setup.reaction_s:.2f} s" + ("" if shown.measured_hand else ", as most are")
    words = counted(len(over), "run") + (f", {failed} failed" if failed else "")
    kept = "the programs stay up: n when one was started anew" if setup.kept_running else "each run a fresh start"
    laps = f"{setup.laps} laps a run; " if setup.laps else ""
    return [
        both_ends(Text(item_words(setup.task, setup.seed, {}), style="bold"), Text(hand), width),
        both_ends(Text(f"timed by hand, {laps}{kept}", style="dim"), Text(words), width),
    ]


def _lane(shown: ClockShown, place: int, lane: str, now_s: float) -> list[Text]:
    """Two lines of a lane: how it stands; and what its run, the one that goes on or the last, came with."""
    clock, form = shown.clock, shown.clock.setup.form(lane)
    name = variant_text(lane, form)
    name.truncate(NAME_COLUMNS - 1, overflow="ellipsis")
    marked = clock.lanes.last == lane
    line = Text.assemble((f"{place} ", "bold"), ("▸" if marked else " ", "bold"), name)
    line += Text(" " * max(1, NAME_COLUMNS + 3 - cell_len(line.plain)))
    run, latest = clock.lanes.running(lane), clock.lanes.latest(lane)
    if run is not None:
        line += Text(f"{lasted(max(0.0, now_s - run.began_s)):>{TIME_COLUMNS}}  ", style=f"bold {FORM_COLOURS[form]}")
        line += Text(_lap_words(run, clock.setup))
    else:
        times = [lasted(one.time_s) for one in clock.lanes.of(lane) if one.time_s is not None and not one.failed]
        line += Text(f"{'at rest' if latest else 'not started':>{TIME_COLUMNS}}  ", style="dim")
        line += Text(", ".join(times[-4:]), style="dim")
    return [line, _came_with(shown, latest)]


def _lap_words(run: TimedRun, setup: ClockSetup) -> str:
    of = f" of {setup.laps}" if setup.laps else ""
    words = f"lap {len(run.laps_s) + 1}{of}" if setup.laps or run.laps_s else "under way"
    if run.laps_s:
        words += f", the last {lasted(run.lap_times_s[-1])}"
    return words


def _came_with(shown: ClockShown, run: TimedRun | None) -> Text:
    line = Text(" " * (NAME_COLUMNS + 3))
    if run is None:
        return line
    for key, name in shown.counting.items():
        said = run.counts[name]
        line += Text(f"{key} ", style="dim") + Text(f"{label(name)} {said}   ", style="" if said else "dim")
    foreseen = f"foreseen {lasted(run.foreseen_s)}   " if run.foreseen_s else ""
    return line + Text(foreseen, style="dim") + _marks(run)


def label(name: str) -> str:
    """Return what is counted, as a person calls it."""
    return f"faults {name.removeprefix(FAULTS)}" if name.startswith(FAULTS) else name.removeprefix(COUNT)


def _marks(run: TimedRun) -> Text:
    return Text("warm-up  " if run.warm_up else "", style="dim") + Text("failed" if run.failed else "", style=WARNING)


def _just_timed(shown: ClockShown, height: int) -> list[Text]:
    """The latest runs, the newest first."""
    over = [run for run in shown.clock.lanes.runs if run.time_s is not None]
    if height < 3 or not over:
        return []
    lines = [Text("just timed", style="dim")]
    for run in sorted(over, key=lambda one: one.ended_s or 0.0)[:-height:-1]:
        assert run.time_s is not None, "it is over"
        name = variant_text(run.lane, shown.clock.setup.form(run.lane))
        name.truncate(NAME_COLUMNS - 1, overflow="ellipsis")
        line = Text.assemble("   ", name)
        line += Text(" " * max(1, NAME_COLUMNS + 3 - cell_len(line.plain)) + f"{lasted(run.time_s):>{TIME_COLUMNS}}  ")
        line += _marks(run) + Text("  " if run.warm_up or run.failed else "") + Text(_beside(run), style="dim")
        lines.append(line)
    return lines


def _beside(run: TimedRun) -> str:
    """What came beside the time: laps, what another program had foreseen, what was counted."""
    words = []
    if laps := run.lap_times_s:
        words.append(f"{len(laps)} laps of {duration_words(sum(laps) / len(laps))}")
    if run.foreseen_s and run.time_s is not None:
        words.append(f"{times_words(run.time_s / run.foreseen_s)} the {lasted(run.foreseen_s)} foreseen")
    words += [f"{label(name)} {count}" for name, count in run.counts.items() if count]
    return ", ".join(words)


def _foot(shown: ClockShown, width: int) -> list[Text]:
    """The keys, as many lines as they take; what is being typed, or what was said last."""
    setup, lanes = shown.clock.setup, shown.clock.lanes
    if shown.entry is not None:
        return [Text("seconds, or 0:45, or 1 min 5 s; Enter notes it, Escape leaves it", style="dim"),
                Text(f"foreseen by {lanes.last}: {clean(shown.entry)}_", style="bold")]  # fmt: skip
    numbers = f"1-{len(setup.lanes)}" if len(setup.lanes) > 1 else "1"
    keys = [f"{numbers} {'start, lap, stop' if setup.laps else 'start, stop'}"]
    keys += [] if setup.laps else ["space lap"]
    keys += [f"{FAILED_KEY} failed", *(f"{key} {label(name)}" for key, name in shown.counting.items())]
    keys += [f"{WARM_UP_KEY} warm-up", *([f"{ANEW_KEY} started anew"] if setup.kept_running else [])]
    keys += [f"{FORESEEN_KEY} foreseen", f"{BACK_KEY} take back", f"{QUIT_KEY} end"]
    lines, line = [], ""
    for one in keys:
        if line and len(line) + 3 + len(one) > width:
            lines.append(line)
            line = ""
        line += ("   " if line else "") + one
    return [Text(clean(shown.news)), *(Text(words, style="dim") for words in (*lines, line))]


def said_words(clock: Clock, lane: str, did: str) -> str:
    """Say what a press has done, for the line above the keys. did is the act, or the measure that was counted."""
    run = clock.lanes.latest(lane)
    if run is None:
        return ""
    if did == START:
        return f"{lane} started"
    if did == STOP and run.time_s is not None:
        beside = _beside(run)
        return f"{lane} took {lasted(run.time_s)}" + (f": {beside}" if beside else "")
    if did in run.counts:
        return f"{lane}: {label(did)} {run.counts[did]}"
    return f"{lane}: {'no ' if did == WARM_UP and not run.warm_up else ''}{did}"
