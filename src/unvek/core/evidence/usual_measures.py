"""What is measured of outputs where a plan asks for nothing: what fits them."""

from collections.abc import Iterator, Sequence

from unvek.core.evidence.outputs.arrays import Arrays, Scores
from unvek.core.evidence.outputs.pictures import Pictures
from unvek.core.evidence.outputs.sounds import Sounds
from unvek.core.evidence.outputs.texts import Texts
from unvek.core.logbook.rows import OutputRow
from unvek.core.logbook.store import Logbook
from unvek.core.plan.model import Plan, WantedMeasure

LOOKED_AT = 200  # runs: variants of a plan make the same sorts


def usual_measures(logbook: Logbook, plan: Plan, runs: Sequence[int]) -> tuple[WantedMeasure, ...]:
    """Return a measure or two for each sort of output that these runs have made, each under its kind's name.

    Pictures: ssim, and of moving ones flicker. Texts: edit, and holds where a task wants something. Sounds:
    spectral-distance. Arrays: relative-l2. Scores: perplexity and kl.
    """
    newest = runs[-LOOKED_AT:]
    files = logbook.outputs_of(newest)
    has_texts = logbook.has_text(newest) or _has(Texts.endings, files)
    return tuple(WantedMeasure(name=kind, kind=kind) for kind in _kinds(files, has_texts, plan))


def _kinds(files: Sequence[OutputRow], has_texts: bool, plan: Plan) -> Iterator[str]:
    if _has(Pictures.endings, files):
        yield "ssim"
        if any(Pictures.is_moving(file.path) for file in files):
            yield "flicker"
    if _has(Sounds.endings, files):
        yield "spectral-distance"
    if _has(Scores.endings, files):
        yield from ("perplexity", "kl")
    if _has(Arrays.endings, files):
        yield "relative-l2"
    if has_texts:
        yield "edit"
        if any(task.wanted for task in plan.tasks):
            yield "holds"


def _has(endings: tuple[str, ...], files: Sequence[OutputRow]) -> bool:
    return any(file.path.lower().endswith(endings) for file in files)
