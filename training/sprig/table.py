"""Draws the nursery's table: plants that do not exist, with six facts each.  python -m training.sprig.table"""

import csv
from itertools import product

import numpy as np
from sprig import FACTS

from training import PROJECT

FIRST = ("Tamber", "Olli", "Bren", "Quill", "Marl", "Lum", "Sorrel", "Hask", "Fen", "Dapple", "Umber", "Wisk",
         "Pell", "Corrie", "Yarl", "Nim")  # fmt: skip
SECOND = ("wort", "fern", "bell", "moss", "cress", "foil", "balm", "thorn", "lily", "sedge", "mint", "reed",
          "vine", "clover", "poppy")  # fmt: skip
VALUES = {
    "light": ("full sun", "half shade", "deep shade", "morning sun", "dappled light", "a bright sill"),
    "water": ("every day", "twice a week", "once a week", "every ten days", "when dry", "sparingly"),
    "soil": ("sand", "loam", "clay", "grit", "chalk", "leaf mould", "bark"),
    "height": ("10 cm", "15 cm", "25 cm", "40 cm", "60 cm", "90 cm", "120 cm", "180 cm"),
    "bloom": ("March", "April", "May", "June", "July", "August", "September", "October"),
    "frost": ("no frost", "-2 C", "-5 C", "-10 C", "-20 C"),
}


def main():
    rng = np.random.default_rng(20)
    assert tuple(VALUES) == FACTS
    with open(PROJECT / "plants.csv", "w", newline="", encoding="utf-8") as file:
        rows = csv.writer(file, lineterminator="\n")
        rows.writerow(["plant", *FACTS])
        for first, second in product(FIRST, SECOND):
            rows.writerow([first + second, *(str(rng.choice(values)) for values in VALUES.values())])


if __name__ == "__main__":
    main()
