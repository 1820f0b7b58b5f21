"""By what a pick goes: the options that trade-offs and reports share."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import wraps
from typing import TYPE_CHECKING, Any

import click

if TYPE_CHECKING:
    from unvek.core.evidence.evidence import Evidence
    from unvek.core.findings.tradeoff.tradeoff import Asked

Command = Callable[..., Any]


@dataclass(frozen=True, slots=True)
class AskedWords:
    """What was asked for, as it was written."""

    needs: tuple[str, ...]
    wishes: tuple[str, ...]
    counts: tuple[str, ...]
    accepted: tuple[str, ...]

    def of(self, evidence: "Evidence") -> "Asked":
        """Return what that means of these runs."""
        from unvek.core.findings.tradeoff.needs import parse_need
        from unvek.core.findings.tradeoff.tradeoff import Asked
        from unvek.core.findings.tradeoff.wishes import parse_wish

        return Asked(
            counts=self.counts,
            needs=tuple(parse_need(need, evidence) for need in self.needs),
            wishes=tuple(parse_wish(wish, evidence) for wish in self.wishes),
            accepted=self.accepted,
        )


def asked_options(command: Command) -> Command:
    """Add --need, --wish, --on and --accept; the command is handed them as `asked`."""

    @wraps(command)
    def with_asked(
        needs: tuple[str, ...],
        wishes: tuple[str, ...],
        counts: tuple[str, ...],
        accepted: tuple[str, ...],
        **others: Any,
    ) -> Any:
        return command(asked=AskedWords(needs, wishes, counts, accepted), **others)

    wrapped: Command = with_asked
    for name, into, metavar, help_ in (
        ("--accept", "accepted", "CODE", "Count this finding of the audit for nobody."),
        ("--on", "counts", "NAME", "Trade off this measure, and not the usual ones."),
        ("--wish", "wishes", "NAME[=WEIGHT]", "What it is to be best in, if not time."),
        ("--need", "needs", "NEED", 'What the pick must keep: "memory.peak <= 8 GiB".'),
    ):
        wrapped = click.option(name, into, multiple=True, metavar=metavar, help=help_)(wrapped)
    return wrapped
