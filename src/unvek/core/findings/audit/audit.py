"""Is this comparison fair? Every other reason that a difference could have, named, with how to mend it."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import ClassVar

from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.audit.confounder import DOUBT, NOTE, SEVERITIES, UNFAIR, Confounder
from unvek.core.findings.audit.how_run import runs_findings
from unvek.core.findings.audit.made_of import making_findings
from unvek.core.findings.audit.order import order_findings
from unvek.core.findings.audit.put_out import output_findings
from unvek.core.findings.audit.remembered import memory_findings
from unvek.core.findings.audit.shape import shape_findings

__all__ = ["DOUBT", "NOTE", "UNFAIR", "Audit", "Confounder", "Doubt", "audit", "doubts_of"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Audit:
    """What may make the comparison unfair, the worst first."""

    kind: ClassVar[str] = "audit"
    title: str
    reference: str
    runs: int
    findings: tuple[Confounder, ...]

    @property
    def is_unfair(self) -> bool:
        return any(finding.severity == UNFAIR for finding in self.findings)


@dataclass(frozen=True, slots=True, kw_only=True)
class Doubt:
    """A finding as a comparison refers to it: by a number, from 1."""

    number: int
    code: str
    severity: str
    variants: tuple[str, ...]
    text: str


def audit(evidence: Evidence, of_files: Iterable[Confounder] = ()) -> Audit:
    """Return everything that the evidence shows, and what a look at the files has shown, the worst first."""
    of_runs = (making_findings, runs_findings, shape_findings, order_findings, memory_findings, output_findings)
    found = [*(finding for findings in of_runs for finding in findings(evidence)), *of_files]
    return Audit(
        title=evidence.plan.title,
        reference=evidence.reference,
        runs=len(evidence.runs),
        findings=in_order(found),
    )


def in_order(found: Iterable[Confounder]) -> tuple[Confounder, ...]:
    """Return findings, the worst first."""
    return tuple(sorted(found, key=lambda finding: SEVERITIES.index(finding.severity)))


def doubts_of(evidence: Evidence) -> tuple[Doubt, ...]:
    """Return the findings that a reader of figures must know of: what is unfair, and what is doubtful."""
    return doubts_among(audit(evidence).findings)


def doubts_among(findings: Iterable[Confounder]) -> tuple[Doubt, ...]:
    """Return those of these findings, by numbers."""
    grave = [finding for finding in findings if finding.severity != NOTE]
    return tuple(
        Doubt(
            number=number,
            code=finding.code,
            severity=finding.severity,
            variants=finding.variants,
            text=finding.brief or finding.text,
        )
        for number, finding in enumerate(grave, 1)
    )
