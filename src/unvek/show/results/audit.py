"""An audit, drawn: each finding with its reason and its remedy, the worst first."""

from collections.abc import Mapping
from typing import Any

from rich.console import Console
from rich.padding import Padding
from rich.text import Text

from unvek.core.findings.audit.audit import DOUBT, NOTE, UNFAIR, Audit
from unvek.core.plain_text import clean
from unvek.core.units import counted
from unvek.show.terminal.console import faint
from unvek.show.terminal.figures import warning_text
from unvek.show.terminal.grid import Column
from unvek.show.terminal.views import View

SEVERITY_WORDS = {UNFAIR: "unfair", DOUBT: "doubt", NOTE: "note"}
INDENT = 8


def print_audit(out: Console, found: Audit) -> None:
    out.print(Text(clean(found.title), style="bold"))
    out.print(faint(f"against {clean(found.reference)} · {counted(found.runs, 'run')}"))
    out.print()
    out.print(Text(_verdict(found)))
    for finding in found.findings:
        out.print()
        word = SEVERITY_WORDS[finding.severity].ljust(INDENT)
        head = warning_text(word) if finding.severity == UNFAIR else Text(word, "bold")
        _print_hanging(out, head, Text(clean(finding.text)))
        _print_hanging(out, None, faint(clean(f"{finding.why} {finding.mend}")))


def _print_hanging(out: Console, head: Text | None, text: Text) -> None:
    """Print a text beside its head, or under the text before it."""
    lines = text.wrap(out, out.width - INDENT)
    for place, line in enumerate(lines):
        line.rstrip()
        if head is not None and place == 0:
            out.print(Text.assemble(head, line))
        else:
            out.print(Padding(line, (0, 0, 0, INDENT), expand=False))


def _verdict(found: Audit) -> str:
    counts = {severity: sum(f.severity == severity for f in found.findings) for severity in SEVERITY_WORDS}
    if not found.findings:
        return "Fair, as far as the runs show: nothing was found that differs besides what is compared."
    if not counts[UNFAIR] and not counts[DOUBT]:
        return f"Fair, as far as the runs show, with {counted(counts[NOTE], 'note')}."
    named = [
        f"unfair in {counted(counts[UNFAIR], 'point')}" if counts[UNFAIR] else "",
        f"{counted(counts[DOUBT], 'doubt')}" if counts[DOUBT] else "",
        f"{counted(counts[NOTE], 'note')}" if counts[NOTE] else "",
    ]
    words = ", ".join(name for name in named if name)
    return f"{words[0].upper()}{words[1:]}."


def audit_columns(found: Audit) -> list[Column]:
    columns = [Column(head, numeric=False) for head in ("severity", "variants", "what", "why", "to mend it")]
    for f in found.findings:
        for column, cell in zip(columns, (f.severity, ", ".join(f.variants), f.text, f.why, f.mend), strict=True):
            column.add(clean(cell))
    return columns


def audit_records(found: Audit) -> list[Mapping[str, Any]]:
    return [
        {
            "code": f.code, "severity": f.severity, "variants": ", ".join(f.variants), "text": f.text, "why": f.why,
            "mend": f.mend,
        }
        for f in found.findings
    ]  # fmt: skip


AUDIT = View(print_audit, audit_columns, audit_records)
