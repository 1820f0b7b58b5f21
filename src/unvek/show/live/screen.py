"""Drawing the live view: where we are, what runs now, what has come so far. Readable at 80x24."""

from rich.cells import cell_len
from rich.text import Text

from unvek.core.plain_text import clean, clean_lines
from unvek.core.rig.facts import has_simulated
from unvek.core.run.events.record import DISTURBED_FROM, FINISHED
from unvek.core.run.journal.controls import PAUSE
from unvek.core.units import bytes_words, counted, duration_words, range_words, times_words
from unvek.show.live.state import NS, LiveState, RunNow, VariantSoFar
from unvek.show.palette import FORM_COLOURS, FORM_MARKS, REFERENCE_LINE, RUN_DOT, WARNING
from unvek.show.terminal.bars import step_bars
from unvek.show.terminal.figures import both_ends, item_words, variant_text
from unvek.show.terminal.half_blocks import half_blocks
from unvek.show.terminal.strip import Axis

WHERE_LINES, FOOT_LINES = 4, 2
LEAST_NOW_LINES, MOST_NOW_LINES = 7, 24
MOST_NOW_LINES_WITHOUT_PICTURE = 15
LEAST_LEFT_COLUMNS, MOST_LEFT_COLUMNS = 44, 72
LEAST_JUST_MADE_LINES = 4
BAR_COLUMNS = 12
WARM_UP_DOT, FAILED_CROSS = "○", "×"


def draw(state: LiveState, width: int, height: int, now_ns: int) -> list[Text]:
    """Return the screen's lines: never more than height, never wider than width."""
    wanted = len(state.variants) + 2 if not state.shows_log else height // 3
    so_far = min(wanted, max(3, height - WHERE_LINES - FOOT_LINES - LEAST_NOW_LINES))
    most = MOST_NOW_LINES if state.preview is not None else MOST_NOW_LINES_WITHOUT_PICTURE
    now_lines = min(most, max(LEAST_NOW_LINES, height - WHERE_LINES - FOOT_LINES - so_far))
    lines = [
        *_where(state, width, now_ns),
        *_now(state, width, now_lines, now_ns),
        *(_log(state, so_far) if state.shows_log else _so_far(state, width, so_far)),
    ][: height - FOOT_LINES]
    lines += _just_made(state, height - FOOT_LINES - len(lines))
    lines += [Text() for _ in range(height - FOOT_LINES - len(lines))]
    lines += [_news(state, width), _foot(state)]
    for line in lines:
        line.truncate(width, overflow="ellipsis")
    return lines


def _where(state: LiveState, width: int, now_ns: int) -> list[Text]:
    left = state.time_left_s(now_ns)
    time_left = "done" if state.over else f"{range_words(*left)} left" if left else "time left not known yet"
    rig = state.rig
    memory = bytes_words(rig.get("memory_bytes") or 0)
    machine = f"{rig.get('processor') or 'unknown processor'}, {rig.get('cores')} cores, {memory}"
    if has_simulated(rig):
        machine = f"with a simulated accelerator, {machine}"
    done = round(width * state.done / state.planned) if state.planned else 0
    return [
        both_ends(Text(clean(state.title), style="bold"), Text(f"round {state.round} of {state.rounds}"), width),
        both_ends(Text(clean(machine), style="dim"), Text(f"{state.done} of {state.planned} runs, {time_left}"), width),
        Text("━" * done) + Text("─" * (width - done), style="dim"),
        Text(),
    ]


def _now(state: LiveState, width: int, height: int, now_ns: int) -> list[Text]:
    columns = min(MOST_LEFT_COLUMNS, max(LEAST_LEFT_COLUMNS, width * 2 // 5))
    left = _now_words(state, now_ns, columns, height)
    picture: list[Text] = []
    if state.preview is not None and not state.slow_link and width > columns + 16:
        shown = state.preview
        picture = half_blocks(shown.width, shown.height, shown.rgb, columns=width - columns, rows=height - 2)
        picture.append(Text(clean(shown.of), style="dim"))
    lines = []
    for place in range(height):
        line = left[place] if place < len(left) else Text()
        if place < len(picture):
            line.truncate(columns - 2, overflow="ellipsis")
            line = Text.assemble(line, " " * (columns - cell_len(line.plain)), picture[place])
        lines.append(line)
    return lines


def _now_words(state: LiveState, now_ns: int, columns: int, height: int) -> list[Text]:
    now = state.run_shown(now_ns)
    if now is None:
        if state.loading is not None:
            form = state.variants[state.loading].form
            return [variant_text(state.loading, form), Text("loading", style="dim"), *_machine_words(state, None)]
        return [Text(_between_runs(state), style="dim")]
    start = now.start
    variant = state.variants[start.variant]
    elapsed_s = max(0, (now.ended_ns or now_ns) - now.began_ns) * NS
    lines = [
        variant_text(start.variant, variant.form)
        + Text("  warm-up" if start.warm_up else f"  run {start.round}.{start.repeat}", style="dim")
        + Text(_pause_words(state), style=WARNING),
        Text(item_words(start.task, start.seed, start.varied)),
        Text(clean(now.prompt), style="dim"),
        *_step_lines(now, columns, FORM_COLOURS[variant.form]),
        Text(f"{duration_words(elapsed_s)} elapsed{_left_words(now, elapsed_s)}"),
        *_machine_words(state, now),
    ]
    if now.sent:
        failed = f", {now.failed} failed" if now.failed else ""
        lines.append(Text(f"{counted(now.sent, 'request')} sent, {now.sent - now.answered} under way{failed}"))
    if now.text:
        lines += [
            Text(_token_words(now, now_ns)),
            *(Text(line) for line in clean_lines(now.text)[-max(4, height - len(lines) - 2) :]),
        ]
    return lines


def _token_words(now: RunNow, now_ns: int) -> str:
    """How much has been written, and how quickly since the first of it."""
    since_first_s = ((now.ended_ns or now_ns) - now.first_ns) * NS if now.first_ns is not None else 0.0
    if not now.tokens:
        return "text"
    rate = f", {now.tokens / since_first_s:.0f} a second" if since_first_s > 0 else ""
    first = f", the first after {duration_words((now.first_ns - now.began_ns) * NS)}" if now.first_ns else ""
    return f"{now.tokens} {clean(now.unit)}{rate}{first}"


def _pause_words(state: LiveState) -> str:
    if state.paused:
        return "  paused"
    return "  pauses after this run" if state.asked == PAUSE else ""


def _between_runs(state: LiveState) -> str:
    if not state.over:
        return "starting"
    return "stopped" if state.stopped else "all runs are made"


def _step_lines(now: RunNow, columns: int, colour: str) -> list[Text]:
    """The steps drawn and in words; of a run that writes and makes none, its phase."""
    if not now.step_times_s and (now.text or now.sent):
        return [Text(clean(now.phase))] if now.phase else []
    return [Text(step_bars(now.step_times_s, columns - 4), style=colour), Text(_step_words(now))]


def _step_words(now: RunNow) -> str:
    count = len(now.step_times_s)
    if not count:
        return clean(now.phase) or ("no step yet" if now.steps_of else "under way")
    of = f" of {now.steps_of}" if now.steps_of else ""
    return f"step {count}{of}, {duration_words(sum(now.step_times_s) / count)} a step"


def _left_words(now: RunNow, elapsed_s: float) -> str:
    """What is left of the run, by its own steps once there are some, before that by the forecast made for it."""
    count = len(now.step_times_s)
    if now.ended_ns is not None:
        return ""
    if count and now.steps_of:
        return f", about {duration_words(max(0, now.steps_of - count) * sum(now.step_times_s) / count)} left"
    if now.forecast_s is not None:
        low_s, high_s = (max(0.0, end_s - elapsed_s) for end_s in now.forecast_s)
        return f", {range_words(low_s, high_s)} left"
    return ""


def _machine_words(state: LiveState, now: RunNow | None) -> list[Text]:
    """Memory against the limit, and what else the machine does where that disturbs."""
    words = []
    held = state.memory_bytes
    if held:
        line = Text(f"memory {bytes_words(held)}", style="dim")
        limit = now.memory_limit_bytes if now is not None else None
        if limit:
            full = min(BAR_COLUMNS, round(BAR_COLUMNS * held / limit))
            line += Text(f" of {bytes_words(limit)}  ", style="dim")
            line += Text("━" * full) + Text("─" * (BAR_COLUMNS - full), style="dim")
        elif now is not None and (peak := state.variants[now.start.variant].memory_peak_bytes):
            line += Text(f", {bytes_words(max(peak, held))} at most", style="dim")
        words.append(line)
    elif now is not None and (peak := state.variants[now.start.variant].memory_peak_bytes):
        words.append(Text(f"memory up to {bytes_words(peak)} so far", style="dim"))
    if state.device_bytes is not None:
        words.append(Text(f"on the accelerator {bytes_words(state.device_bytes)}", style="dim"))
    if state.others_share is not None and state.others_share >= DISTURBED_FROM:
        words.append(Text(f"others keep {state.others_share:.1f} cores busy", style=WARNING))
    return words


def _just_made(state: LiveState, height: int) -> list[Text]:
    """Where the window is tall, the latest runs, the newest first."""
    if height < LEAST_JUST_MADE_LINES or not state.latest:
        return []
    lines = [Text(), Text("just made", style="dim")]
    for made in list(state.latest)[: 1 - height : -1]:
        name = variant_text(made.variant, state.variants[made.variant].form)
        line = name + Text(" " * max(1, 24 - cell_len(name.plain)) + f"{clean(made.task)}, seed {made.seed}")
        line += Text(" " * max(2, 56 - cell_len(line.plain)))
        line += Text(f"{duration_words(made.time_s):>10}" if made.time_s is not None else " " * 10)
        line += Text("  warm-up" if made.warm_up else "", style="dim")
        lines.append(line + Text("" if made.status == FINISHED else f"  {made.status}", style=WARNING))
    return lines


def _log(state: LiveState, height: int) -> list[Text]:
    shown = [Text("  " + clean(line)) for line in state.log_lines[-(height - 1) :]]
    nothing = [Text("  nothing was printed yet", style="dim")]
    lines = [Text("what this launch has printed", style="dim"), *(shown or nothing)]
    return [*lines, *(Text() for _ in range(height - len(lines)))]


def _so_far(state: LiveState, width: int, height: int) -> list[Text]:
    names = max((len(name) for name in state.variants), default=4) + 3
    figures = 28
    axis = Axis.over(
        [t for v in state.variants.values() for t in (*v.times_s, *v.warm_up_times_s)], max(10, width - names - figures)
    )
    known = any(v.times_s or v.warm_up_times_s for v in state.variants.values())
    head = Text(" " * names) + (axis.scale() if known else Text(" " * axis.width, style="dim"))
    head += Text(f"{' s':<3}{'median':>8}{'as fast':>9}{'failed':>8}", style="dim")
    lines = [head]
    base = state.variants[state.reference].median_s if state.reference in state.variants else None
    shown = list(state.variants.items())
    room = height - 1
    if len(shown) > room:
        shown = shown[: max(1, room - 1)]
    for name, variant in shown:
        label = variant_text(name, variant.form)
        label.truncate(names - 1)
        label += Text(" " * (names - cell_len(label.plain)))
        middle = variant.median_s
        factor = times_words(base / middle) if base and middle else ""
        line = label + _dots(axis, variant, base) + Text(f"   {duration_words(middle) if middle else '':>8}{factor:>9}")
        failed = Text(f"{variant.failed or '':>8}", style=WARNING if variant.failed else "")
        lines.append(line + failed)
    if len(state.variants) > len(shown):
        lines.append(
            Text(f"and {len(state.variants) - len(shown)} more variants; a taller window shows them", style="dim")
        )
    return lines


def _dots(axis: Axis, variant: VariantSoFar, base: float | None) -> Text:
    cells = [(" ", "")] * axis.width
    colour = FORM_COLOURS[variant.form]
    for time in variant.warm_up_times_s:
        cells[axis.column(time)] = (WARM_UP_DOT, "dim")
    for time in variant.times_s:
        cells[axis.column(time)] = (RUN_DOT, colour)
    for time in variant.failed_times_s:
        cells[axis.column(time)] = (FAILED_CROSS, WARNING)
    if base is not None and cells[axis.column(base)][0] == " ":
        cells[axis.column(base)] = (REFERENCE_LINE, "dim")
    if variant.median_s is not None:
        cells[axis.column(variant.median_s)] = (FORM_MARKS[variant.form], f"bold {colour}")
    return Text.assemble(*cells)


def _news(state: LiveState, width: int) -> Text:
    """What just happened, or how it looks so far, above the keys: in a narrow window both would not fit one line."""
    if state.news:
        return Text(clean(state.news), style=WARNING)
    return Text(clean(state.standing.words(state.reference, width)), style="dim")


def _foot(state: LiveState) -> Text:
    if state.over:
        return Text("stopped; all that was made is kept" if state.stopped else "all that was made is kept", style="dim")
    if not state.keys:
        return Text("Ctrl-C skips this run, twice stops; what is done stays done", style="dim")
    pause = "go on" if state.paused or state.asked == PAUSE else "pause"
    log = "runs" if state.shows_log else "log"
    return Text(f"s skip  a stop after this run  p {pause}  l {log}  q quit watching", style="dim")
