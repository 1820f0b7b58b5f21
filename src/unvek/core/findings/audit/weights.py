"""Weights that are not what they were: replaced under their name, in a file or in a model's folder."""

from collections.abc import Iterator, Mapping
from itertools import pairwise
from pathlib import Path

from unvek.core.evidence.evidence import Evidence
from unvek.core.findings.audit.confounder import DOUBT, NOTE, Confounder
from unvek.core.findings.audit.which_runs import MOST_NAMED
from unvek.core.plan.digests import DigestCache
from unvek.core.plan.model import Variant
from unvek.core.plan.model_folder import FolderError, files_of
from unvek.core.units import counted, few_of


def weights_changed(evidence: Evidence, planned: Mapping[str, Variant]) -> Iterator[Confounder]:
    """Look at every launch of the logbook: runs with other weights are of another cell, and left out by now."""
    known = {variant.name for variant in evidence.variants}
    seen: dict[tuple[str, str], dict[str, int]] = {}
    for launch in evidence.runs.every_launch:
        made_of = evidence.made_of.get(launch.number)
        files = made_of.files if made_of is not None and launch.variant in known else None
        for path, digest in (files or {}).items():
            seen.setdefault((launch.variant, path), {}).setdefault(digest, launch.number)
    replaced: dict[tuple[str, int, int], list[str]] = {}
    for (name, path), digests in seen.items():
        if len(digests) > 1:
            replaced.setdefault((name, max(digests.values()), len(digests)), []).append(Path(path).name)
    for (name, since, count), paths in replaced.items():
        were, they, names = ("was", "it has", "one name") if len(paths) == 1 else ("were", "they have", "their names")
        yield Confounder(
            code="weights-changed", severity=DOUBT, variants=(name,),
            text=f"{few_of(paths, MOST_NAMED)} of {name} {were} replaced before launch {since}: {they} had "
                 f"{counted(count, 'content')} under {names}.",
            why="Figures noted earlier under this name are of another model.",
            mend="Give new weights a new file name and variant; earlier runs count in nothing here.",
        )  # fmt: skip
    yield from _folders_changed(evidence, planned)


def _folders_changed(evidence: Evidence, planned: Mapping[str, Variant]) -> Iterator[Confounder]:
    """Look for files that came into a model's folder, or went, between its launches."""
    for name, variant in planned.items():
        made_of = [
            (launch.number, {Path(path) for path in known.files})
            for launch in evidence.runs.every_launch
            if launch.variant == name and (known := evidence.made_of.get(launch.number)) is not None and known.files
        ]
        for model in variant.models:
            listed = [(number, frozenset(p for p in files if p.is_relative_to(model))) for number, files in made_of]
            held = {number: files for number, files in listed if files}
            came_and_went = frozenset.union(*held.values()) - frozenset.intersection(*held.values()) if held else ()
            if came_and_went:
                since = next(after for before, after in pairwise(held) if held[before] != held[after])
                files = few_of(sorted(str(path.relative_to(model)) for path in came_and_went), MOST_NAMED)
                yield Confounder(
                    code="weights-changed", severity=DOUBT, variants=(name,),
                    text=f"Not every launch of {name} found the same files in {model.name}: {files} came or went, "
                         f"first before launch {since}.",
                    why="Figures noted earlier under this name are of another model.",
                    mend="Give a new model a new folder and variant; earlier runs count in nothing here.",
                )  # fmt: skip


def weights_replaced(evidence: Evidence, digests: DigestCache) -> Iterator[Confounder]:
    latest: dict[str, Mapping[str, str]] = {}
    for number, launch in sorted(evidence.runs.launches.items()):
        made_of = evidence.made_of.get(number)
        latest[launch.variant] = (made_of.files if made_of is not None else None) or {}
    planned = {variant.name: variant for variant in evidence.plan.variants}
    for name, files in latest.items():
        models = planned[name].models if name in planned else ()
        replaced = [
            *(
                Path(path).name
                for path, was in files.items()
                if Path(path).is_file() and digests.digest(Path(path)) != was
            ),
            *(path.name for model in models if model.is_dir() for path in _came_and_went(model, set(map(Path, files)))),
        ]
        if replaced:
            verb, them = ("is", "the file") if len(replaced) == 1 else ("are", "the files")
            yield Confounder(
                code="weights-replaced", severity=NOTE, variants=(name,),
                text=f"{few_of(replaced, MOST_NAMED)} of {name} {verb} not {them} any more that these runs were made "
                     "with.",
                why="The figures here are of what it was before.",
                mend="Run the plan again: what the change touches is made anew.",
            )  # fmt: skip


def _came_and_went(folder: Path, known: set[Path]) -> list[Path]:
    """Return which files a model's folder has got or lost since it had those known."""
    then = {path for path in known if path.is_relative_to(folder)}
    try:
        return sorted(then.symmetric_difference(files_of(folder))) if then else []
    except (OSError, FolderError):
        return sorted(then)
