"""A judge of the plan asked what was not asked of it yet, each verdict kept as it comes.

Of each pair both orders are asked, so that what the judge has for one side cancels. It is resumable: what the same
judge (the same instructions, server and files) has said of the same outputs is not asked again.
"""

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
from unvek.core.judging.outputs import Content, JudgedOutputs, asked_for, item_of
from unvek.core.logbook.inserting import now
from unvek.core.logbook.rows import RunRow
from unvek.core.logbook.store import Logbook
from unvek.core.logbook.verdict_rows import UNNUMBERED, Question, VerdictRow, unasked, what_was_shown
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
    bench = _Bench(judge, row.number, evidence, outputs)
    for question in open_[:1]:
        bench.refuse_what_moves(question)
    with ExitStack() as stack:
        if not judge.elsewhere:
            stack.enter_context(held_machine(f"judge {judge.name}", wanted.waits, wanted.on_wait, MEASURING))
        if open_:
            bench.ask = stack.enter_context(_asker(judge))
        if alike:
            logbook.keep_verdicts(unasked(one, row.number, judge.asks, now()) for one in alike)
        began_s, new = monotonic(), list[VerdictRow]()
        for place, question in enumerate(open_, 1):
            new += logbook.keep_verdicts([bench.verdict(question, place)])
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
            asked = put(judge, asked_for, seed, outputs, things)
            return ask_once(server, {**asked, **values}, secrets, judge.time_limit_s)

        yield ask


class _Bench:
    """Where questions are put to a judge, one after the other."""

    ask: Ask

    def __init__(self, judge: Judge, number: int, evidence: Evidence, outputs: JudgedOutputs):
        self._judge, self._number, self._evidence, self._outputs = judge, number, evidence, outputs
        self._rows = {row.number: row for row in evidence.runs.rows}

    def refuse_what_moves(self, question: Question) -> None:
        """Raise InputError where an output is more than one picture: to judge its first would be to judge another."""
        try:
            contents = self._outputs.contents(question.sides)
        except OutputError:
            return  # told with the verdict
        if any(len(content.files) > 1 for content in contents):
            raise InputError(f"these outputs move, and judge {self._judge.name} is shown one picture of each: have "
                             "people judge them, with 'unvek judge ballot'")  # fmt: skip

    def verdict(self, question: Question, place: int) -> VerdictRow:
        """Ask, and anew as often as the judge may be where the reply can't be read."""
        judge, row = self._judge, self._rows[question.left.run]
        task = self._evidence.settings.tasks.get(row.task)
        things = question.things
        began_s, usage = monotonic(), dict.fromkeys(("tries", "tokens_in", "tokens_out"), 0)
        answer, why = None, ""
        unreadable: str | None = None
        doubts: tuple[str, ...] = ()
        try:
            contents = self._outputs.contents(question.sides)
            for _ in range(judge.ask_again + 1):
                heard = self.ask(asked_for(row, task), row.seed, contents, things)
                for name in usage:
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
        return VerdictRow(
            number=UNNUMBERED, id="", judge=self._number, asks=judge.asks, place=place, answer=answer, why=why,
            unreadable=unreadable, took_s=monotonic() - began_s, judged_at=now(), usage={**usage, **self._cost(usage)},
            doubts=doubts, **what_was_shown(question),
        )  # fmt: skip

    def _cost(self, usage: Mapping[str, int]) -> dict[str, float]:
        a_token = self._judge.price_in, self._judge.price_out
        if a_token == (None, None):
            return {}
        spent = usage["tokens_in"] * (a_token[0] or 0.0) + usage["tokens_out"] * (a_token[1] or 0.0)
        return {"cost": spent / MILLION}


def _named(question: Question, asks: str, rows: Mapping[int, RunRow]) -> Question:
    """Return a question under an id that goes by what is asked, of which variants and item: the same each time."""
    shown = [(rows[side.run].variant, item_of(rows[side.run]), side.digest) for side in question.sides]
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


def _sum(verdicts: Sequence[VerdictRow], name: str) -> int:
    return sum(int(one.usage.get(name) or 0) for one in verdicts)
