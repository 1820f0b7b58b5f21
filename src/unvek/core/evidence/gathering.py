"""Which runs a finding rests on: gathered from a logbook, for the newest plan, as the user selects them.

Warm-ups, voided runs and runs of cells that the plan no longer has are left out, and where a slot was filled again (a
run that could not begin, say) the latest run counts.
"""

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence, Set
from dataclasses import dataclass, field, replace
from fnmatch import fnmatchcase
from typing import Any

import numpy as np
from numpy.typing import NDArray

from unvek.core.errors import InputError
from unvek.core.evidence.counted_runs import CountedRuns, VariantOnRecord, machine_codes
from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.held import HeldAgainst
from unvek.core.evidence.judged import Judged
from unvek.core.evidence.measurements import Measurements
from unvek.core.evidence.settings import RunSettings
from unvek.core.evidence.usual_measures import usual_measures
from unvek.core.evidence.values import Values
from unvek.core.logbook.plan_record import PlanOnRecord
from unvek.core.logbook.rows import RunRow
from unvek.core.logbook.run_table import RunTable
from unvek.core.logbook.store import Logbook
from unvek.core.plan.model import Plan, WantedMeasure
from unvek.core.plan.placeholders import asks_anew
from unvek.core.rig.facts import rig_words
from unvek.core.run.events.record import FINISHED, STARTED_AFRESH, is_from_elsewhere
from unvek.core.stats.grouping import first_places, numbered
from unvek.core.units import counted


@dataclass(frozen=True, slots=True, kw_only=True)
class Selection:
    """Which of the runs a finding is to rest on.

    reference replaces the plan's own; only and tasks are patterns (`*`, `?`, `[...]`) for the names of variants and
    tasks, where the reference always stays; varied takes only runs with these values of settings that are varied.
    rig takes only runs of the machine of this name, or whose fingerprint begins so, across_rigs those of all machines
    together; by_rig those of all, each of them apart.
    sessions takes only runs of the sessions of these numbers, and of these also such as were made by an earlier form of
    the plan, or that were started afresh since.
    """

    reference: str | None = None
    only: str = "*"
    tasks: str = "*"
    across_rigs: bool = False
    by_rig: bool = False
    rig: str | None = None
    varied: Mapping[str, Any] = field(default_factory=dict)
    sessions: Set[int] | None = None


EVERYTHING = Selection()
Rigs = Mapping[str, Mapping[str, Any]]  # what is known of machines, by fingerprint


def gather(logbook: Logbook, selection: Selection = EVERYTHING) -> Evidence:
    """Gather the evidence for the newest plan.

    Raises InputError where there are no runs, where no variant fits, and where the runs were made on more than one
    rig, unless that is asked for.
    """
    only = selection.only
    plan = logbook.newest_plan()
    if plan is None:
        raise InputError(f"there are no runs in {logbook.name} yet; make some with 'unvek run PLAN'")
    reference = selection.reference or plan.plan.reference
    runs, rigs = logbook.run_columns(), logbook.rigs()
    made_of = logbook.made_of_launches(_firsts_of_launches(runs))
    if selection.rig is not None:
        runs = _of_rig(rigs, runs, selection.rig)
    every = (*_planned(plan), *_from_elsewhere(runs, plan))
    names = [variant.name for variant in every]
    if reference not in names:
        raise InputError(f"there is no variant {reference!r} to be the reference; there are {', '.join(names)}")
    variants = tuple(v for v in every if v.name == reference or fnmatchcase(v.name, only))
    if only != "*" and not any(fnmatchcase(name, only) for name in names):
        raise InputError(f"no variant's name fits {only!r}; there are {', '.join(names)}")
    of_plan = _of_plan(runs, plan) if selection.sessions is None else _of_sessions(logbook, runs, selection.sessions)
    sessions = _sessions(logbook, runs) if selection.sessions is not None else None
    machines = _names_of(rigs, runs.coded("rig").values, selection.by_rig)
    rows, left_out, voided = _counting_rows(runs, of_plan, {v.name for v in variants}, selection, sessions, machines)
    if not len(rows):
        raise InputError("there are no measured runs of this plan yet; make some with 'unvek run PLAN'")
    if not (selection.across_rigs or selection.by_rig):
        _refuse_several_rigs(rigs, rows)
    counted_runs = CountedRuns(rows, variants, tuple(logbook.launches()), machines)
    settings = RunSettings(counted_runs, {task.name: task for task in plan.plan.tasks})
    measured, definitions = Measurements.of(*logbook.measured()), logbook.definitions()
    asked, usual = _with_usual_measures(logbook, plan.plan, counted_runs.number.tolist())
    verdicts, judges = (logbook.verdicts(), logbook.judges()) if logbook.has_verdicts() else ([], {})
    judged = Judged(counted_runs, reference, verdicts, judges)
    held = HeldAgainst(settings, reference, _is_asked_anew(plan.plan, reference))
    return Evidence(
        values=Values(asked, held, measured, definitions, judged, logbook.phases),
        first_runs_s=_first_runs_s(runs, of_plan),
        left_out=left_out,
        voided=voided,
        made_of=made_of,
        rigs=rigs,
        usual=usual,
        by_rig=selection.by_rig,
    )


def _firsts_of_launches(runs: RunTable[RunRow]) -> Sequence[int]:
    """Return the number of the first run of each launch, of those that were made here."""
    places = np.flatnonzero(runs.whole_numbers("place") > 0)
    firsts = first_places(*numbered(runs.whole_numbers("launch")[places]))
    numbers: list[int] = runs.whole_numbers("number")[places[firsts]].tolist()
    return numbers


def _with_usual_measures(logbook: Logbook, plan: Plan, runs: Sequence[int]) -> tuple[Plan, tuple[WantedMeasure, ...]]:
    """Return the plan, with what is usual for its outputs where it asks for no measure, and what that is."""
    if plan.measures or not plan.variants:
        return plan, ()
    usual = usual_measures(logbook, plan, runs)
    return replace(plan, measures=usual, quality=usual[0].name if usual else None), usual


def _planned(plan: PlanOnRecord) -> Iterator[VariantOnRecord]:
    for variant in plan.plan.variants:
        yield VariantOnRecord(
            name=variant.name, form=variant.form, settings=variant.settings,
            weights_bytes=plan.weights_bytes.get(variant.name), precision=variant.precision,
        )  # fmt: skip


def _from_elsewhere(runs: RunTable[RunRow], plan: PlanOnRecord) -> Iterator[VariantOnRecord]:
    """The variants that runs from elsewhere are of and that the plan does not have."""
    known = {variant.name for variant in plan.plan.variants}
    for place in np.flatnonzero(runs.coded("cell").where(is_from_elsewhere)).tolist():
        name = runs.column("variant")[place]
        if name not in known:
            known.add(name)
            yield VariantOnRecord(name=name, form=runs.column("form")[place], settings={})


def _of_plan(runs: RunTable[RunRow], plan: PlanOnRecord) -> NDArray[np.bool_]:
    """Which runs are of a cell of the plan, or from elsewhere."""
    cells = set(plan.cells)
    return runs.coded("cell").where(lambda cell: cell in cells or is_from_elsewhere(cell))


def _sessions(logbook: Logbook, runs: RunTable[RunRow]) -> NDArray[np.int64]:
    """Return (runs,) the number of the session that each was made in; 0 where it is not known."""
    of_launch = logbook.sessions_of_launches()
    launches, places = np.unique(runs.whole_numbers("launch"), return_inverse=True)
    return np.array([of_launch.get(launch) or 0 for launch in launches.tolist()], np.int64)[places]


def _of_sessions(logbook: Logbook, runs: RunTable[RunRow], sessions: Set[int]) -> NDArray[np.bool_]:
    """Which runs were made in one of these sessions."""
    return np.asarray(np.isin(_sessions(logbook, runs), list(sessions)))


def _counting_rows(
    runs: RunTable[RunRow],
    of_plan: NDArray[np.bool_],
    names: Set[str],
    selection: Selection,
    sessions: NDArray[np.int64] | None,
    machines: Mapping[str, str],
) -> tuple[RunTable[RunRow], int, tuple[RunRow, ...]]:
    """Return the runs that count, how many are left out, and which of these were voided."""
    wanted = runs.coded("variant").where(lambda name: name in names)
    wanted &= runs.coded("task").where(lambda name: fnmatchcase(name, selection.tasks))
    wanted &= ~runs.coded("warm_up").where(bool)
    wanted &= runs.coded("varied").where(
        lambda varied: all(varied.get(name) == value for name, value in selection.varied.items())
    )
    forgiven = (None,) if selection.sessions is None else (None, STARTED_AFRESH)
    is_voided = runs.coded("voided").where(lambda reason: reason not in forgiven)
    counting = wanted & of_plan & ~is_voided
    voided = tuple(runs[place] for place in np.flatnonzero(wanted & is_voided).tolist())
    return (
        runs.take(_latest_of_slots(runs, np.flatnonzero(counting), sessions, machines)),
        int(np.count_nonzero(wanted & ~counting)),
        voided,
    )


def _latest_of_slots(
    runs: RunTable[RunRow], places: NDArray[np.int64], sessions: NDArray[np.int64] | None, machines: Mapping[str, str]
) -> NDArray[np.int64]:
    """Of the runs at these places take the latest of each slot: of a cell, a round and a repeat, on a machine.

    sessions: (runs,) the session of each, where several are held against others: the latest of a session then.
    machines: names of machines by fingerprint; those without one are taken for one machine that has changed.
    """
    columns = [runs.coded("cell").codes, runs.whole_numbers("round"), runs.whole_numbers("repeat")]
    columns += [sessions] if sessions is not None else []
    columns += [machine_codes(runs, machines)] if machines else []
    slots, count = numbered(*(column[places] for column in columns))
    latest = np.zeros(count, np.int64)
    np.maximum.at(latest, slots, places)
    return np.sort(latest)


def _is_asked_anew(plan: Plan, reference: str) -> bool:
    runner = plan.runner_named(reference)
    return runner is not None and asks_anew(runner)


def _of_rig(rigs: Rigs, runs: RunTable[RunRow], beginning: str) -> RunTable[RunRow]:
    """Return the runs of one machine, by its name or how its fingerprint begins.

    InputError where that fits none, or several.
    """
    of_runs = runs.coded("rig")
    named = [rig for rig in of_runs.values if rigs[rig].get("name") == beginning]
    fitting = named or [rig for rig in of_runs.values if rig.startswith(beginning)]
    if beginning and (named or len(fitting) == 1):  # a machine of a name may have changed: then it has two fingerprints
        return runs.take(np.flatnonzero(of_runs.where(lambda rig: rig in fitting)))
    known = "; ".join(f"{rig[:8]} ({rig_words(rigs[rig])})" for rig in of_runs.values)
    raise InputError(
        f"{beginning!r} is {'no' if not fitting else 'more than one'} machine's name, or the beginning of its "
        f"fingerprint, of those that made runs here; there are {known}"
    )


def _names_of(rigs: Rigs, made: Sequence[str], every: bool) -> dict[str, str]:
    """Return the names of the machines that made runs, by fingerprint; with `every` also of those that have none."""
    names = {rig: str(name) for rig in made if (name := rigs[rig].get("name"))}
    short = Counter(rig[:8] for rig in made)
    unnamed = {rig: rig[:8] if short[rig[:8]] == 1 else rig for rig in made if rig not in names}
    return {**names, **(unnamed if every else {})}


def _first_runs_s(runs: RunTable[RunRow], of_plan: NDArray[np.bool_]) -> dict[str, list[float]]:
    """Return the seconds of the first run of every process, by variant: the warm-ups among them too."""
    first = (runs.whole_numbers("place") == 1) & of_plan
    found: dict[str, list[float]] = {}
    for place in np.flatnonzero(first).tolist():
        if runs.column("voided")[place] is None and runs.column("status")[place] == FINISHED:
            found.setdefault(runs.column("variant")[place], []).append(runs.column("time_s")[place])
    return found


def _refuse_several_rigs(rigs: Rigs, rows: RunTable[RunRow]) -> None:
    counts = rows.coded("rig").counts()
    if len(counts) < 2:
        return
    first = next(iter(counts))
    named = "; ".join(f"{counted(count, 'run')} on {rig_words(rigs[rig])} ({rig[:8]})" for rig, count in counts.items())
    raise InputError(
        f"these runs were made on {len(counts)} rigs: {named}. Times of different machines do not compare: "
        f"take those of one with --rig {rigs[first].get('name') or first[:8]}, make the missing runs here with 'unvek "
        "run', or add --across-rigs to compare all the same"
    )
