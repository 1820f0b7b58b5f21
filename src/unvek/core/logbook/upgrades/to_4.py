"""From format 3 to 4: ids, sessions, whole plans, and measured values with an identity.

Frozen: this says what format 4 was when it came, whatever today's code says of it.
"""

import hashlib
import json
import sqlite3
import tomllib
from collections.abc import Iterator, Mapping
from datetime import datetime
from typing import Any

from unvek.core.ids import RANDOM_BYTES, uuid7

TABLES = (
    "CREATE TABLE sessions (number INTEGER NOT NULL PRIMARY KEY, id VARCHAR NOT NULL UNIQUE, "
    "name VARCHAR NOT NULL UNIQUE, made_by VARCHAR NOT NULL, rig VARCHAR REFERENCES rigs (fingerprint), "
    "began_at VARCHAR NOT NULL, ended_at VARCHAR, digest VARCHAR, rounds_before BIGINT NOT NULL)",
    "CREATE TABLE definitions (number INTEGER NOT NULL PRIMARY KEY, digest VARCHAR NOT NULL, name VARCHAR NOT NULL, "
    "origin VARCHAR NOT NULL, content JSON NOT NULL, UNIQUE (name, digest, origin))",
    "CREATE TABLE measurements (run INTEGER NOT NULL REFERENCES runs (number), definition INTEGER NOT NULL "
    "REFERENCES definitions (number), against INTEGER NOT NULL, value FLOAT, why TEXT, "
    "PRIMARY KEY (run, definition, against))",
    "ALTER TABLE launches ADD COLUMN id VARCHAR NOT NULL DEFAULT ''",
    "ALTER TABLE launches ADD COLUMN session INTEGER REFERENCES sessions (number)",
    "ALTER TABLE runs ADD COLUMN id VARCHAR NOT NULL DEFAULT ''",
)
INDEXES = (
    "CREATE UNIQUE INDEX launches_by_id ON launches (id)",
    "CREATE INDEX runs_by_id ON runs (id)",
    "UPDATE run_details SET piece_times_s = x'' WHERE typeof(piece_times_s) = 'text'",
    "DROP TABLE measures",
)
# By the kinds that format 3 knew: the kind's name now, its unit, which way is better, how it is summed up, and whether
# a value is held against another run.
KINDS = {
    "ssim": ("ssim", "", "more", "median", True),
    "psnr": ("psnr", "dB", "more", "median", True),
    "edit": ("edit", "", "more", "median", True),
    "exact": ("exact", "", "more", "mean", True),
    "contains": ("holds", "", "more", "mean", False),
    "perplexity": ("perplexity", "", "less", "median", False),
    "kl": ("kl", "nats", "less", "median", True),
    "top1": ("top1", "", "more", "median", True),
}
# What Unvek itself measured of streams, and which way is better.
OURS = {
    "rate.tokens": "more", "rate.words": "more", "rate.characters": "more", "rate.tokens.sum": "more",
    "rate.words.sum": "more", "rate.characters.sum": "more", "gap.median": "less", "gap.p99": "less",
    "request.time": "less", "request.time.p99": "less", "requests.failed": "less", "requests": None,
    "output.words": None, "output.characters": None,
}  # fmt: skip
READ_TOKENS, COUNT = "input.tokens", "count."
FROM_ELSEWHERE = ("imported", "by-hand")


def bring_to_4(database: sqlite3.Connection) -> None:
    """Take every step, within the transaction that is open."""
    for step in TABLES:
        database.execute(step)
    _give_ids(database)
    for number, text, content in database.execute("SELECT number, text, content FROM plans").fetchall():
        database.execute(
            "UPDATE plans SET content = ? WHERE number = ?", (json.dumps(_plan(json.loads(content), text)), number)
        )
    _define_measures(database)
    for step in INDEXES:
        database.execute(step)


def _give_ids(database: sqlite3.Connection) -> None:
    """Name launches and runs by what they are, so that two copies of one logbook go on naming the same runs alike."""
    columns = "number, variant, round, rig, started_at, load_s"
    for number, *rest in database.execute(f"SELECT {columns} FROM launches").fetchall():
        database.execute(
            "UPDATE launches SET id = ? WHERE number = ?", (_id(rest[3], ["launch", number, *rest]), number)
        )
    columns = "number, cell, launch, place, started_at, time_s"
    for number, *rest in database.execute(f"SELECT {columns} FROM runs").fetchall():
        database.execute("UPDATE runs SET id = ? WHERE number = ?", (_id(rest[3], ["run", number, *rest]), number))


def _id(moment: str, made_of: list[Any]) -> str:
    random = hashlib.sha256(json.dumps(made_of).encode()).digest()[:RANDOM_BYTES]
    return uuid7(max(0, int(datetime.fromisoformat(moment).timestamp() * 1000)), random)


def _plan(content: Mapping[str, Any], text: str) -> dict[str, Any]:
    """A plan as format 4 has it. What format 3 did not keep is taken from its text, or not known and left out."""
    told = _told(text)
    schedule = {name: content[name] for name in ("rounds", "repeats", "settle_to", "most_rounds") if name in content}
    expect = {task.get("name"): task.get("expect") for task in _tables(told.get("tasks"))}
    variants = content.get("variants", ())
    tasks = content.get("tasks", ())
    return {
        "plan": {
            "title": content["title"],
            "reference": content["reference"],
            "quality": content.get("quality"),
            "schedule": {name: value for name, value in schedule.items() if value is not None},
            "rig": {},
            "runners": {},
            "variants": [
                {**{name: variant.get(name) for name in ("name", "form", "of")}, "runner": variant.get("runner") or "",
                 "weights": variant.get("weights", []), "parts": variant.get("parts", {}),
                 "settings": variant.get("settings", {}), "limits": {}}
                for variant in variants
            ],
            "tasks": [
                {"name": task["name"], "prompt": task.get("prompt", ""), "seeds": task.get("seeds", []), "inputs": [],
                 "expect": _texts(expect.get(task["name"])), "wanted": task.get("wanted", []),
                 "facts": task.get("facts", {}), "settings": task.get("settings", {})}
                for task in tasks
            ],
            "measures": [
                {"name": measure["name"], "kind": KINDS[measure["kind"]][0], "options": {}}
                for measure in content.get("measures", ())
            ],
            "vary": content.get("vary", {}),
        },
        "cells": content.get("cells", []),
        "weights_bytes": {variant["name"]: variant.get("weights_bytes") for variant in variants},
    }  # fmt: skip


def _told(text: str) -> Mapping[str, Any]:
    try:
        return tomllib.loads(text)
    except (ValueError, RecursionError):
        return {}


def _tables(value: Any) -> list[Mapping[str, Any]]:
    return [entry for entry in value if isinstance(entry, dict)] if isinstance(value, list) else []


def _texts(value: Any) -> list[str]:
    return [entry for entry in value if isinstance(entry, str)] if isinstance(value, list) else []


# ---- measured values ----


def _define_measures(database: sqlite3.Connection) -> None:
    """Give each value its definition: that of the plan which was the newest when it was worked out.

    That was after its runs were made, so it was one of the plans since. Where these say different things of the name,
    it is not known by which the value was worked out: it is left out, and is worked out anew when it is next asked for.
    """
    plans = _Plans(database)
    numbers: dict[tuple[str, str, str], int] = {}
    query = """
        SELECT m.run, m.name, m.against, m.value, m.unit, r.task, r.source,
               MAX(r.started_at, COALESCE(a.started_at, '')),
               EXISTS (SELECT 1 FROM measures o WHERE o.run = m.run AND o.rowid > m.rowid AND o.name LIKE 'gap.%')
        FROM measures m JOIN runs r ON r.number = m.run LEFT JOIN runs a ON a.number = m.against
        WHERE m.value IS NOT NULL"""
    rows = []
    for run, name, against, value, unit, task, source, made_at, before_the_streams in database.execute(
        query
    ).fetchall():
        # Values that came with the run stand before those that Unvek worked out of its streams when it had ended.
        found = None if before_the_streams and against == 0 else plans.definition(name, task, made_at, against != 0)
        if found is AMBIGUOUS:
            continue
        origin, definition = found or _of_no_plan(name, unit, source)
        key = (name, _digest(definition), origin)
        if key not in numbers:
            numbers[key] = len(numbers) + 1
            database.execute(
                "INSERT INTO definitions VALUES (?, ?, ?, ?, ?)",
                (numbers[key], key[1], name, origin, json.dumps(definition)),
            )
        rows.append((run, numbers[key], against, value))
    database.executemany("INSERT INTO measurements (run, definition, against, value) VALUES (?, ?, ?, ?)", rows)


Found = tuple[str, dict[str, Any]]
AMBIGUOUS: Found = ("", {})


class _Plans:
    """The plans in the order in which they were recorded, with what each said of its measures and tasks."""

    def __init__(self, database: sqlite3.Connection):
        rows = database.execute("SELECT recorded_at, content FROM plans ORDER BY number").fetchall()
        self._plans = [(recorded_at, json.loads(content)["plan"]) for recorded_at, content in rows]
        self._known: dict[tuple[Any, ...], Found | None] = {}

    def definition(self, name: str, task: str, made_at: str, is_held: bool) -> Found | None:
        """Return what a value is that was worked out after that moment; None where no plan had it worked out."""
        since = sum(recorded_at <= made_at for recorded_at, _ in self._plans)
        key = (name, task, since, is_held)
        if key not in self._known:
            found = list(self._definitions(name, task, max(0, since - 1), is_held))
            same = all(definition == found[0] for definition in found)
            self._known[key] = ("worked-out", found[0]) if found and same else AMBIGUOUS if found else None
        return self._known[key]

    def _definitions(self, name: str, task: str, since: int, is_held: bool) -> Iterator[dict[str, Any]]:
        for _, plan in self._plans[since:]:
            kinds = {measure["name"]: measure["kind"] for measure in plan["measures"]}
            wanted = {one["name"]: one["wanted"] for one in plan["tasks"]}
            for kind, unit, better, summed_up, holds_against in KINDS.values():
                if kinds.get(name) == kind and holds_against == is_held:
                    texts = wanted.get(task, []) if kind == "holds" else []
                    yield _definition(kind, unit, better, summed_up, texts)


def _of_no_plan(name: str, unit: str, source: str) -> Found:
    """What a value is that came with its run."""
    if source in FROM_ELSEWHERE:
        return source, _definition("imported", unit)
    if name in OURS:
        return "measured", _definition("measured", unit, OURS[name])
    if name == READ_TOKENS or name.startswith(COUNT):
        return "told", _definition("measured", unit)
    return "told", _definition("told", unit)


def _definition(
    kind: str, unit: str, better: str | None = None, summed_up: str = "median", wanted: list[str] | None = None
) -> dict[str, Any]:
    return {
        "kind": kind, "version": 1, "options": {}, "wanted": wanted or [], "unit": unit, "better": better,
        "summed_up": summed_up,
    }  # fmt: skip


def _digest(definition: Mapping[str, Any]) -> str:
    made_of = [definition["kind"], definition["version"], [], definition["wanted"], definition["unit"]]
    return hashlib.sha256(json.dumps(made_of).encode()).hexdigest()[:24]
