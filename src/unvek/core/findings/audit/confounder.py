"""One reason, other than the one compared, that variants may differ."""

from dataclasses import dataclass, field

UNFAIR, DOUBT, NOTE = "unfair", "doubt", "note"
SEVERITIES = (UNFAIR, DOUBT, NOTE)


@dataclass(frozen=True, slots=True, kw_only=True)
class Confounder:
    """A finding of the audit: what is so, of which variants, why that matters, and what mends it.

    brief is what is said beside a comparison, where the text goes on to name runs.
    """

    code: str
    severity: str
    variants: tuple[str, ...]
    text: str
    why: str
    mend: str
    brief: str = field(default="", metadata={"json": False})
