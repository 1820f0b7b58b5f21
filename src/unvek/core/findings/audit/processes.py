"""What the processes really ran on: interpreters, packages, threads and modules, as they told of themselves."""

from collections.abc import Callable, Iterator, Mapping
from pathlib import Path

from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.audit.confounder import DOUBT, UNFAIR, Confounder
from unvek.core.findings.audit.which_runs import MOST_NAMED
from unvek.core.run.events.record import LaunchAbout
from unvek.core.units import few_of

Told = Mapping[str, str | None]
ByValue = Mapping[str, set[str]]  # a value -> the variants that had it


def process_findings(evidence: Evidence) -> Iterator[Confounder]:
    yield from _modules_changed(evidence)
    yield from _interpreters(evidence)
    yield from _versions(evidence)
    yield from _packages(evidence)
    yield from _threads(evidence)


def _modules_changed(evidence: Evidence) -> Iterator[Confounder]:
    for path, digests in _differing(evidence, lambda about: about.modules).items():
        yield Confounder(
            code="script-changed", severity=UNFAIR, variants=_all(digests),
            text=f"{Path(path).name}, which the script imports, changed between these launches.",
            why="Runs before and after were made by different programs.",
            mend="Make the runs anew: 'unvek run --afresh'.",
        )  # fmt: skip


def _interpreters(evidence: Evidence) -> Iterator[Confounder]:
    for versions in _differing(evidence, lambda about: {"Python": about.python}).values():
        yield Confounder(
            code="interpreters-differ", severity=UNFAIR, variants=_all(versions),
            text=f"The interpreter is not the same in all launches: {_each(versions, 'Python ')}.",
            why="Another version can change speed and outputs by itself.",
            mend="Give the runners one interpreter (python = ...), and make the runs anew: 'unvek run --afresh'.",
        )  # fmt: skip


def _versions(evidence: Evidence) -> Iterator[Confounder]:
    differing = _differing(evidence, lambda about: about.packages)
    if differing:
        yield Confounder(
            code="packages-differ", severity=UNFAIR, variants=_all(*differing.values()),
            text=f"Packages are not of the same version in all launches: {_named(differing)}.",
            why="Another version can change speed and outputs by itself.",
            mend="Install the same versions for both, and make the runs anew: 'unvek run --afresh'.",
        )  # fmt: skip


def _packages(evidence: Evidence) -> Iterator[Confounder]:
    """Packages that a variant has loaded and the reference has not: the large ones stand first in what is told."""
    loaded: dict[str, dict[str, None]] = {}
    for launch in evidence.runs.launches.values():
        if launch.about.packages is not None:
            loaded.setdefault(launch.variant, {}).update(dict.fromkeys(launch.about.packages))
    if evidence.reference not in loaded:
        return
    theirs = loaded.pop(evidence.reference)
    for name, ours in loaded.items():
        more = [package for package in ours if package not in theirs]
        less = [package for package in theirs if package not in ours]
        if not more and not less:
            continue
        words = [
            f"{what} {few_of(packages, MOST_NAMED)}" for what, packages in (("on", more), ("without", less)) if packages
        ]
        yield Confounder(
            code="runtimes-differ", severity=DOUBT, variants=(name,),
            text=f"{name} runs {' and '.join(words)}, unlike {evidence.reference}.",
            why="The difference may be what runs the model, and not the model.",
            mend=f"Add a variant of {evidence.reference} that is run like {name}: it shows what that does alone.",
        )  # fmt: skip


def _threads(evidence: Evidence) -> Iterator[Confounder]:
    differing = _differing(evidence, lambda about: about.threads)
    if differing:
        yield Confounder(
            code="threads-differ", severity=UNFAIR, variants=_all(*differing.values()),
            text=f"Not all launches had the same threads to work with: {_named(differing)}.",
            why="More threads are quicker or slower by themselves.",
            mend="Set them alike: in both runners' environment (OMP_NUM_THREADS), or by the same call in the script.",
        )  # fmt: skip


def _differing(evidence: Evidence, read: Callable[[LaunchAbout], Told | None]) -> dict[str, ByValue]:
    """Return what launches have several values of, by its name, where it is known."""
    values: dict[str, dict[str, set[str]]] = {}
    for launch in evidence.runs.launches.values():
        for name, value in (read(launch.about) or {}).items():
            if value is not None:
                values.setdefault(name, {}).setdefault(value, set()).add(launch.variant)
    return {name: by_value for name, by_value in values.items() if len(by_value) > 1}


def _named(differing: Mapping[str, ByValue]) -> str:
    return few_of([f"{name} ({_each(by_value)})" for name, by_value in differing.items()], MOST_NAMED)


def _each(by_value: ByValue, what: str = "") -> str:
    return ", ".join(f"{what}{value} for {' and '.join(sorted(of))}" for value, of in by_value.items())


def _all(*found: ByValue) -> tuple[str, ...]:
    return tuple(sorted(set().union(*(variants for by_value in found for variants in by_value.values()))))
