"""A trial, drawn: the outputs as far as a terminal can show them, each with its steps and time."""

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from rich.cells import cell_len
from rich.console import Console
from rich.text import Text

from unvek.core.digits import scale_for
from unvek.core.findings.log.answer_speed import AnswerSpeed
from unvek.core.pictures import NoPictureError, open_picture
from unvek.core.plain_text import clean, clean_lines
from unvek.core.run.events.record import FINISHED, SIMULATED
from unvek.core.session.trial import Trial, TrialRun
from unvek.core.units import counted, duration_words
from unvek.show.results.answer_facts import written_words
from unvek.show.terminal.console import faint
from unvek.show.terminal.figures import UNKNOWN, figure, settings_words, variant_text, warning_text
from unvek.show.terminal.grid import Column
from unvek.show.terminal.half_blocks import half_blocks
from unvek.show.terminal.views import View

PICTURE_COLUMNS, PICTURE_ROWS = 48, 24
PICTURE_SIDE = 4 * PICTURE_COLUMNS  # pixels that are read of it
SMALL_COLUMNS = 36  # where several stand side by side
TEXT_LINES = 12
PROMPT_SHOWN = 400  # characters
GAP = 3


def print_trial(out: Console, found: Trial) -> None:
    load = f"loaded in {duration_words(found.load_s)}" if found.load_s is not None else ""
    told = ", ".join(words for words in (settings_words(found.settings), load) if words)
    out.print(variant_text(found.variant, found.form) + Text(f"  {told}", style="dim"))
    asked = clean(found.prompt or found.task)
    more = len(asked) - PROMPT_SHOWN
    out.print(faint(f"{asked[:PROMPT_SHOWN]}... {more} characters more" if more > 0 else asked))
    out.print()
    blocks = [_block(out, row, len(found.rows) > 1) for row in found.rows]
    a_row = max(1, (out.width + GAP) // (max(_width(block) for block in blocks) + GAP)) if blocks else 1
    for start in range(0, len(blocks), a_row):
        for line in _side_by_side(blocks[start : start + a_row]):
            out.print(line, no_wrap=True, overflow="crop")
        out.print()
    for words in found.told:
        out.print(faint(clean(words)))
    if any(row.source == SIMULATED for row in found.rows):
        out.print(faint("Simulated, measured on a stand-in."))
    if found.rows:
        out.print(faint("Kept apart from the plan's runs: 'unvek log --tries' lists it, 'unvek show "
                        f"{found.rows[-1].run}' shows the last one whole."))  # fmt: skip


def _block(out: Console, row: TrialRun, small: bool) -> list[Text]:
    """Return the lines of one run: its picture or text, and under it seed, steps and time."""
    lines = _picture(row, SMALL_COLUMNS if small else PICTURE_COLUMNS) if out.is_terminal else []
    if row.text:  # with an empty line under it: what follows is not the model's
        lines += [*(Text(line) for line in _folded(clean_lines(row.text))[-TEXT_LINES:]), Text()]
    if row.status != FINISHED:
        lines.append(warning_text(f"seed {row.seed}: {row.status}"))
        lines.append(Text(clean(row.error or ""))[: out.width])
        return lines
    steps = (
        f", {counted(row.steps, 'step')} of {duration_words(row.step_time_s)}" if row.step_time_s is not None else ""
    )
    lines.append(Text(f"seed {row.seed}: {duration_words(row.time_s or 0.0)}{steps}"))
    if row.written is not None:
        lines.append(Text(written_words(row.written)))
    if row.output is not None and not out.is_terminal:
        lines.append(faint(clean(row.output)))
    return lines


def _folded(lines: list[str]) -> list[str]:
    """Return lines of a text with one empty line in the place of several, and none at the ends."""
    kept = [line for line, after in zip(lines, [*lines[1:], ""], strict=True) if line.strip() or after.strip()]
    return kept[1:] if kept and not kept[0].strip() else kept


def _picture(row: TrialRun, columns: int) -> list[Text]:
    if row.output is None:
        return []
    try:
        picture = open_picture(Path(row.output), PICTURE_SIDE).image
    except NoPictureError:
        return [faint(clean(Path(row.output).name))]
    return half_blocks(picture.width, picture.height, picture.tobytes(), columns, PICTURE_ROWS)


def _width(block: list[Text]) -> int:
    return max((cell_len(line.plain) for line in block), default=0)


def _side_by_side(blocks: list[list[Text]]) -> list[Text]:
    height = max(len(block) for block in blocks)
    lines = []
    for place in range(height):
        line = Text()
        for block in blocks:
            cell = block[place] if place < len(block) else Text()
            line += cell + Text(" " * (_width(block) + GAP - cell_len(cell.plain)))
        lines.append(line)
    return lines


def trial_columns(found: Trial) -> list[Column]:
    time, step = (scale_for("s", (getattr(row, name) for row in found.rows)) for name in ("time_s", "step_time_s"))
    columns = [Column("run"), Column("seed"), Column("status", numeric=False), Column("time", time.unit),
               Column("steps"), Column("a step", step.unit), Column("output", numeric=False)]  # fmt: skip
    for row in found.rows:
        cells = (
            str(row.run), str(row.seed), row.status, figure(row.time_s, None, None, time), str(row.steps),
            figure(row.step_time_s, None, None, step), clean(row.output or UNKNOWN),
        )  # fmt: skip
        for column, cell in zip(columns, cells, strict=True):
            column.add(cell)
    return columns


def trial_records(found: Trial) -> list[Mapping[str, Any]]:
    records: list[Mapping[str, Any]] = []
    for row in found.rows:
        record = {name: getattr(row, name) for name in row.__slots__ if name != "written"}
        written = {name: getattr(row.written, name, None) for name in AnswerSpeed.__slots__}
        records.append({**record, **{f"written.{name}": value for name, value in written.items()}})
    return records


TRIAL = View(print_trial, trial_columns, trial_records)
