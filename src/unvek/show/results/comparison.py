"""A comparison, drawn: a sentence a variant, the strips, then the figures, then what is doubtful."""

import textwrap
from collections.abc import Iterable, Mapping, Sequence
from functools import partial
from typing import Any

from rich.console import Console
from rich.text import Text

from unvek.core.digits import column_scale
from unvek.core.findings.comparison.comparison import COST_FOR_IT, DONE_FOR_IT, FOR_LENGTHS
from unvek.core.findings.comparison.digits import AS_SPEED, digits_of, ratio_as_said
from unvek.core.findings.comparison.found import Comparison
from unvek.core.measures.catalogue import (
    COST,
    COST_PER_GOOD,
    COST_PER_THOUSAND,
    LOAD,
    MODEL_MEMORY,
    PEAK_MEMORY,
    PHASE_STEP_TIME,
    TIME,
)
from unvek.core.plain_text import clean
from unvek.core.rig.facts import has_simulated
from unvek.core.units import counted, drift_words
from unvek.show.palette import FORM_COLOURS, FORM_MARKS
from unvek.show.terminal.console import faint
from unvek.show.terminal.figures import (
    UNKNOWN,
    figure,
    marks,
    ratio_figures,
    unit_suffix,
    variant_text,
    warning_text,
)  # fmt: skip
from unvek.show.terminal.grid import Column, StripColumn, print_grid, told_of
from unvek.show.terminal.heads import HEADS, KEPT, STREAMED, head_of
from unvek.show.terminal.measure_strips import MeasureStrip, measure_strips
from unvek.show.terminal.views import View

COSTLY = (COST_PER_THOUSAND, COST_PER_GOOD, *COST_FOR_IT, *DONE_FOR_IT)
NEVER_LEAVES = 100  # of columns: the names, and what has failed


def print_comparison(out: Console, found: Comparison, cold: bool = False) -> None:
    out.print(Text(clean(found.title), style="bold"))
    out.print(faint(_circumstances(found)))
    out.print()
    forms = {row.variant: row.form for row in found.rows}
    for name, form in forms.items():
        _print_sentence(out, form, found.sentences[name])
    out.print()
    print_grid(out, comparison_columns(found, cold), _strips(found), _breaks(found))
    if found.doubts or found.notes:
        out.print()
    for doubt in found.doubts:
        out.print(Text.assemble(marks([doubt.number]), f" {clean(doubt.text)}"))
    if found.doubts:
        out.print(faint("'unvek audit' says why each matters and how to mend it."))
    for note in found.notes:
        out.print(faint(clean(note)))


def _breaks(found: Comparison) -> set[int]:
    """The rows at which another part of the table begins, where one has several."""
    if len({row.variant for row in found.rows}) == 1:
        return set()
    return {place for place, row in enumerate(found.rows) if place and row.varied != found.rows[place - 1].varied}


def _print_sentence(out: Console, form: str, sentence: str) -> None:
    """Print a variant's sentence behind its form's mark, its further lines under the first."""
    lines = textwrap.wrap(clean(sentence), out.width - 2)
    out.print(Text.assemble((f"{FORM_MARKS[form]} ", FORM_COLOURS[form]), lines[0]))
    for line in lines[1:]:
        out.print(Text(f"  {line}"))


def comparison_columns(found: Comparison, cold: bool = False) -> list[Column]:
    """Return the columns: of the measures asked for, or the usual ones; with those of cold starts where wanted."""
    columns = _Columns(found)
    first = [columns.names(), *columns.precisions(), *columns.varied()]
    if found.asked:
        asked = [column for name in found.asked for column in columns.answered(name)]
        return [*told_of([*first, *asked]), columns.failures()]
    wanted = [*first, *columns.answered(TIME)]
    if cold:
        wanted += [columns.measure("time.load"), *columns.ratio("time.load"), columns.first_runs()]
    measures = found.rows[0].measures
    wanted.append(columns.steps())
    of_streams = (*STREAMED, *COSTLY, columns.memory(), "memory.device")
    usual = [name for name in (*FOR_LENGTHS, *columns.of_steps(), *of_streams) if name in measures]
    others = [name for name in measures if name not in (*HEADS, *usual, COST)]  # a run's cost stands by the thousand
    wanted += [columns.measure(name) for name in dict.fromkeys((*usual, *others))]
    return [*told_of([*wanted, *columns.drift(), *columns.split(), columns.weights()]), columns.failures()]


class _Columns:
    """The columns of a comparison, each read in one unit and with the same decimals throughout."""

    def __init__(self, found: Comparison):
        self._found, self._rows, self._digits = found, found.rows, digits_of(found.rows)

    def names(self) -> Column:
        return _filled(
            Column("variant", numeric=False, keep=NEVER_LEAVES),
            (variant_text(row.variant, row.form) for row in self._rows),
        )

    def of_steps(self) -> list[str]:
        """The measures of a step's time: of each stage where there are several, as the step in the middle is of one."""
        stages = [name for name in self._rows[0].measures if name.startswith(PHASE_STEP_TIME)]
        return stages or ["step.time"]

    def memory(self) -> str:
        """The model's own memory, where every row has it: what an interpreter holds besides hides how small it is."""
        own = [row.measures.get(MODEL_MEMORY) for row in self._rows if row.finished]
        return MODEL_MEMORY if own and all(one is not None and one.typical is not None for one in own) else PEAK_MEMORY

    def precisions(self) -> list[Column]:
        """What each computes in, where a plan says so."""
        told = [row.precision for row in self._rows]
        column = Column("in", numeric=False, keep=5, whole_name="precision")
        return [_filled(column, (clean(one or UNKNOWN) for one in told))] if any(told) else []

    def varied(self) -> list[Column]:
        """The values of what is varied, where the table has rows for each."""
        return [
            _filled(
                Column(clean(name), numeric=not any(isinstance(row.varied[name], str) for row in self._rows), keep=10),
                ("" if row.varied[name] is None else clean(row.varied[name]) for row in self._rows),
            )
            for name in self._rows[0].varied
        ]

    def answered(self, name: str) -> list[Column]:
        """A measure with its ratio to the reference, and what that answers."""
        answers = Column("answer", numeric=False, keep=8)
        for row in self._rows:
            word = row.measures[name].answer or ("" if row.variant == self._found.reference else UNKNOWN)
            answers.add(Text.assemble(word, " " if word and row.doubts else "", marks(row.doubts)))
        return [self.measure(name), *self.ratio(name), answers]

    def measure(self, name: str) -> Column:
        scale = self._digits.scales[name]
        keep = 9 if name in self._found.asked else KEPT.get(name, 8 if name == self._found.quality else 4)
        found = (row.measures[name] for row in self._rows)
        head = head_of(name)
        return _filled(Column(head, scale.unit, keep=keep), (figure(m.typical, m.low, m.high, scale) for m in found))

    def ratio(self, name: str) -> list[Column]:
        """The ratio to the reference with its interval; of a time how many times as fast."""
        head = "as fast as" if name in AS_SPEED else "times that of"
        keep = 8 if name != LOAD else KEPT[LOAD] - 1
        head = head if name != LOAD else f"loads {head}"
        ratio, interval = Column(head, clean(self._found.reference), keep=keep), _interval_of(head, keep=min(keep, 5))
        for row in self._rows:
            found = row.measures[name].ratio
            value, ends = (UNKNOWN, "") if found is None else ratio_figures(
                *ratio_as_said(found, name), self._digits.ratios[name]
            )  # fmt: skip
            ratio.add(faint("reference") if row.variant == self._found.reference else value)
            interval.add(ends)
        return [ratio, interval]

    def first_runs(self) -> Column:
        """The first run of a process, beside the later ones: cold against warm."""
        return _in_one_unit("first run", "s", [row.first_run_s for row in self._rows], keep=9)

    def weights(self) -> Column:
        return _in_one_unit("weights", "B", [row.weights_bytes for row in self._rows], keep=2)

    def split(self) -> list[Column]:
        """Where the time saved comes from: seconds less than the reference, in three parts."""
        scale, splits = self._digits.split, [row.split for row in self._rows]
        parts = {
            "by steps": [None if split is None else split.fewer_steps_s for split in splits],
            "by a step": [None if split is None else split.faster_steps_s for split in splits],
            "by the rest": [None if split is None else split.fixed_s for split in splits],
        }
        return [
            _filled(
                Column(head, f"{scale.unit} less", keep=3),
                (UNKNOWN if part is None else scale.words(part.value) for part in column),
            )
            for head, column in parts.items()
        ]

    def steps(self) -> Column:
        return _filled(
            Column("steps", keep=6), (UNKNOWN if row.steps is None else f"{row.steps:g}" for row in self._rows)
        )

    def drift(self) -> list[Column]:
        """Where outputs lie between a rerun and another seed, with the interval; nothing where none is known."""
        quality = self._found.quality
        found = [row.measures[quality] for row in self._rows] if quality else []
        if all(measure.drift is None for measure in found):
            return []
        drift, interval = Column("drift", keep=5), _interval_of("drift", keep=4)
        for measure in found:
            low, high = measure.drift_low, measure.drift_high
            drift.add(UNKNOWN if measure.drift is None else drift_words(measure.drift))
            interval.add("" if low is None or high is None else f"{drift_words(low)} to {drift_words(high)}")
        return [drift, interval]

    def failures(self) -> Column:
        any_failed = any(row.failures.count for row in self._rows)
        column = Column("failed", "runs, 95 %", numeric=False, keep=NEVER_LEAVES if any_failed else 1)
        for row in self._rows:
            failures = row.failures
            words = f"{failures.count} of {row.runs}"
            if not failures.count:
                column.add(f"{words}, to {100 * failures.high:.0f} %")
            else:
                column.add(warning_text(f"{words}, {100 * failures.low:.0f} to {100 * failures.high:.0f} %"))
        return column


def _interval_of(head: str, keep: int) -> Column:
    return Column("95 %", keep=keep, whole_name=f"{head} (95 %)")


def _filled(column: Column, cells: Iterable[str | Text]) -> Column:
    for cell in cells:
        column.add(cell)
    return column


def _in_one_unit(head: str, unit: str, values: Sequence[float | None], keep: int) -> Column:
    scale = column_scale(unit, ((value, None, None) for value in values))
    return _filled(Column(head, scale.unit, keep=keep), (figure(value, None, None, scale) for value in values))


def _strips(found: Comparison) -> StripColumn:
    name = found.asked[0] if found.asked else TIME
    usual = {row.varied_words: row.measures[name].typical for row in found.rows if row.variant == found.reference}
    strips = [
        MeasureStrip(
            form=row.form, middle=m.typical, low=m.low, high=m.high, dots=m.dots, reference=usual.get(row.varied_words)
        )
        for row in found.rows
        for m in (row.measures[name],)
    ]
    unit, after = found.rows[0].measures[name].unit, 1 + len(found.rows[0].varied)
    return measure_strips(head_of(name), unit, strips, after)


def _circumstances(found: Comparison) -> str:
    rounds = max(row.rounds for row in found.rows)
    runs = sum(row.runs for row in found.rows if not row.over_machines)
    processor, cores = found.rig.get("processor") or "unknown processor", found.rig.get("cores")
    made = f"{counted(rounds, 'round')}, {counted(runs, 'run')}"
    simulated = ", simulated accelerator" if has_simulated(found.rig) else ""
    if found.machines is not None and not found.machines.of_one_kind:
        return clean(f"against {found.reference} · {made} · {counted(len(found.machines.machines), 'machine')}")
    machine = f"{processor}, {cores} cores{simulated}" if cores is not None else "a machine that is not known"
    return clean(f"against {found.reference} · {made} · {machine}")


def comparison_records(found: Comparison) -> list[Mapping[str, Any]]:
    records: list[Mapping[str, Any]] = []
    for row in found.rows:
        record: dict[str, Any] = {
            "variant": row.variant,
            "form": row.form,
            "precision": row.precision,
            **{f"varied.{name}": value for name, value in row.varied.items()},
            "rounds": row.rounds,
            "runs": row.runs,
            "finished": row.finished,
            "steps": row.steps,
            "weights_bytes": row.weights_bytes,
            "first_run_s": row.first_run_s,
        }
        for name, m in row.measures.items():
            suffix = unit_suffix(m.unit)
            record |= {f"{name}{suffix}": m.typical, f"{name}.low{suffix}": m.low, f"{name}.high{suffix}": m.high}
            record |= {
                f"{name}.ratio": m.ratio and m.ratio.value,
                f"{name}.ratio.low": m.ratio and m.ratio.low,
                f"{name}.ratio.high": m.ratio and m.ratio.high,
                f"{name}.ratio.low_together": m.ratio and m.ratio.low_together,
                f"{name}.ratio.high_together": m.ratio and m.ratio.high_together,
                f"{name}.answer": m.answer,
            }
            record |= {f"{name}.{word}{suffix}": beside.value for word, beside in (("mean", m.mean), ("total", m.total))
                       if beside is not None}  # fmt: skip
            if m.slowest is not None:
                record[f"{name}.slowest{suffix}"] = m.slowest
            if m.drift is not None:
                record |= {
                    f"{name}.drift": m.drift,
                    f"{name}.drift.low": m.drift_low,
                    f"{name}.drift.high": m.drift_high,
                }
        if row.split is not None:
            record |= {
                "fewer_steps_s": row.split.fewer_steps_s.value,
                "faster_steps_s": row.split.faster_steps_s.value,
                "fixed_s": row.split.fixed_s.value,
            }
        record["doubts"] = ", ".join(doubt.code for doubt in found.doubts if doubt.number in row.doubts)
        records.append(record | {"failed": row.failures.count, "failed_share": row.failures.share})
    return records


COMPARISON = View(print_comparison, comparison_columns, comparison_records)
# With the columns of cold starts: the load of a process and its first run.
WITH_COLD = View(partial(print_comparison, cold=True), partial(comparison_columns, cold=True), comparison_records)
