"""Working one value out of outputs."""

from typing import TYPE_CHECKING, Any

import numpy as np

from unvek.core.evidence.outputs.source import KeptOutputs, OutputError, Source
from unvek.core.evidence.outputs.sources import SOURCES
from unvek.core.measures.kind import OTHER_SEEDS, Kind
from unvek.core.measures.kinds import KINDS, OUTPUT, as_distance, pair_kind
from unvek.core.session.measuring.wanted import Job, Outcome

if TYPE_CHECKING:
    from unvek.core.session.measuring.asking import Asker

LONGEST_REASON = 200  # characters


class Worker:
    """Works values out, one after the other, and keeps what it has read at hand. Use as a context manager."""

    def __init__(self) -> None:
        self._sources: dict[tuple[str, str | None], Source] = {}
        self._asker: Asker | None = None

    def __enter__(self) -> "Worker":
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        if self._asker is not None:
            self._asker.close()

    def work_out(self, job: Job, kept: KeptOutputs) -> list[Outcome]:
        """Return what came of a job, whose outputs are among these; never raises for what an output holds."""
        kind, options = KINDS[job.kind], job.definition.options
        source = self._source(pair_kind(kind, options), options.get(OUTPUT), kept)
        try:
            if kind.asks:
                return self._ask(job, source)
            return [self._value(kind, source, job)]
        except OutputError as error:
            return [Outcome(job.name, None, str(error), error.lasts)]

    def _ask(self, job: Job, source: Source) -> list[Outcome]:
        from unvek.core.session.measuring.asking import Asker  # it brings all that processes are started with

        self._asker = self._asker or Asker()
        return self._asker.ask(job, source)

    def _source(self, kind: Kind, pattern: str | None, kept: KeptOutputs) -> Source:
        """Return the source of these outputs, with what was read before at hand."""
        source, before = SOURCES[kind.of](kept, pattern), self._sources.get((kind.of, pattern))
        if before is not None:
            source.keep_at_hand(before)
        self._sources[kind.of, pattern] = source
        return source

    @staticmethod
    def _value(kind: Kind, source: Source, job: Job) -> Outcome:
        options, by = job.definition.options, pair_kind(kind, job.definition.options)
        ours, *theirs = (_content(source, run, run != job.runs[0]) for run in job.runs)
        try:
            arguments = source.arguments(by, ours, theirs[0] if theirs else None, job.definition.wanted)
            value = by.work_out(*arguments, options=options if by is kind else {})
        except (ValueError, MemoryError) as error:  # two sizes, or too small for this measure; or far too large
            return Outcome(job.name, None, str(error)[:LONGEST_REASON] or "it takes more memory than there is")
        if not np.isfinite(value):
            return Outcome(job.name, None, f"it came to {value}, which is no number")
        return Outcome(job.name, as_distance(by, value) if kind.against == OTHER_SEEDS else float(value))


def _content(source: Source, run: int, is_held_against: bool) -> Any:
    try:
        return source.content(run)
    except OutputError as error:
        if not is_held_against:
            raise
        raise OutputError(f"held against run {run}, of which {error}", error.lasts) from error
