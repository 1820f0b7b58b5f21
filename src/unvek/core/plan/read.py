"""Reading a plan: TOML 1.0 in, a checked Plan out, or every problem at once."""

import sys
import tomllib
from collections import Counter
from collections.abc import Iterable, Mapping
from pathlib import Path
from types import MappingProxyType

from unvek.core.errors import InputError, PlanError, Problem
from unvek.core.plan.door import Problems, Table, nearest_words, shown
from unvek.core.plan.model import (
    FORMS,
    MEASURE_KINDS,
    ORDERS,
    STALL_S,
    Limits,
    Plan,
    PythonRunner,
    RigWanted,
    Schedule,
    Task,
    Variant,
    WantedMeasure,
)

LARGEST_PLAN_BYTES = 4 * 2**20


def read_plan(path: Path) -> Plan:
    """Read and check a plan file.

    Raises PlanError with all problems found, or InputError where the file can't be read at all.
    """
    text = _read_text(path)
    problems = Problems()
    try:
        content = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        # The library's message ends in its line and column, which is where the mistake was noticed.
        raise PlanError(
            str(path), (Problem(where="the file", found=f"text that isn't TOML: {error}", wanted="TOML 1.0"),)
        ) from error
    plan = _read_plan(Table(content, "", path.absolute().parent, problems), path.absolute(), text, problems)
    if problems:
        raise PlanError(str(path), tuple(problems))
    return plan


def _read_text(path: Path) -> str:
    try:
        if path.is_dir():
            raise InputError(f"{path} is a folder; name the plan file in it, such as {path / 'plan.toml'}")
        if path.stat().st_size > LARGEST_PLAN_BYTES:
            raise InputError(f"{path} has {path.stat().st_size} bytes; a plan has at most {LARGEST_PLAN_BYTES}")
        return path.read_text(encoding="utf-8")
    except FileNotFoundError as error:
        raise InputError(
            f"there is no plan {path}; name one, or go to a folder with a plan.toml ('unvek demo' lays one out)"
        ) from error
    except (OSError, ValueError) as error:
        raise InputError(f"{path} can't be read as UTF-8 text: {error}") from error


def _read_plan(table: Table, path: Path, text: str, problems: Problems) -> Plan:
    limits = _read_limits(table.table("limits"), Limits())
    title = table.text("title", default=path.stem)
    schedule = _read_schedule(table.table("schedule"))
    rig = _read_rig(table.table("rig"))
    runners = _read_runners(table.table("runners"))
    variants = tuple(
        _read_variant(entry, limits, runners) for entry in table.tables("variants", "at least one [[variants]] table")
    )
    tasks = tuple(_read_task(entry) for entry in table.tables("tasks", "at least one [[tasks]] table"))
    measures: tuple[WantedMeasure, ...] = ()
    if table.has("measures"):
        measures = tuple(_read_measure(entry) for entry in table.tables("measures", "[[measures]] tables"))
    _check_names("variants", (variant.name for variant in variants), problems)
    _check_names("tasks", (task.name for task in tasks), problems)
    _check_names("measures", (measure.name for measure in measures), problems)
    names = tuple(variant.name for variant in variants)
    _check_descent(variants, names, problems)
    reference = table.text("reference", default=names[0] if names else "none")
    if names and reference not in names:
        table.problem("reference", shown(reference), "the name of a variant" + _named(reference, names))
    quality = table.text("quality", default=measures[0].name if measures else "none")
    if table.has("quality") and quality not in [measure.name for measure in measures]:
        table.problem("quality", shown(quality), "the name of one of the [[measures]]")
    table.close()
    return Plan(
        path=path,
        text=text,
        title=title,
        reference=reference,
        quality=quality if measures else None,
        schedule=schedule,
        runners=runners,
        variants=variants,
        tasks=tasks,
        measures=measures,
        rig=rig,
    )


def _read_schedule(table: Table) -> Schedule:
    default = Schedule()
    schedule = Schedule(
        rounds=table.whole("rounds", default.rounds, 1, 1000),
        repeats=table.whole("repeats", default.repeats, 1, 1000),
        warmups=table.whole("warmups", default.warmups, 0, 100),
        order=table.choice("order", ORDERS, default.order),
        shuffle_seed=table.whole("shuffle_seed", default.shuffle_seed, 0, 2**63 - 1),
        pause_s=table.duration_s("pause", default.pause_s) or 0.0,
    )
    table.close()
    return schedule


def _read_limits(table: Table, default: Limits) -> Limits:
    limits = Limits(
        run_s=table.duration_s("run", default.run_s),
        stall_s=table.duration_s("stall", default.stall_s if default.stall_s is not None else STALL_S),
        memory_bytes=table.size_bytes("memory", default.memory_bytes),
        tokens=table.whole_or_none("tokens", default.tokens, 1, 10**9),
        output_bytes=table.size_bytes("output", default.output_bytes),
        loop=table.whole_or_none("loop", default.loop, 2, 1000),
    )
    table.close()
    return limits


def _read_rig(table: Table) -> RigWanted:
    rig = RigWanted(
        watts=table.number_or_none("watts", 0.001, 1e6),
        simulated_accelerator_bytes=table.size_bytes("simulated_accelerator", None),
    )
    table.close()
    return rig


def _read_runners(table: Table) -> Mapping[str, PythonRunner]:
    runners = {}
    for name in table.names():
        entry = table.table(name)
        entry.choice("kind", ("python",), "python")
        runners[name] = PythonRunner(
            name=name,
            script=entry.file("script", 'the name of a Python file with load() and run(), such as "painter.py"'),
            python=entry.program("python", default=sys.executable),
            environment=entry.named_texts("environment"),
        )
        entry.close()
    return MappingProxyType(runners)


def _read_variant(table: Table, limits: Limits, runners: Mapping[str, PythonRunner]) -> Variant:
    runner = table.text("runner", default=next(iter(runners), None), wanted="the name of one of the [runners]")
    if runners and runner and runner not in runners:
        table.problem("runner", shown(runner), "the name of one of the [runners]" + _named(runner, tuple(runners)))
    variant = Variant(
        name=table.name(),
        form=table.choice("form", FORMS, "full"),
        runner=runner,
        of=table.text("of", default="") or None if table.has("of") else None,
        weights=table.files("weights"),
        parts=table.named_files("parts"),
        settings=table.settings(),
        limits=_read_limits(table.table("limits"), limits),
    )
    table.close()
    return variant


def _read_task(table: Table) -> Task:
    task = Task(
        name=table.name(),
        prompt=table.text("prompt", default="") if table.has("prompt") else "",
        seeds=table.seeds("seeds", (0,)),
        inputs=table.files("inputs"),
        expect=table.texts("expect"),
        facts=table.numbers("facts"),
        settings=table.settings(),
    )
    if not table.has("prompt") and not task.inputs:
        table.problem("prompt", "nothing", "a prompt, or input files under inputs")
    table.close()
    return task


def _read_measure(table: Table) -> WantedMeasure:
    measure = WantedMeasure(name=table.name(), kind=table.choice("kind", MEASURE_KINDS, MEASURE_KINDS[0]))
    if not table.has("kind"):
        table.problem("kind", "nothing", "one of " + ", ".join(MEASURE_KINDS))
    table.close()
    return measure


def _check_names(key: str, names: Iterable[str], problems: Problems) -> None:
    for name, count in Counter(names).items():
        if name and count > 1:
            problems.add(key, f"{count} of the name {shown(name)}", "a name of its own for each")


def _check_descent(variants: tuple[Variant, ...], names: tuple[str, ...], problems: Problems) -> None:
    for variant in variants:
        if variant.of is not None and (variant.of not in names or variant.of == variant.name):
            problems.add(
                f"variants[{variant.name}].of",
                shown(variant.of),
                "the name of another variant" + _named(variant.of, names),
            )


def _named(found: str, names: tuple[str, ...]) -> str:
    return f" ({', '.join(names)}){nearest_words(found, names)}"
