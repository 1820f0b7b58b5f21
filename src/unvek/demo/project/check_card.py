"""What Unvek asks of a care card: is each fact that the task expects there, as the nursery's table has it?"""

import csv
from pathlib import Path

TABLE = Path(__file__).with_name("plants.csv")


def load_table():
    with open(TABLE, encoding="utf-8") as file:
        return {row.pop("plant"): row for row in csv.DictReader(file)}


PLANTS = load_table()


def measure(output, prompt, expect):
    """Return for each fact expected: there, missing, or partly where the card has another plant's."""
    card = Path(output).read_text(encoding="utf-8", errors="replace")
    plant = prompt.rpartition(" for ")[2].partition(":")[0]
    return {fact: seen(card, fact, PLANTS[plant][fact]) for fact in expect}


def seen(card, fact, right):
    if right in card:
        return "there"
    others = {plant[fact] for plant in PLANTS.values()}
    return "partly" if any(other in card for other in others) else "missing"
