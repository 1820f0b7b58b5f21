"""Reading a plan: TOML 1.0 in, a checked Plan out, or every problem at once."""

import os
import stat
import tomllib
from collections import Counter
from collections.abc import Iterable, Mapping
from math import prod
from pathlib import Path

from unvek.core.errors import InputError, PlanError, Problem
from unvek.core.plan.addresses import OUTPUTS_WANTED, SCHEME, checked_address, has_secrets, is_address, wrong_store
from unvek.core.plan.model import (
    AFTERWARDS,
    ALL_PREVIEWS,
    BETWEEN,
    FORMS,
    LATER,
    ORDERS,
    SOME_PREVIEWS,
    STALL_S,
    WORDING,
    Limits,
    Plan,
    RigWanted,
    Schedule,
    SettingValue,
    Variant,
)
from unvek.core.plan.reading.door import Problems, Table
from unvek.core.plan.reading.judges import read_judges
from unvek.core.plan.reading.margins import read_margins
from unvek.core.plan.reading.measures import is_asked, read_measures
from unvek.core.plan.reading.needs import read_needs
from unvek.core.plan.reading.prices import read_currency, read_hours_per_day, read_price
from unvek.core.plan.reading.quoting import nearest_words, shown
from unvek.core.plan.reading.runners import check_placeholders, read_runners
from unvek.core.plan.reading.tasks import read_tasks
from unvek.core.plan.runners import LOAD_SETTINGS, Runner, load_problem

EARLIER_WANTED = "a file that exists: an export (.csv, .jsonl, .parquet) or a report page (.html)"
FEWEST_PILOT = 3  # two launches tell next to nothing of the spread
MOST_COMBINATIONS = 10_000  # of the values of what is varied
LARGEST_PLAN_BYTES = 4 * 2**20


def read_plan(path: Path) -> Plan:
    """Read and check a plan file.

    Raises PlanError with all problems found, or InputError where the file can't be read at all.
    """
    text = _read_text(path)
    problems = Problems()
    try:
        content = tomllib.loads(text)
    except (ValueError, RecursionError) as error:
        # The library's message ends in its line and column, which is where the mistake was noticed. A number of
        # thousands of digits is a ValueError of another kind.
        raise PlanError(
            str(path), (Problem(where="the file", found=f"text that isn't TOML: {error}", wanted="TOML 1.0"),)
        ) from error
    plan = _read_plan(Table(content, "", path.absolute().parent, problems), path.absolute(), text, problems)
    if problems:
        raise PlanError(str(path), tuple(problems))
    return plan


def _read_text(path: Path) -> str:
    """Read a file that is one, within bounds: a pipe or a device might never end."""
    try:
        kind = path.stat()
        if stat.S_ISDIR(kind.st_mode):
            raise InputError(f"{path} is a folder; name the plan file in it, such as {path / 'plan.toml'}")
        if not stat.S_ISREG(kind.st_mode):
            raise InputError(f"{path} is a pipe or a device; a plan is a file: write it into one, such as plan.toml")
        # Without waiting: some of what a system shows as files have nothing to read until something happens.
        with open(os.open(path, os.O_RDONLY | os.O_NONBLOCK), "rb") as file:
            content = file.read(LARGEST_PLAN_BYTES + 1) or b""
        if len(content) > LARGEST_PLAN_BYTES:
            raise InputError(f"{path} has more than {LARGEST_PLAN_BYTES} bytes; a plan has at most so many")
        return content.decode("utf-8")
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
    if not table.has("runners"):
        table.problem("runners", "nothing", "at least one [runners.NAME] table, which says how variants are run")
    runners = read_runners(table.table("runners"), path.parent)
    variants = tuple(
        _read_variant(entry, limits, runners) for entry in table.tables("variants", "at least one [[variants]] table")
    )
    tasks = read_tasks(table, path.parent, problems)
    measures = read_measures(table, path.parent)
    _check_names("variants", (variant.name for variant in variants), problems)
    _check_names("tasks", (task.name for task in tasks), problems)
    _check_names("measures", (measure.name for measure in measures), problems)
    names = tuple(variant.name for variant in variants)
    _check_descent(variants, names, problems)
    vary = table.varied("vary")
    combinations = prod(map(len, vary.values()))
    if combinations > MOST_COMBINATIONS:
        table.problem("vary", f"{combinations} combinations of values", f"at most {MOST_COMBINATIONS}")
    margins = read_margins(table.table("margins"), measures)
    if tasks:  # where none could be read, nothing can be said of what they would fill
        check_placeholders(runners, variants, tasks, vary, problems)
    reference = table.text("reference", default=names[0] if names else "none")
    if names and reference not in names:
        table.problem("reference", shown(reference), "the name of a variant" + _named(reference, names))
    quality = table.text("quality", default=measures[0].name if measures else "none")
    if table.has("quality") and not is_asked(quality, measures):
        table.problem("quality", shown(quality), "the name of one of the [[measures]]")
    judges = read_judges(table.table("judges"), path.parent)
    needs = read_needs(table, measures, rig.currency)
    earlier = table.file("earlier", EARLIER_WANTED) if table.has("earlier") else None
    logbook, outputs = _read_team(table)
    previews = table.choice("previews", (SOME_PREVIEWS, ALL_PREVIEWS), SOME_PREVIEWS)
    table.close()
    plan = Plan(
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
        vary=vary,
        margins=margins,
        previews=previews,
        judges=judges,
        needs=needs,
        earlier=earlier,
        logbook=logbook,
        outputs=outputs,
    )
    _check_load(plan, problems)
    _check_wordings(plan, problems)
    return plan


def _read_team(table: Table) -> tuple[str | None, str | None]:
    """Read where runs and outputs go that a team shares. A plan is kept and passed on: it may hold no password."""
    logbook = table.text("logbook", default="none") if table.has("logbook") else None
    if logbook is not None:
        try:
            logbook = checked_address(logbook) if is_address(logbook) else ""
        except InputError:
            logbook = ""
        if not logbook:
            table.problem("logbook", "something else", f"the address of a team's database, {SCHEME}server/name")
        elif has_secrets(logbook):
            table.problem("logbook", "a password", "an address without one: it is taken from PGPASSWORD or ~/.pgpass")
    outputs = table.text("outputs", default="none") if table.has("outputs") else None
    if outputs is not None and (wrong := wrong_store(outputs)) is not None:
        table.problem("outputs", wrong, OUTPUTS_WANTED)
    return logbook, outputs


def _read_schedule(table: Table) -> Schedule:
    default = Schedule()
    rounds = table.whole("rounds", default.rounds, 1, 1000)
    schedule = Schedule(
        rounds=rounds,
        repeats=table.whole("repeats", default.repeats, 1, 1000),
        warmups=table.whole("warmups", default.warmups, 0, 100),
        order=table.choice("order", ORDERS, default.order),
        shuffle_seed=table.whole("shuffle_seed", default.shuffle_seed, 0, 2**63 - 1),
        pause_s=table.duration_s("pause", default.pause_s) or 0.0,
        settle_to=table.share("settle_to", None),
        most_rounds=table.whole("most_rounds", max(default.most_rounds, rounds), 1, 1000),
        measure=table.choice("measure", (AFTERWARDS, BETWEEN, LATER), default.measure),
    )
    _check_settling(table, schedule)
    table.close()
    return schedule


def _check_settling(table: Table, schedule: Schedule) -> None:
    if schedule.settle_to is None:
        if table.has("most_rounds"):
            table.problem("most_rounds", str(schedule.most_rounds), 'settle_to beside it, such as settle_to = "3 %"')
        return
    if schedule.rounds < FEWEST_PILOT:
        table.problem("rounds", str(schedule.rounds), f"{FEWEST_PILOT} or more: from them settle_to learns the spread")
    if schedule.most_rounds < schedule.rounds:
        table.problem("most_rounds", str(schedule.most_rounds), f"no fewer than rounds, which is {schedule.rounds}")


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
        price=read_price(table),
        currency=read_currency(table),
        hours_per_day=read_hours_per_day(table),
    )
    table.close()
    return rig


def _read_variant(table: Table, limits: Limits, runners: Mapping[str, Runner]) -> Variant:
    runner = table.text("runner", default=next(iter(runners), ""), wanted="the name of one of the [runners]")
    if runners and runner and runner not in runners:
        table.problem("runner", shown(runner), "the name of one of the [runners]" + _named(runner, tuple(runners)))
    variant = Variant(
        name=table.name(),
        form=table.choice("form", FORMS, "full"),
        runner=runner,
        of=table.text("of", default="") or None if table.has("of") else None,
        weights=table.models("weights"),
        parts=table.named_models("parts"),
        settings=table.settings(),
        limits=_read_limits(table.table("limits"), limits),
        precision=table.name("precision") if table.has("precision") else None,
        price=read_price(table),
    )
    table.close()
    return variant


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


def _check_load(plan: Plan, problems: Problems) -> None:
    """Settings of the client need a server behind every variant that has them, and must go together."""
    for variant in plan.variants:
        runner = plan.runners.get(variant.runner)
        given: dict[str, list[SettingValue]] = {}
        for settings in (*(task.settings for task in plan.tasks), variant.settings):
            for name, value in settings.items():
                given.setdefault(name, []).append(value)
        if runner is not None:
            given |= {name: [value] for name, value in runner.load.items()}
            given |= {name: list(values) for name, values in runner.vary.items()}
        given |= {name: list(values) for name, values in plan.vary.items()}
        load = {name: values for name, values in given.items() if name in LOAD_SETTINGS}
        if load and not (runner is not None and runner.takes_clients):
            name = next(iter(load))
            problems.add(
                f"vary.{name}" if name in plan.vary else f"variants[{variant.name}].settings.{name}",
                f"a setting of clients, but {variant.name} is not behind a server",
                'a setting of the model, or a runner of kind "stream"',
            )
            return
        each = [{name: value} for name, values in load.items() for value in values]
        together = {name: values[0] for name, values in load.items()}
        wrong = next(filter(None, map(load_problem, (*each, together))), None)
        if wrong is not None:
            problems.add(f"variants[{variant.name}]", wrong, "settings of clients that go together")
            return


def _check_wordings(plan: Plan, problems: Problems) -> None:
    """What is varied under the name `wording` says which wording of its prompt a run had, and can be nothing else."""
    varied = {"vary": plan.vary, **{f"runners.{name}.vary": runner.vary for name, runner in plan.runners.items()}}
    settings = {
        **{f"variants[{variant.name}].settings": variant.settings for variant in plan.variants},
        **{f"tasks[{task.name}].settings": task.settings for task in plan.tasks},
    }
    have_wordings = any(task.wordings for task in plan.tasks)
    for where, named in {**varied, **(settings if have_wordings else {})}.items():
        if WORDING in named:
            problems.add(
                f"{where}.{WORDING}", "a setting of that name", "another name: this says which wording a prompt had"
            )
    for task in plan.tasks:
        if len({task.prompt, *task.wordings}) < len(task.wordings) + bool(task.wordings):
            problems.add(f"tasks[{task.name}].wordings", "the same text twice", "different ways to ask for the same")


def _named(found: str, names: tuple[str, ...]) -> str:
    return f" ({', '.join(names)}){nearest_words(found, names)}"
