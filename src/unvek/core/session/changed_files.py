"""Files that are not what they were: weights, parts and scripts that changed under their name since an earlier run."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from unvek.core.logbook.reading import MadeOf
from unvek.core.logbook.store import Logbook
from unvek.core.plan.cells import Sources
from unvek.core.plan.digests import DigestCache
from unvek.core.plan.model import Plan, Variant
from unvek.core.units import few_of

WEIGHTS, PART, SCRIPT, MODULE = "weights", "part", "script", "module"
MOST_NAMED = 5


@dataclass(frozen=True, slots=True, kw_only=True)
class FileChange:
    """A file of a variant whose digest differs from the one that the variant's latest run was made with.

    within is the folder that is the model, where it is one; only in such a folder a file may be added (it was none
    before) or gone (it is none now).
    """

    variant: str
    what: str
    path: str
    within: str | None
    before: str | None
    now: str | None
    last_run: int
    last_started: str

    @property
    def how(self) -> str:
        return "added" if self.before is None else "gone" if self.now is None else "changed"


def changed_files(logbook: Logbook, plan: Plan, sources: Sources) -> tuple[FileChange, ...]:
    """Hold every file of the plan's variants against what their latest runs were made of, each file once."""
    seen: set[tuple[str, str | None]] = set()
    found = []
    with DigestCache() as digests:
        for variant in plan.variants:
            latest = logbook.latest_made_of(variant.name)
            if latest is None:
                continue
            modules = logbook.launch(latest.launch).about.modules or {}
            for change in _changes(variant, plan, sources, latest, modules, digests):
                if (change.path, change.before) not in seen:
                    seen.add((change.path, change.before))
                    found.append(change)
    return tuple(found)


def change_words(changes: Sequence[FileChange]) -> list[str]:
    """Say each change in a sentence; the files of one folder together, of which there may be hundreds."""
    together: dict[tuple[str, str], list[FileChange]] = {}
    for change in changes:
        together.setdefault((change.variant, change.within or change.path), []).append(change)
    return [_words(path, theirs) for (_, path), theirs in together.items()]


def _words(path: str, changes: Sequence[FileChange]) -> str:
    one = changes[0]
    what = "file" if one.within is None else "folder"
    said = (
        f"{Path(path).name} ({one.what} of {one.variant}) is not the {what} that run {one.last_run} was made with on "
        f"{one.last_started[:10]}: "
    )
    if one.within is None:
        return f"{said}its digest was {(one.before or '')[:12]}, and is {(one.now or '')[:12]} now."
    by_how: dict[str, list[str]] = {}
    for change in changes:
        by_how.setdefault(change.how, []).append(str(Path(change.path).relative_to(path)))
    return said + "; ".join(f"{how}: {few_of(names, MOST_NAMED)}" for how, names in by_how.items()) + "."


def _changes(
    variant: Variant, plan: Plan, sources: Sources, latest: MadeOf, modules: Mapping[str, str | None],
    digests: DigestCache,
) -> Iterator[FileChange]:  # fmt: skip
    def change(what: str, path: str, within: Path | None, before: str | None, now: str | None) -> FileChange:
        return FileChange(
            variant=variant.name, what=what, path=path, within=None if within is None else str(within), before=before,
            now=now, last_run=latest.run, last_started=latest.started_at,
        )  # fmt: skip

    made_of = latest.provenance.files or {}
    for what, models in ((WEIGHTS, variant.weights), (PART, tuple(variant.parts.values()))):
        for model in models:
            within = model if model in sources.folders else None
            now = sources.under(model)
            before = {
                path: was for path, was in made_of.items() if path == str(model) or Path(path).is_relative_to(model)
            }
            if before:  # it was the variant's then, too
                for path in sorted({*now, *(before if within is not None else ())}):
                    if before.get(path) != now.get(path) and (path in before or within is not None):
                        yield change(what, path, within, before.get(path), now.get(path))
    known = {**(latest.provenance.script or {}), **modules}
    scripts = {
        **{(SCRIPT, path): digest for path, digest in sources.of_runner(plan.runner_of(variant)).items()},
        **{(MODULE, path): digests.digest(Path(path)) for path in modules if Path(path).is_file()},
    }
    for (what, path), digest in scripts.items():
        if (was := known.get(path)) is not None and was != digest:
            yield change(what, path, None, was, digest)
