"""A run's answer in words: how quickly it came, and what became of each request."""

from collections.abc import Mapping
from typing import Any

from rich.text import Text

from unvek.core.findings.log.answer_speed import AnswerSpeed, answer_speed_of
from unvek.core.findings.log.whole_run import RunWhole
from unvek.core.measures.catalogue import COUNTED_IN
from unvek.core.plain_text import clean
from unvek.core.units import counted, duration_words
from unvek.show.terminal.figures import warning_text

Fact = tuple[str, str | Text]
TOLD_ABOVE = {
    "gap.median", "gap.p99", "input.tokens", "input.cached", "rate.input", "requests", "requests.failed",
    "request.time", "request.time.p99",
    *(name.format(unit) for unit in COUNTED_IN for name in ("rate.{}", "rate.{}.sum", "output.{}")),
}  # fmt: skip


def stream_facts(run: RunWhole) -> list[Fact]:
    """Word what came piece by piece; nothing where nothing did."""
    facts: list[Fact] = []
    measures = run.measures
    written = answer_speed_of(run.tokens, run.first_s, measures)
    if written is not None:
        facts.append(("answer", written_words(written)))
    middle, slowest = measures.get("gap.median"), measures.get("gap.p99")
    if middle is not None and slowest is not None:
        facts.append(
            ("", f"gaps of {duration_words(middle)} in the middle, {duration_words(slowest)} at the 99th percentile")
        )
    read = measures.get("input.tokens")
    if read is not None:
        together = " in all questions" if len(run.requests) > 1 else ""
        cached, rate = measures.get("input.cached"), measures.get("rate.input")
        known = f", {cached:.0f} of them known from earlier" if cached else ""
        speed = f", read at {rate:.4g} a second" if rate is not None else ""
        facts.append(("question", f"{read:.0f} tokens{together}{known}{speed}"))
    return facts + _request_facts(run)


def written_words(found: AnswerSpeed) -> str:
    words = f"{found.count:.0f} {found.unit}"
    if found.first_s is not None:
        words += f", the first after {duration_words(found.first_s)}"
    return words + (f", then {found.per_s:.4g} a second" if found.per_s is not None else "")


def _request_facts(run: RunWhole) -> list[Fact]:
    if not run.requests:
        return []
    clients = len({request["client"] for request in run.requests})
    failed = [request for request in run.requests if request["error"] is not None or request["ended_s"] is None]
    words = f"{counted(len(run.requests), 'request')} by {counted(clients, 'client')}"
    middle, slowest = run.measures.get("request.time"), run.measures.get("request.time.p99")
    if middle is not None and slowest is not None:
        words += f", {duration_words(middle)} in the middle, {duration_words(slowest)} at the 99th percentile"
    facts: list[Fact] = [("requests", words)]
    together = next(
        (run.measures[f"rate.{unit}.sum"] for unit in COUNTED_IN if f"rate.{unit}.sum" in run.measures), None
    )
    if together is not None:
        facts.append(("", f"{together:.4g} a second, all together"))
    if failed:
        facts.append(("", warning_text(f"{len(failed)} failed, {_kinds(failed)}")))
    return facts


def _kinds(failed: list[Mapping[str, Any]]) -> str:
    """How often each way of failing came: by status code where the server gave one."""
    kinds: dict[str, int] = {}
    for request in failed:
        code = request["code"]
        kind = clean(request["error"] or "not answered", 80) if code in (None, 200) else f"HTTP {code}"
        kinds[kind] = kinds.get(kind, 0) + 1
    return "; ".join(f"{kind}: {count}" for kind, count in kinds.items())
