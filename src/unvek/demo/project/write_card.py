"""sprig as a program: writes one card to its standard output.

python write_card.py --weights models/sprig-full.safetensors "a care card for Tamberwort: light, water"
"""

import argparse
import sys
import time
from pathlib import Path

import sprig


def main():
    options = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    options.add_argument("prompt")
    options.add_argument("--weights", type=Path, required=True)
    options.add_argument("--seed", type=int, default=0)
    options.add_argument("--temperature", type=float, default=0)
    chosen = options.parse_args()
    began_s = time.monotonic()
    model = sprig.Sprig(chosen.weights)
    print(f"load took {time.monotonic() - began_s:.3f} s", file=sys.stderr)
    written = 0
    try:
        for character in model.write(chosen.prompt, chosen.seed, chosen.temperature):
            print(character, end="", flush=True)
            written += 1
    except ValueError as error:
        sys.exit(str(error))
    print(f"wrote {written} tokens", file=sys.stderr)


if __name__ == "__main__":
    main()
