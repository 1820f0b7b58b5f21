"""A judge of the plan asked what was not asked of it yet, each verdict kept as it comes.

Of each pair both orders are asked, so that what the judge has for one side cancels. It is resumable: what the same
judge (the same instructions, server and files) has said of the same outputs is not asked again.
"""

import base64
import hashlib
import json
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, replace
from random import Random
from time import monotonic
from typing import Any, ClassVar

from unvek.core.ask.secrets import Secrets
from unvek.core.errors import InputError
from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.outputs.source import OutputError
from unvek.core.judging.drawing import Asking, draw_questions
from unvek.core.judging.outputs import Content, JudgedOutputs, item_of
from unvek.core.logbook.inserting import now
from unvek.core.logbook.rows import RunRow
from unvek.core.logbook.store import Logbook
from unvek.core.logbook.verdict_rows import EVEN, POINTS, Question, VerdictRow, what_was_shown
from unvek.core.logbook.verdicts_kept import UNNUMBERED
from unvek.core.plan.digests import DigestCache
from unvek.core.plan.judges import MODEL, Judge
from unvek.core.run.machine_lock import MEASURING, Holder, held_machine
from unvek.core.run.processes.guard import spawner as new_spawner
from unvek.core.session.judging.models import Heard, ask_once, served
from unvek.core.session.judging.programs import ask_program
from unvek.core.session.judging.reply import UnreadableError, read_reply
from unvek.core.session.judging.wording import doubts_of, put

MILLION = 1_000_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Progress:
    """How far an asking is."""

    done: int
    count: int
    cost: float
    unreadable: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """What came of an asking: new verdicts, of these unreadable ones, and how many were known before."""

    kind: ClassVar[str] = "asked"
    judge: str
    asks: str
    new: int
    unreadable: int
    known: int
    unasked: int
    took_s: float
    tokens_in: int
    tokens_out: int
    tries: int
    cost: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class AskingWanted:
    """How a judge is to be asked: at most so many pairs (each in both orders) or outputs; of so many items."""

    most: int = 40
    items: int | None = None
    waits: bool = False
    progress: Callable[[Progress], None] | None = None
    on_wait: Callable[[Holder], None] | None = None


def ask_judge(
    logbook: Logbook, evidence: Evidence, outputs: JudgedOutputs, judge: Judge, wanted: AskingWanted
) -> Asked:
    """Ask a judge what was not asked of it yet.

    Raises InputError where there is nothing to ask or its server can't be started, and MachineBusyError where runs are
    being made here and its server is not elsewhere.
    """
    made_of = _made_of(judge)
    digest = hashlib.sha256(json.dumps(made_of, sort_keys=True, default=str).encode()).hexdigest()
    row = logbook.keep_judge(judge.name, judge.kind, digest, made_of, judge.simulated)
    # The same judge is asked the same questions, however often it is broken off: they are drawn from what it is.
    asking = Asking(asks=judge.asks, items=wanted.items, most=wanted.most, each_other=judge.each_other, again=0, same=0)
    drawn = draw_questions(evidence, outputs, asking, random=Random(digest))
    rows = {one.number: one for one in evidence.runs.rows}
    questions = [turned for question in drawn.pages[0] for turned in _both_orders(question, judge.asks, rows)]
    alike = [_named(question, judge.asks, rows) for question in drawn.alike]
    said = {one.question for one in logbook.verdicts() if one.judge == row.number and one.voided is None}
    open_ = [one for one in questions if one.id not in said]
    alike = [one for one in alike if one.id not in said]
    with ExitStack() as stack:
        if not judge.elsewhere:
            stack.enter_context(held_machine(f"judge {judge.name}", wanted.waits, wanted.on_wait, MEASURING))
        ask = stack.enter_context(_asker(judge)) if open_ else None
        kept = [*_unasked(alike, row.number, judge.asks)]
        if kept:
            logbook.keep_verdicts(kept)
        began_s, new = monotonic(), list[VerdictRow]()
        for place, question in enumerate(open_, 1):
            assert ask is not None, "there is something to ask"
            verdict = _verdict(question, row.number, place, judge, evidence, rows[question.left.run], outputs, ask)
            new += logbook.keep_verdicts([verdict])
            if wanted.progress is not None:
                wanted.progress(
                    Progress(
                        done=place, count=len(open_), cost=sum(one.usage.get("cost") or 0.0 for one in new),
                        unreadable=sum(one.unreadable is not None for one in new),
                    )
                )  # fmt: skip
    priced = judge.price_in is not None or judge.price_out is not None
    return Asked(
        judge=judge.name, asks=judge.asks, new=len(new), unreadable=sum(one.unreadable is not None for one in new),
        known=len(questions) - len(open_), unasked=len(alike), took_s=monotonic() - began_s,
        tokens_in=_sum(new, "tokens_in"), tokens_out=_sum(new, "tokens_out"), tries=_sum(new, "tries"),
        cost=sum(one.usage.get("cost") or 0.0 for one in new) if priced else None,
    )  # fmt: skip


Ask = Callable[[str, int, Sequence[Content], Sequence[str]], Heard]


@contextmanager
def _asker(judge: Judge) -> Iterator[Ask]:
    """Yield what asks the judge."""
    if judge.kind != MODEL or judge.server is None:
        spawner = new_spawner()
        try:
            yield lambda *asked: ask_program(spawner, judge, *asked)
        finally:
            spawner.close()
        return
    server, secrets = judge.server, Secrets(judge.server.secrets)
    if secrets.missing:
        raise InputError(f"the environment has no {', '.join(secrets.missing)}, which judge {judge.name} needs")
    with served(server) as values:

        def ask(asked_for: str, seed: int, outputs: Sequence[Content], things: Sequence[str]) -> Heard:
            question = put(judge, asked_for, seed, outputs, things, _data_uri)
            return ask_once(server, {**question.values, **values}, secrets, judge.time_limit_s)

        yield ask


def _verdict(
    question: Question,
    judge_number: int,
    place: int,
    judge: Judge,
    evidence: Evidence,
    row: RunRow,
    outputs: JudgedOutputs,
    ask: Ask,
) -> VerdictRow:
    task = evidence.settings.tasks.get(row.task)
    things = task.expect if task is not None and judge.asks == POINTS else ()
    began_s = monotonic()
    answer, why = None, ""
    unreadable: str | None = None
    doubts: tuple[str, ...] = ()
    usage: dict[str, Any] = {"tries": 0, "tokens_in": 0, "tokens_out": 0}
    try:
        sides = [question.left, *([question.right] if question.right is not None else [])]
        contents = outputs.contents(sides)
        asked_for = task.worded(item_of(row)[2]) if task is not None else ""
        for _ in range(judge.ask_again + 1):
            heard = ask(asked_for, row.seed, contents, things)
            for name in ("tries", "tokens_in", "tokens_out"):
                usage[name] += getattr(heard, name)
            try:
                if heard.error is not None:
                    raise UnreadableError(heard.error)
                answer, why = read_reply(judge, heard.reply, things)
                unreadable, doubts = None, doubts_of(judge.asks, answer, contents)
                break
            except UnreadableError as error:
                unreadable = str(error)
    except OutputError as error:
        unreadable = str(error)
    if judge.price_in is not None or judge.price_out is not None:
        usage["cost"] = (
            usage["tokens_in"] * (judge.price_in or 0.0) + usage["tokens_out"] * (judge.price_out or 0.0)
        ) / MILLION
    return VerdictRow(
        number=UNNUMBERED, id="", judge=judge_number, asks=judge.asks, place=place, answer=answer, why=why,
        unreadable=unreadable, took_s=monotonic() - began_s, judged_at=now(), usage=usage, doubts=doubts,
        **what_was_shown(question),
    )  # fmt: skip


def _unasked(alike: Sequence[Question], judge: int, asks: str) -> Iterator[VerdictRow]:
    """Yield a verdict for each pair of which both outputs are the same: nobody need be asked."""
    for question in alike:
        yield VerdictRow(
            number=UNNUMBERED, id="", judge=judge, asks=asks, answer=EVEN, unasked=True, judged_at=now(),
            **what_was_shown(question),
        )  # fmt: skip


def _named(question: Question, asks: str, rows: Mapping[int, RunRow]) -> Question:
    """Return a question under an id that goes by what is asked, of which variants and item: the same each time."""
    shown = [
        (rows[side.run].variant, item_of(rows[side.run]), side.digest)
        for side in (question.left, question.right)
        if side is not None
    ]
    return replace(question, id=hashlib.sha256(repr((asks, shown)).encode()).hexdigest()[:16])


def _both_orders(question: Question, asks: str, rows: Mapping[int, RunRow]) -> Iterator[Question]:
    first = _named(question, asks, rows)
    yield first
    if question.right is not None:
        turned = replace(question, left=question.right, right=question.left)
        yield replace(_named(turned, asks, rows), again=first.id)


def _made_of(judge: Judge) -> dict[str, Any]:
    files = judge.server.files if judge.server is not None else judge.files
    with DigestCache() as digests:
        return judge.made_of({path: digests.digest(path) for path in files})


def _data_uri(content: bytes, form: str) -> str:
    return f"data:{form};base64,{base64.b64encode(content).decode()}"


def _sum(verdicts: Sequence[VerdictRow], name: str) -> int:
    return sum(int(one.usage.get(name) or 0) for one in verdicts)
