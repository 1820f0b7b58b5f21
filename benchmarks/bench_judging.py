"""Judging, where the truth is known: do ratings' intervals hold, is a bias for a side found, is nothing said of equals?

And 10,000 hostile files of answers: each is refused, or taken as text.

    python benchmarks/bench_judging.py [EXPERIMENTS]
"""

import os

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # of matrices this small more threads take longer

import json
import random
import sys
import tempfile
from pathlib import Path

import numpy as np

from unvek.core.errors import InputError
from unvek.core.judging.answers import checked, read_answers
from unvek.core.logbook.verdict_rows import PAIR_ANSWERS, Question, Shown
from unvek.core.stats.judged.ratings import EVEN, LEFT, RIGHT, PairVerdicts, rate

SETTINGS = [
    (variants, pairs, items, star)
    for variants in (2, 3, 5, 8)
    for pairs, items in ((60, 6), (60, 12), (120, 8), (300, 20), (400, 6))
    for star in (False, True)
    if not (variants == 2 and star) and pairs >= 10 * (variants - 1)
]
FILES = 10_000


def drawn(rng, setting, strengths, ties, side, item_sd, noise, unequal) -> PairVerdicts:
    """Verdicts of judges of unequal noise, on items of unequal taste that are asked about unequally often."""
    variants, count, items, star = setting
    pairs = (
        [(0, other) for other in range(1, variants)] if star else [(i, j) for i in range(variants) for j in range(i)]
    )
    chosen = np.array([pairs[place] for place in rng.permutation(np.arange(count) % len(pairs))]).T
    often = rng.dirichlet(np.full(items, 5.0)) if unequal else np.full(items, 1 / items)
    item = np.r_[np.arange(items), rng.choice(items, count - items, p=often)]
    turned = rng.permutation(np.arange(count) % 2).astype(bool)
    left, right = np.where(turned, chosen[1], chosen[0]), np.where(turned, chosen[0], chosen[1])
    own = strengths + rng.normal(0, item_sd, (items, variants))
    judge = rng.integers(0, len(noise), count)
    d = (own[item, left] - own[item, right]) * noise[judge] + side
    chances = np.cumsum([np.exp(d / 2), np.exp(-d / 2), np.full(count, ties)], axis=0)
    at = rng.random(count) * chances[-1]
    return PairVerdicts(left, right, np.select([at < chances[0], at < chances[1]], [LEFT, RIGHT], EVEN), item)


def coverage(experiments: int) -> None:
    print(f"95 % intervals of winning, {experiments} experiments each, of 100:")
    worst, best, told_wrong, sides = 100.0, 0.0, [], []
    for number, setting in enumerate(SETTINGS):
        rng = np.random.default_rng(number)
        variants = setting[0]
        strengths = rng.permutation(np.linspace(-1, 1, variants) * rng.uniform(0.3, 1.2))
        kind = {
            "ties": float(rng.choice([0.0, 0.5, 1.5])), "side": float(rng.choice([0.0, 0.4, 0.847])),
            "item_sd": float(rng.choice([0.0, 0.5, 1.0])), "noise": rng.uniform(0.4, 1.6, rng.integers(1, 5)),
        }  # fmt: skip
        many = rate(drawn(rng, (variants, 60_000, 7500, setting[3]), strengths, unequal=False, **kind), variants)
        truth = [many.winning(one, 0).value for one in range(1, variants)]
        side = many.left_share().value
        held = of = told = held_side = 0
        for _ in range(experiments):
            found = rate(drawn(rng, setting, strengths, unequal=bool(number % 2), **kind), variants)
            for one in range(1, variants):
                interval = found.winning(one, 0)
                held += interval.low <= truth[one - 1] <= interval.high
                of += 1
            share = found.left_share()
            held_side += share.low <= side <= share.high
            equals = rate(drawn(rng, setting, np.zeros(variants), unequal=bool(number % 2), **kind), variants)
            answers = (equals.winning(one, 0, max(1, variants - 1)) for one in range(1, variants))
            told += any(not one.low <= 0.5 <= one.high for one in answers)
        held_share = 100 * held / of
        worst, best = min(worst, held_share), max(best, held_share)
        told_wrong.append(100 * told / experiments)
        sides.append(100 * held_side / experiments)
        which = "each with one" if setting[3] else "any two"
        said = f"held {held_share:.1f}, the side's {sides[-1]:.1f}; of equals a preference is said {told_wrong[-1]:.1f}"
        print(f"  {variants} variants, {setting[1]} pairs, {setting[2]} items, {which}: {said}")
    print(f"intervals hold {worst:.1f} to {best:.1f} of 100; of the side {np.mean(sides):.1f} in the mean")
    print(f"of equals a preference is said {np.mean(told_wrong):.1f} of 100 in the mean, {max(told_wrong):.1f} at most")


def found_bias(experiments: int) -> None:
    """A side's pull of 0.6 to 0.4, with 300 pairs."""
    for ties in (0.0, 0.3):
        rng, found, swapped = np.random.default_rng(9), 0, []
        for _ in range(experiments):
            setting, side = (2, 300, 20, False), float(np.log(0.6 / 0.4))
            ratings = rate(drawn(rng, setting, np.zeros(2), ties, side, 0.0, np.ones(1), False), 2)
            found += ratings.left_share().low > 0.5
            swapped.append(ratings.winning(0, 1).value)
        carried, even = abs(float(np.mean(swapped)) - 0.5), 100 * ties / (ties + 2)
        often = 100 * found / experiments
        print(f"a bias of 0.6 to 0.4 with 300 pairs, {even:.0f} % ties: found {often:.0f} of 100; the "
              f"ratings carry {carried:.4f} of it")  # fmt: skip


ODD = (
    "left", "<script>alert(1)</script>", "\x1b[2J", None, 1e308, -1, 10**40, True, [], {}, ["left"], {"x": "there"},
    "\ud800", "x" * 9000, "right",
)  # fmt: skip
WHYS = ("", "<b>", "\x1b[2J", "=1+1")


def garbled(rng: random.Random, ids: list[str]) -> bytes:
    """A file of answers with anything in it, or nearly a good one."""
    answers = [
        {"question": one, "answer": rng.choice(ODD), "why": rng.choice(ODD), "took_s": rng.choice([1.5, *ODD])}
        for one in rng.choices([*ids, "no such question", "", "x" * 100], k=rng.randrange(1, 12))
    ]
    if rng.random() < 0.6:
        chosen = rng.sample(ids, k=5)
        answers = [{"question": one, "answer": rng.choice(PAIR_ANSWERS), "why": rng.choice(WHYS)} for one in chosen]
    judge = rng.choice(["Ina", "", "\u202e", "x" * 200])
    content = {"unvek": 1, "kind": "answers", "ballot": "b", "judge": judge, "answers": answers}
    if rng.random() < 0.2:
        content[rng.choice(["more", "unvek", "kind", "ballot", "answers"])] = rng.choice(ODD)
    text = bytearray(json.dumps(content).encode())
    for _ in range(rng.choice([0, 0, 0, 1, 5])):
        text[rng.randrange(len(text))] = rng.randrange(256)
    return bytes(text[: rng.randrange(len(text))] if rng.random() < 0.1 else text)


def hostile_files() -> None:
    """Whatever a file of answers holds, it is refused with a reason or taken as text."""
    rng = random.Random(1)
    left, right = Shown(run=1, digest="d"), Shown(run=2, digest="e")
    questions = {f"{n:016x}": Question(id=f"{n:016x}", left=left, right=right) for n in range(20)}
    refused = taken = 0
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "answers.json"
        for _ in range(FILES):
            path.write_bytes(garbled(rng, list(questions)))
            try:
                found = read_answers(path)
                checked(found, "pairs", questions)
                taken += 1
                assert all(one.answer in PAIR_ANSWERS and isinstance(one.why, str) for one in found.answers)
            except InputError:
                refused += 1
    print(f"{FILES} hostile files of answers: {refused} refused, {taken} taken as they are, nothing else happened")


if __name__ == "__main__":
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 300
    hostile_files()
    found_bias(count)
    coverage(count)
