"""What a report has: the findings, the outputs as files that can stand in a page, and what everything was made of."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from unvek.core.findings.audit.audit import Audit
from unvek.core.findings.comparison.found import Comparison
from unvek.core.findings.curve.curve import Curve
from unvek.core.findings.log.run_list import RunLine
from unvek.core.findings.output_sheet.found import OutputCell, OutputItem
from unvek.core.findings.tally.found import Tally
from unvek.core.findings.tradeoff.found import Tradeoff
from unvek.core.judging.outputs import Content


@dataclass(frozen=True, slots=True, kw_only=True)
class ShownOutput:
    """One variant's output of one item: what is known of it, and what is shown, if anything is."""

    variant: str
    form: str
    cell: OutputCell
    content: Content | None


@dataclass(frozen=True, slots=True, kw_only=True)
class ShownItem:
    """A task with a seed, and the outputs of all variants."""

    item: OutputItem
    outputs: tuple[ShownOutput, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class MadeFrom:
    """What a variant is made of and run by: its settings, files with their digests, and what runs it."""

    variant: str
    form: str
    settings: Mapping[str, Any]
    weights_bytes: int | None
    files: tuple[tuple[str, str], ...]
    runner: str
    software: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class RunCourse:
    """How a run went: what each step took, and what memory was held after so many seconds."""

    run: int
    steps_s: tuple[float, ...]
    memory: tuple[tuple[float, float], ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Report:
    """The whole answer. alike_by is the likeness that outputs are labelled with; left_out says what is not in it, and
    why; data is what the page carries.
    """

    title: str
    made: str
    version: str
    comparison: Comparison
    tradeoff: Tradeoff
    audit: Audit
    curves: tuple[Curve, ...]
    tally: Tally | None
    items: tuple[ShownItem, ...]
    alike_by: str | None
    made_from: tuple[MadeFrom, ...]
    rig_words: str
    runs: Sequence[RunLine]
    courses: tuple[RunCourse, ...]
    left_out: tuple[str, ...]
    data: str
