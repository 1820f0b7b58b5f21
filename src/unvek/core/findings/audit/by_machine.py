"""An audit of runs of several machines: each is looked at by itself, since what differs between them is no drift."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.gathering import Selection, gather
from unvek.core.findings.audit.audit import Audit, Doubt, audit, doubts_among, in_order
from unvek.core.findings.audit.confounder import Confounder
from unvek.core.findings.audit.made_of import between_rigs
from unvek.core.logbook.store import Logbook


def machines_of(evidence: Evidence) -> list[str]:
    """Return the names of the machines that made these runs, where each has one; none where one made them all."""
    names = {evidence.runs.machines.get(rig, "") for rig in evidence.runs.rows.coded("rig").values}
    return sorted(names) if len(names) > 1 and "" not in names else []


def audit_each(
    logbook: Logbook, selection: Selection, evidence: Evidence, of_files: Sequence[Confounder] = ()
) -> Audit:
    """Return what is found on each machine, and between them; of one machine alone what is found of it."""
    names = machines_of(evidence)
    if not names:
        return audit(evidence, of_files)
    on = {}
    for name in names:
        one = gather(logbook, replace(selection, rig=name, by_rig=False, across_rigs=True))
        one = replace(one, without=evidence.without, changed=evidence.changed, poor=evidence.poor)
        on[name] = audit(one).findings
    found = [*between_rigs(evidence), *_together(on), *of_files]
    return Audit(
        title=evidence.plan.title, reference=evidence.reference, runs=len(evidence.runs), findings=in_order(found)
    )


def doubts_of_each(logbook: Logbook, selection: Selection, evidence: Evidence) -> tuple[Doubt, ...]:
    """Return what a reader of figures of several machines must know of, beside that these differ."""
    return doubts_among(audit_each(logbook, selection, evidence).findings)


def _together(on: Mapping[str, Sequence[Confounder]]) -> list[Confounder]:
    """Return the findings of all machines: what is said of each in the same words once, the rest with where it is."""
    where: dict[tuple[str, str], list[str]] = {}
    for name, findings in on.items():
        for finding in findings:
            where.setdefault((finding.code, finding.text), []).append(name)
    found = {(finding.code, finding.text): finding for findings in on.values() for finding in findings}
    return [
        finding if len(where[key]) == len(on) else _said_of(finding, " and ".join(where[key]))
        for key, finding in found.items()
    ]


def _said_of(finding: Confounder, names: str) -> Confounder:
    return replace(finding, text=f"On {names}: {finding.text}", brief=f"On {names}: {finding.brief or finding.text}")
