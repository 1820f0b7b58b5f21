"""Can a weights file's header hurt? 10,000 mutated ones are weighed, and the worst that we could think of.

Promised: refused with exit code 2 (or weighed, where it is still a file), within two seconds and 128 MiB, the
interpreter included, and nothing ever "went wrong". The mutated ones are weighed in fresh processes that take many
each; the worst are given to the program one by one, as a user would. Last the demo's models: what each would have been
said to take from the others' runs alone, beside what it took.

Run: python benchmarks/bench_headers.py [HOW MANY]
"""

import os
import random
import sys
import tempfile
import time
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

import numpy as np
from common import UNVEK, result, started_alone, unvek

sys.path.insert(0, str(Path(__file__).parent.parent))
from tests.weights_written import bomb, field, mutated, raw_gguf, raw_safetensors, text, write_all
from unvek.core.weights.formats.contents import WeightsError
from unvek.core.weights.weighing import weigh
from unvek.demo import lay_out

PROMISED_S, PROMISED_MIB, PROMISED_OFF = 2.0, 128, 0.10
AT_A_TIME = 250
QUICKER = (("rounds = 3", "rounds = 2"), ("repeats = 2", "repeats = 1"))
TENSOR = b'"%x":{"dtype":"U8","shape":[0],"data_offsets":[0,0]}'


def peak_mib() -> float:
    """The most memory that this process has held since it was started."""
    with open("/proc/self/status") as file:
        return next(int(line.split()[1]) / 1024 for line in file if line.startswith("VmHWM"))


def weigh_mutated(seed: int) -> tuple[int, int, list[str], float, float]:
    """Return (how many were weighed, refused, what went wrong, the longest that one took in s, the peak in MiB)."""
    rng = random.Random(seed)
    weighed = refused = 0
    wrong, longest = [], 0.0
    with tempfile.TemporaryDirectory() as name:
        files = [(path, path.read_bytes()) for path in write_all(Path(name), np.random.default_rng(seed))]
        for _ in range(AT_A_TIME):
            path, data = rng.choice(files)
            path.write_bytes(mutated(data, rng))
            began = time.process_time()
            try:
                weigh(path, None)
                weighed += 1
            except WeightsError:
                refused += 1
            except Exception as error:  # what the program would word as "went wrong"
                wrong.append(f"{path.name}, seed {seed}: {type(error).__name__}: {error}")
            longest = max(longest, time.process_time() - began)
    return weighed, refused, wrong, longest, peak_mib()


def show_mutated(many: int) -> bool:
    batches = max(1, many // AT_A_TIME)
    with ProcessPoolExecutor(os.cpu_count(), mp_context=get_context("spawn"), max_tasks_per_child=1) as pool:
        found = list(pool.map(weigh_mutated, range(batches)))
    wrong = [words for one in found for words in one[2]]
    longest, peak = max(one[3] for one in found), max(one[4] for one in found)
    print(f"{batches * AT_A_TIME} mutated headers: {sum(one[0] for one in found)} weighed, "
          f"{sum(one[1] for one in found)} refused, {len(wrong)} went wrong; at most {longest:.2f} s of processor "
          f"time each; processes of {AT_A_TIME}, with what wrote them, held {peak:.0f} MiB at most")  # fmt: skip
    for words in wrong[:10]:
        print(f"  {words}")
    return not wrong and longest < PROMISED_S


def worst(folder: Path) -> Iterator[Path]:
    """Yield files that ask for as much as they can."""
    yield raw_safetensors(folder / "length.safetensors", b"{}", length=2**63)
    yield raw_safetensors(folder / "deep.safetensors", b'{"a":' + b"[" * 6_000_000)
    yield raw_safetensors(folder / "keys.safetensors", b"{" + b",".join(b'"%x":0' % n for n in range(1_100_000)) + b"}")
    yield raw_safetensors(folder / "shape.safetensors", b'{"a":{"dtype":"U8","shape":[' + b"1," * 5_500_000 + b"1]}}")
    yield raw_safetensors(folder / "digits.safetensors", b'{"a":{"dtype":"U8","shape":[' + b"9" * 4_000_000 + b"]}}")
    yield raw_safetensors(folder / "tensors.safetensors", b"{" + b",".join(TENSOR % n for n in range(199_000)) + b"}")
    few = b"{" + b",".join(TENSOR % n for n in range(99_000)) + b"}"
    yield raw_safetensors(folder / "overlap.safetensors", few.replace(b"[0,0]", b"[1,1]", 1), b"x")
    yield raw_gguf(folder / "counts.gguf", tensors=2**63, keys=2**63)
    texts, lists = (text(b"k") + number(9) + number(kind) for kind in (8, 9))
    yield raw_gguf(folder / "texts.gguf", texts + (999_999).to_bytes(8, "little") + bytes(7_999_000))
    yield raw_gguf(folder / "lists.gguf", lists + (9_999).to_bytes(8, "little") + bytes(12 * 9_990))
    values = (text(b"%x" % n) + number(8) + text(b"x" * 3000) for n in range(19_000))
    yield raw_gguf(folder / "values.gguf", b"".join(values), 0, 19_001)
    yield raw_gguf(folder / "tensors.gguf", b"".join(text(b"%x" % n) + bytes(16) for n in range(99_000)), 99_001, 0)
    for name, data in (
        ("fields.onnx", field(7, field(1, b"") * 5_000_000)),
        ("tensors.onnx", field(7, field(5, b"\x10\x02\x08\x00") * 300_000)),
        ("dimensions.onnx", field(7, field(5, b"\x10\x02" + field(1, b"\x01" * 30_000_000)))),
        ("number.onnx", b"\xff" * 10_000_000),
    ):
        (folder / name).write_bytes(data)
        yield folder / name
    yield bomb(folder / "bomb.npz", 200 * 2**20)
    index = folder / "nested.safetensors.index.json"
    index.write_text('{"weight_map":[' + "[]," * 3_900_000 + "[]]}")
    yield index


def number(value: int) -> bytes:
    return value.to_bytes(4, "little")


def show_worst() -> bool:
    kept = True
    print(f"\n{'the worst':32s} exit  seconds     MiB")
    with tempfile.TemporaryDirectory() as name:
        for path in worst(Path(name)):
            code, took_s, mib, said = started_alone(Path(name), "weigh", str(path))
            kept &= code == 2 and took_s < PROMISED_S and mib < PROMISED_MIB
            print(f"{path.name:32s} {code:4d} {took_s:8.2f} {mib:7.0f}   {said.strip()[-70:]}")
            path.unlink()
    return kept


def show_forecasts() -> bool:
    kept = True
    with tempfile.TemporaryDirectory() as name:
        folder = lay_out(Path(name) / "row", quick=False).parent
        for plan, model in (("plan.toml", "bract"), ("cards.toml", "sprig")):
            text_of = (folder / plan).read_text()
            for old, new in QUICKER:
                text_of = text_of.replace(old, new)
            (folder / plan).write_text(text_of)
            unvek(folder, "run", plan, "--plain", "--logbook", model)
            files = sorted(str(path) for path in (folder / "models").glob(f"{model}-*"))
            found = result(folder, "weigh", *files, "--fits", "--logbook", model)["foretold"]
            print(f"\n{model}: what its runs took, and what would have been said from the others' runs alone")
            for one in found:
                took, said = (one[name] / 2**20 for name in ("measured_bytes", "foretold_bytes"))
                print(f"  {one['variant']:16s} {took:6.2f} MiB, said {said:6.2f}: {100 * one['off']:+.1f} %")
            kept &= len(found) >= 7 and all(abs(one["off"]) <= PROMISED_OFF for one in found)
    return kept


def main() -> None:
    many = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000
    print(f"{' '.join(UNVEK[-2:])} weigh")
    kept = [show_mutated(many), show_worst(), show_forecasts()]
    print("\nkept" if all(kept) else "\nNOT KEPT")
    sys.exit(not all(kept))


if __name__ == "__main__":
    main()
