"""What the variants are made of and run with: everything that differs besides what is compared."""

from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.audit.confounder import DOUBT, NOTE, UNFAIR, Confounder
from unvek.core.findings.audit.processes import process_findings
from unvek.core.findings.audit.weights import weights_changed
from unvek.core.plan.model import Variant
from unvek.core.rig.facts import differences
from unvek.core.run.events.record import Provenance

# Settings that decide how much is made: a run that makes less is quicker for that alone.
OF_LENGTH = frozenset(
    ("width", "height", "frames", "seconds", "length", "size", "resolution", "batch", "most", "tokens", "most_tokens")
)
STEPS = "steps"
FLOATS = frozenset(("fp64", "fp32", "tf32", "fp16", "bf16", "fp8"))  # what numbers are computed in, by usual names


def making_findings(evidence: Evidence) -> Iterator[Confounder]:
    yield from _settings(evidence)
    yield from _parts(evidence)
    yield from _runners(evidence)
    yield from _environments(evidence)
    yield from weights_changed(evidence, _planned(evidence))
    yield from process_findings(evidence)
    yield from _precisions(evidence)
    yield from between_rigs(evidence)


def _planned(evidence: Evidence) -> dict[str, Variant]:
    """The variants in the evidence, as the plan has them; the reference first."""
    known = {variant.name: variant for variant in evidence.plan.variants}
    names = [evidence.reference, *(v.name for v in evidence.variants if v.name != evidence.reference)]
    return {name: known[name] for name in names if name in known}


def _settings(evidence: Evidence) -> Iterator[Confounder]:
    variants = _planned(evidence)
    reference = variants.get(evidence.reference)
    if reference is None:
        return
    theirs, varied = reference.settings, evidence.plan.vary
    differing: dict[tuple[str, str], list[str]] = {}
    for name, variant in variants.items():
        ours = variant.settings
        keys = [key for key in {**theirs, **ours} if ours.get(key) != theirs.get(key) and key not in varied]
        if len(keys) == 1 and _is_same_model(variant, reference):
            continue  # that setting is what is compared
        for key in keys:
            differing.setdefault((key, _shown(ours.get(key))), []).append(name)
    for (key, value), names in differing.items():
        yield _setting(names, evidence.reference, key, value, _shown(theirs.get(key)))


def _is_same_model(variant: Variant, reference: Variant) -> bool:
    return (variant.weights, variant.parts, variant.runner) == (reference.weights, reference.parts, reference.runner)


def _setting(names: Sequence[str], reference: str, key: str, ours: str, theirs: str) -> Confounder:
    verb = "is" if len(names) == 1 else "are"
    words = f"{', '.join(names)} {verb} run with {key} {ours}, {reference} with {key} {theirs}."
    if key == STEPS:
        return Confounder(
            code="steps-differ", severity=NOTE, variants=tuple(names), text=words,
            why="A part of any speed-up is then fewer steps, and not faster ones.",
            mend="Read the split in 'unvek compare'; or vary steps, to see both at each count.",
        )  # fmt: skip
    if key in OF_LENGTH:
        return Confounder(
            code="sizes-differ", severity=UNFAIR, variants=tuple(names), text=words,
            why="What makes less is quicker for that alone.",
            mend=f"Set {key} on the tasks, not on the variants; or read the time per token, frame or megapixel.",
        )  # fmt: skip
    return Confounder(
        code="settings-differ", severity=DOUBT, variants=tuple(names), text=words,
        why="The difference may come from that setting and not from the model.",
        mend=f"Add a variant of {reference} with {key} {ours}, to see what the setting does alone.",
    )  # fmt: skip


def _precisions(evidence: Evidence) -> Iterator[Confounder]:
    """What is computed in, where the form is another one, too: bits of weights are the form's, and compared."""
    variants = _planned(evidence)
    reference = variants.get(evidence.reference)
    if reference is None or reference.precision not in FLOATS:
        return
    for name, variant in variants.items():
        are_two_things = variant.form != reference.form and variant.precision != reference.precision
        if are_two_things and variant.precision in FLOATS:
            yield Confounder(
                code="precisions-differ", severity=DOUBT, variants=(name,),
                text=f"{name} is {variant.form} and computes in {variant.precision}, {evidence.reference} in "
                     f"{reference.precision}.",
                why="Two things are changed at once: the difference may be the precision's.",
                mend=f"Add a variant of {evidence.reference} in {variant.precision}.",
            )  # fmt: skip


def _parts(evidence: Evidence) -> Iterator[Confounder]:
    latest = _latest_made_of(evidence)
    made_of = {
        name: _parts_made_of(variant, latest[name].files or {} if name in latest else {})
        for name, variant in _planned(evidence).items()
    }
    theirs = made_of.get(evidence.reference, {})
    for name, ours in made_of.items():
        for part in dict.fromkeys((*theirs, *ours)):
            if ours.get(part) != theirs.get(part):
                whose = "another" if part in ours and part in theirs else "a" if part in ours else "no"
                yield Confounder(
                    code="parts-differ", severity=UNFAIR, variants=(name,),
                    text=f"{name} has {whose} {part} than {evidence.reference}." if whose == "another"
                    else f"{name} has {whose} {part} of its own, unlike {evidence.reference}.",
                    why="Two things are changed at once: the difference may be that part's.",
                    mend=f"Give both the same {part}; or add a variant that differs in nothing else.",
                )  # fmt: skip


def _parts_made_of(variant: Variant, files: Mapping[str, str]) -> dict[str, str]:
    return {part: _content(path, files) for part, path in variant.parts.items()}


def _content(path: Path, files: Mapping[str, str]) -> str:
    """Return what tells the content of a file, or of a folder, from another: where it lies says nothing."""
    within = {
        str(Path(name).relative_to(path)): digest for name, digest in files.items() if Path(name).is_relative_to(path)
    }
    return files.get(str(path)) or (str(sorted(within.items())) if within else str(path))


def _latest_made_of(evidence: Evidence) -> dict[str, Provenance]:
    """Return what each variant's latest launch was made of, of those that it is known of: not where nothing loaded."""
    known = {number: made for number, made in evidence.made_of.items() if made != Provenance()}
    launches = sorted(evidence.runs.launches.items())
    return {launch.variant: known[number] for number, launch in launches if number in known}


def _runners(evidence: Evidence) -> Iterator[Confounder]:
    latest = _latest_made_of(evidence)
    if evidence.reference not in latest:
        return
    reference = latest[evidence.reference]
    for name, made_of in latest.items():
        ours, theirs = made_of.total_includes_load, reference.total_includes_load
        if ours is not None and theirs is not None and ours != theirs:
            yield Confounder(
                code="load-counted", severity=UNFAIR, variants=(name,),
                text=f"The time of {name} has the load in it, that of {evidence.reference} has not." if ours
                else f"The time of {evidence.reference} has the load in it, that of {name} has not.",
                why="One is timed from a cold start, the other after it.",
                mend="Run both by the same kind of runner; or compare step.time, or the rate of tokens.",
            )  # fmt: skip
        if made_of.runner and reference.runner and made_of.runner != reference.runner:
            yield Confounder(
                code="runners-differ", severity=DOUBT, variants=(name,),
                text=f"{name} is run by the runner {made_of.runner}, {evidence.reference} by {reference.runner}.",
                why="How a model is asked takes time of its own.",
                mend="Run both by the same kind of runner.",
            )  # fmt: skip
        elif _scripts(made_of) != _scripts(reference):
            yield Confounder(
                code="scripts-differ", severity=DOUBT, variants=(name,),
                text=f"{name} is not run by the same script as {evidence.reference}.",
                why="The difference may be the script's and not the model's.",
                mend="Let one script run both, with what differs as a setting.",
            )  # fmt: skip


def _scripts(made_of: Provenance) -> list[str]:
    return sorted((made_of.script or {}).values())


def _environments(evidence: Evidence) -> Iterator[Confounder]:
    """What runners put into the environment; settings of threads are looked at as the processes had them."""
    threads = {name for launch in evidence.runs.launches.values() for name in launch.about.threads or {}}
    latest = _latest_made_of(evidence)
    given = {name: made.environment for name, made in latest.items() if made.environment is not None}
    if evidence.reference not in given:
        return
    theirs = given.pop(evidence.reference)
    for name, ours in given.items():
        for key in dict.fromkeys((*theirs, *ours)):
            if ours.get(key) != theirs.get(key) and key not in threads:
                yield Confounder(
                    code="environments-differ", severity=DOUBT, variants=(name,),
                    text=f"{name} is run with {key} {_shown(ours.get(key))} in its environment, {evidence.reference} "
                         f"with {_shown(theirs.get(key))}.",
                    why="What a library finds in its environment can change its speed and its outputs.",
                    mend=f"Give both runners the same {key}; or let that be the only thing that differs.",
                )  # fmt: skip


def between_rigs(evidence: Evidence) -> Iterator[Confounder]:
    """Yield that machines differ, and in what, where runs of several are taken together."""
    by_rig: dict[str, set[str]] = {}
    for launch in evidence.runs.launches.values():
        by_rig.setdefault(launch.rig, set()).add(launch.variant)
    if len(by_rig) < 2 or evidence.by_rig:
        return
    names = {rig: evidence.runs.machines.get(rig) or rig[:8] for rig in by_rig}
    names = {rig: name if list(names.values()).count(name) == 1 else f"{name} {rig[:8]}" for rig, name in names.items()}
    differing = differences({names[rig]: evidence.rigs.get(rig, {}) for rig in by_rig})
    named = "; ".join(f"{names[rig]} for {', '.join(sorted(of))}" for rig, of in by_rig.items())
    # Machines that have names are each paired with themselves: where all have the same variants, none is wronged.
    is_fair = set(by_rig) <= set(evidence.runs.machines) and len({frozenset(of) for of in by_rig.values()}) == 1
    what = f"which differ in {'; '.join(differing)}" if differing else "which differ in their names alone"
    yield Confounder(
        code="rigs-differ", severity=NOTE if is_fair else UNFAIR,
        variants=tuple(sorted(set().union(*by_rig.values()))),
        text=f"These runs were made on {len(by_rig)} rigs, {what}: {named}.",
        why="Each is held against the reference on the same machine; how much machines differ is another question."
        if is_fair
        else "The difference may be the machines' or their systems', and not the variants'.",
        mend="'unvek compare --by rig' has a row for each machine."
        if is_fair
        else "Make the missing runs on one machine, with 'unvek run'.",
    )  # fmt: skip


def _shown(value: Any) -> str:
    return "not set" if value is None else str(value)
