"""A comparison machine by machine: its parts, how far machines are apart beside variants, what holds of their kind."""

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from unvek.core.errors import InputError
from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.comparison.answers import answer_of, ratio_found
from unvek.core.findings.comparison.digits import Digits, ratio_as_said
from unvek.core.findings.comparison.found import (
    RIG,
    ComparisonRow,
    MachineFound,
    MachinesFound,
    MeasureFound,
    OverMachinesFound,
    RatioFound,
)
from unvek.core.findings.comparison.parts import Part
from unvek.core.measures.catalogue import TIME
from unvek.core.rig.facts import differences, kind_of_machine, rig_words
from unvek.core.stats.machines import OverMachines, furthest_apart, over_machines
from unvek.core.stats.over_launches.launches import Ratio
from unvek.core.stats.student import estimate
from unvek.core.units import times_words

MACHINES = "machines"  # what intervals are over
FEWEST = 3  # machines, from which on an interval over them says much


def parts_by_machine(evidence: Evidence) -> tuple[Part, ...]:
    """Return the runs by the machine that made them; InputError where one has made them all."""
    names = machine_names(evidence)
    if len(names) < 2:
        raise InputError(
            f"all these runs were made on {next(iter(names))}: --by rig wants those of several machines, of a team's "
            "logbook or merged ('unvek merge --help')"
        )
    rigs = evidence.runs.rows.coded("rig")
    return tuple(Part({RIG: name}, rigs.where(frozenset(of).__contains__)) for name, of in names.items())


def machine_names(evidence: Evidence) -> dict[str, list[str]]:
    """Return the fingerprints of each machine, by its name: several, of one that has changed meanwhile."""
    found: dict[str, list[str]] = {}
    for rig in evidence.runs.rows.coded("rig").values:
        found.setdefault(evidence.runs.machines.get(rig, rig), []).append(rig)
    return dict(sorted(found.items()))


def machines_found(evidence: Evidence, rows: Sequence[ComparisonRow], name: str) -> MachinesFound:
    """Return how far machines are apart in a measure beside variants, and where one more of the kind would be.

    rows: a row for each machine and variant.
    """
    machines = machine_names(evidence)
    facts = {machine: evidence.rigs.get(of[-1], {}) for machine, of in machines.items()}
    over = _ratios_over(rows, evidence.reference, name)
    return MachinesFound(
        measure=name,
        machines=tuple(
            MachineFound(name=machine, fingerprints=tuple(of), words=rig_words(facts[machine]))
            for machine, of in machines.items()
        ),
        differ=(*differences(facts), *_changed(machines)),
        of_one_kind=are_of_one_kind(evidence),
        variants=tuple(
            OverMachinesFound(
                variant=variant, machines=one.machines, ratio=_found(one, one.low, one.high, len(over)),
                another=_found(one, one.another_low, one.another_high, len(over)), spread=one.spread,
            )
            for variant, one in over.items()
        ),
        **_apart(_levels(rows, name)),
    )  # fmt: skip


def are_of_one_kind(evidence: Evidence) -> bool:
    """Whether these machines are made of the same, and have not changed: then they say something of their kind."""
    machines = machine_names(evidence)
    kinds = {kind_of_machine(evidence.rigs.get(rig, {})) for of in machines.values() for rig in of}
    return len(kinds) == 1 and all(len(of) == 1 for of in machines.values())


def rows_of_kind(
    evidence: Evidence, rows: Sequence[ComparisonRow], of_all: Sequence[ComparisonRow]
) -> list[ComparisonRow]:
    """Return the rows of all runs with each measure over machines: each machine counts once, intervals are over them.

    rows: a row for each machine and variant; of_all: a row for each variant, of all runs together.
    """
    by_variant: dict[str, list[ComparisonRow]] = {}
    for row in rows:
        by_variant.setdefault(row.variant, []).append(row)
    over = {name: _ratios_over(rows, evidence.reference, name) for name in rows[0].measures}
    return [
        replace(
            whole,
            split=None,
            over_machines=True,
            measures={
                name: _over_machines(
                    evidence, name, found, [row.measures[name] for row in by_variant[whole.variant]],
                    over[name].get(whole.variant), len(over[name]),
                )
                for name, found in whole.measures.items()
            },
        )
        for whole in of_all
        if whole.variant in by_variant
    ]  # fmt: skip


def _over_machines(
    evidence: Evidence, name: str, whole: MeasureFound, on_each: Sequence[MeasureFound], ratio: OverMachines | None,
    comparisons: int,
) -> MeasureFound:  # fmt: skip
    """Return a measure over machines, from what it is on each."""
    typical = np.array([found.typical for found in on_each if found.typical is not None], float)
    on_logs = bool(np.all(typical > 0)) and not evidence.values.is_score(name)
    place = estimate(np.log(typical) if on_logs else typical) if len(typical) else None
    back = math.exp if on_logs else float
    of_kind = None if ratio is None else _as_ratio(ratio, ratio.low, ratio.high, comparisons)
    return replace(
        whole, over=MACHINES, ratio=ratio_found(of_kind),
        answer=answer_of(evidence.values.measure(name), of_kind, evidence.margin_share(name)),
        mean=None, total=None, more_rounds=None, more_rounds_low=None, more_rounds_high=None, tasks=None,
        tasks_to_tell=None,
        typical=back(place.value) if place is not None else None,
        low=back(place.low) if place is not None and place.low is not None else None,
        high=back(place.high) if place is not None and place.high is not None else None,
    )  # fmt: skip


def _levels(rows: Sequence[ComparisonRow], name: str) -> dict[str, dict[str, float]]:
    """Return the log of what a typical run takes, by machine and variant, where it is positive."""
    found: dict[str, dict[str, float]] = {}
    for row in rows:
        typical = row.measures[name].typical
        if typical is not None and typical > 0:
            found.setdefault(row.varied[RIG], {})[row.variant] = math.log(typical)
    return found


def _apart(levels: Mapping[str, Mapping[str, float]]) -> dict[str, Any]:
    """Return how many times the slowest machine takes what the quickest does, and likewise of variants.

    Of the variants that every machine has: else a machine would seem slow for having the slow ones.
    """
    in_all = sorted(set.intersection(*(set(of) for of in levels.values()))) if levels else []
    if not in_all:
        return {"least_machine": None, "most_machine": None, "machines_apart": None, "variants_apart": None}
    names = sorted(levels)
    table = np.array([[levels[machine][variant] for variant in in_all] for machine in names])
    low, high, machines_apart = furthest_apart(table.mean(axis=1))
    return {
        "least_machine": names[low], "most_machine": names[high], "machines_apart": machines_apart,
        "variants_apart": furthest_apart(table.mean(axis=0))[2] if len(in_all) > 1 else None,
    }  # fmt: skip


def _ratios_over(rows: Sequence[ComparisonRow], reference: str, name: str) -> dict[str, OverMachines]:
    """Return each variant's ratio to the reference over machines."""
    logs: dict[str, list[float]] = {}
    for row in rows:
        ratio = row.measures[name].ratio
        if row.variant != reference and ratio is not None and ratio.value > 0:
            logs.setdefault(row.variant, []).append(math.log(ratio.value))
    return over_machines({variant: np.array(values) for variant, values in logs.items()})


def _as_ratio(one: OverMachines, low: float | None, high: float | None, comparisons: int) -> Ratio:
    return Ratio(
        value=one.value, low=low, high=high, low_together=low, high_together=high, launches=one.machines,
        spread=one.spread, comparisons=comparisons,
    )  # fmt: skip


def _found(one: OverMachines, low: float | None, high: float | None, comparisons: int) -> RatioFound:
    found = ratio_found(_as_ratio(one, low, high, comparisons))
    assert found is not None, "there is a ratio"
    return found


def _changed(machines: Mapping[str, Sequence[str]]) -> Iterator[str]:
    for machine, of in machines.items():
        if len(of) > 1:
            yield f"{machine} is not what it was: it has had {len(of)} fingerprints"


def machine_notes(found: MachinesFound, reference: str, digits: Digits) -> Iterator[str]:
    """Say how far machines are apart beside variants, what holds of their kind, and what differs between them."""
    takes = "takes" if found.measure == TIME else f"has for {found.measure}"
    if found.machines_apart is not None:
        times, of_variants = (
            times_words(one or 1.0).rstrip("x") for one in (found.machines_apart, found.variants_apart)
        )
        beside = f"; variants are up to {of_variants} times apart" if found.variants_apart else ""
        yield (f"Machines: {found.most_machine} {takes} {times} times what {found.least_machine} "
               f"does, over the variants that all have{beside}.")  # fmt: skip
    if found.of_one_kind:
        yield (f"What is said of {all_words(len(found.machines))} is of this kind of machine: each counts once, and "
               "intervals are over machines, whatever the rounds on each.")  # fmt: skip
        if words := [_another_words(one, found.measure, digits) for one in found.variants if one.spread is not None]:
            yield f"On one more machine of this kind, against {reference} (95 %): {', '.join(words)}."
        if len(found.machines) < FEWEST:
            yield f"{len(found.machines)} machines say little of their kind: from {FEWEST} on an interval does."
    else:
        yield "These machines are not of one kind: no row is over all of them, a mean of several kinds being of none."
    if found.differ:
        yield f"Between these machines differ: {'; '.join(found.differ)}."


def _another_words(one: OverMachinesFound, name: str, digits: Digits) -> str:
    _, low, high = ratio_as_said(one.another, name)
    decimals = digits.ratios[name]
    return f"{one.variant} {low:.{decimals}f}x to {high:.{decimals}f}x"


def all_words(machines: int) -> str:
    """What stands in the column of machines for all of them."""
    return f"all {machines}"
