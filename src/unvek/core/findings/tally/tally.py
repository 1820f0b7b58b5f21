"""The tally: verdicts that count, in groups, with the sentence first."""

from collections.abc import Mapping, Sequence

from unvek.core.errors import InputError
from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.judged import PEOPLE
from unvek.core.findings.tally.counting import ITEMS, Said, cluster_of, counted_verdicts, in_groups
from unvek.core.findings.tally.found import (
    BETTER,
    SAME,
    UNCLEAR,
    WORSE,
    AgainstPeople,
    GroupTold,
    PairTold,
    Position,
    Tally,
)
from unvek.core.findings.tally.group import PairsOfGroup, expect_told, marks_told, things_told
from unvek.core.findings.tally.judges import against_people, agreement, judges_told
from unvek.core.logbook.store import Logbook
from unvek.core.stats.student import Estimate
from unvek.core.units import counted

MOST_NEXT = 3


def tally(logbook: Logbook, evidence: Evidence) -> Tally:
    """Return what the verdicts come to; InputError where there are none on runs that count."""
    counting = counted_verdicts(evidence)
    if not counting.said:
        raise InputError(_nothing(counting.voided, counting.of_other_runs))
    groups = in_groups(counting.said)
    people = next((said for (name, _), said in groups.items() if name == PEOPLE), [])
    texts = {run: len(text.split()) for run, text in logbook.texts().items()}
    told = tuple(_group(evidence, name, sort, said, people, texts) for (name, sort), said in groups.items())
    first = told[0]
    return Tally(
        reference=evidence.reference, judges=judges_told(counting.said), rows=first.rows, pairs=first.pairs,
        position=first.position, agreement=first.agreement, expect=first.expect, marks=first.marks, groups=told,
        voided=counting.voided, of_other_runs=counting.of_other_runs,
        notes=tuple(_notes(counting.voided, counting.of_other_runs, told)),
    )  # fmt: skip


def _nothing(voided: int, of_other_runs: int) -> str:
    if of_other_runs:
        return (
            f"the {counted(of_other_runs, 'verdict')} here are of runs that do not count any more: the plan has "
            "changed, they were voided, or the selection leaves them out; ask anew with 'unvek judge ballot'"
        )
    taken = f" (all {voided} are taken out)" if voided else ""
    return f"there are no verdicts here yet{taken}; write a page for a judge with 'unvek judge ballot'"


def _group(
    evidence: Evidence, name: str, sort: str, said: Sequence[Said], people: Sequence[Said], texts: Mapping[int, int]
) -> GroupTold:
    pairs = PairsOfGroup(evidence, said)
    found, position = pairs.pairs(), pairs.position()
    beside = against_people(said, people) if name != PEOPLE and people else None
    longer = pairs.longer_wins(texts)
    return GroupTold(
        of=name, sort=sort, simulated=all(one.judge.simulated for one in said),
        verdicts=sum(one.verdict.answer is not None and not one.verdict.unasked for one in said),
        over=pairs.over if found else cluster_of(said)[0],
        sentences=(*_pair_sentences(name, found, evidence.reference), *_beside(name, position, beside)),
        ask_next=_ask_next(found, evidence.reference), rows=pairs.rows(), pairs=found, position=position,
        agreement=agreement(said),
        against_people=beside, longer_wins=longer, expect=things_told(evidence, said),
        expect_by_variant=expect_told(evidence, said),
        marks=marks_told(evidence, said),
    )  # fmt: skip


def _pair_sentences(name: str, pairs: Sequence[PairTold], reference: str) -> list[str]:
    """Word each pair of variants: those with the reference first, and of them what is told before what is not."""
    order = {BETTER: 0, WORSE: 0, SAME: 1, UNCLEAR: 2}
    ordered = sorted(pairs, key=lambda pair: (reference not in pair.variants, order[pair.answer]))
    return [_pair_sentence(name, pair, reference) for pair in ordered]


def _pair_sentence(name: str, pair: PairTold, reference: str) -> str:
    """Say it of the one that is preferred; of two that are not told apart, of the one that is no reference."""
    is_one = name != PEOPLE
    prefers = "prefers" if is_one else "prefer"
    if pair.answer in (BETTER, WORSE):
        pair = pair if pair.answer == BETTER else pair.turned()
        return f"{name} {prefers} {' to '.join(pair.variants)} {_score(pair)}{_interval(pair)}"
    if pair.answer == UNCLEAR and pair.winning is not None and _is_told(pair.winning):
        pair = pair if pair.winning.value > 0.5 else pair.turned()
        return (f"{name} may prefer {' to '.join(pair.variants)}, {_score(pair)}; but that holds for this pair alone, "
                "and is not shown where so many are held against each other")  # fmt: skip
    if pair.variants[0] == reference:
        pair = pair.turned()
    ours, theirs = pair.variants
    if pair.answer == SAME:
        return f"{name} {'finds' if is_one else 'find'} {ours} as good as {theirs}: {_score(pair)}{_interval(pair)}"
    more = f"; about {pair.more} more on other tasks would tell, if it is as it looks" if pair.more else ""
    return f"{name} {'does' if is_one else 'do'} not tell {ours} from {theirs}: {_score(pair)}{_interval(pair)}{more}"


def _ask_next(pairs: Sequence[PairTold], reference: str) -> tuple[str, ...]:
    """Return the variants that the fewest more pairs with the reference would tell from it."""
    open_ = [pair for pair in pairs if pair.answer == UNCLEAR and pair.more is not None and reference in pair.variants]
    ordered = sorted(open_, key=lambda pair: pair.more or 0)
    return tuple(next(name for name in pair.variants if name != reference) for pair in ordered[:MOST_NEXT])


def _score(pair: PairTold) -> str:
    neither = f", {pair.neither} neither" if pair.neither else ""
    same = f", {pair.same} the same to the last bit" if pair.same else ""
    return f"{pair.wins[0]} to {pair.wins[1]}, {pair.ties} as good{neither}{same}"


def _interval(pair: PairTold) -> str:
    winning = pair.winning_together
    if winning is None or winning.low is None or winning.high is None:
        return ""
    return f"; 95 % interval of winning {winning.low:.2f} to {winning.high:.2f}"


def _is_told(winning: Estimate) -> bool:
    return winning.low is not None and winning.high is not None and not winning.low <= 0.5 <= winning.high


def _beside(name: str, position: Position | None, beside: AgainstPeople | None) -> list[str]:
    found = []
    if position is not None and position.side is not None:
        share, low, high = position.of_side()
        leans = "lean" if name == PEOPLE else "leans"
        found.append(f"{name} {leans} to the {position.side} one: of two equals it is taken {share:.2f} of the time "
                     f"({low:.2f} to {high:.2f}); the ratings leave this out")  # fmt: skip
    if beside is not None and beside.same.low is not None and beside.same.high is not None:
        found.append(f"{name} sees {beside.same.count} of {beside.same.of} pairs as most people do "
                     f"({beside.same.low:.2f} to {beside.same.high:.2f})")  # fmt: skip
    return found


def _notes(voided: int, of_other_runs: int, groups: Sequence[GroupTold]) -> list[str]:
    notes = []
    for group in groups:
        if group.pairs and group.over == ITEMS:
            notes.append(f"All that {group.of} judged is of one task: its intervals are over items, and say nothing of "
                         "other tasks.")  # fmt: skip
    if voided:
        notes.append(f"{counted(voided, 'verdict')} taken out, and not counted.")
    if of_other_runs:
        notes.append(f"{counted(of_other_runs, 'verdict')} of runs that do not count here, and so not counted either.")
    return notes
