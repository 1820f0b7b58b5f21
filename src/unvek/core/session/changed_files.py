"""Files that are not what they were: weights, parts and scripts that changed under their name since an earlier run."""

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from unvek.core.logbook.store import Logbook
from unvek.core.plan.cells import Sources
from unvek.core.plan.digests import DigestCache
from unvek.core.plan.model import Plan

WEIGHTS, PART, SCRIPT, MODULE = "weights", "part", "script", "module"


@dataclass(frozen=True, slots=True, kw_only=True)
class FileChange:
    """A file of a variant whose digest differs from the one that the variant's latest run was made with."""

    variant: str
    what: str
    path: str
    before: str
    now: str
    last_run: int
    last_started: str

    @property
    def words(self) -> str:
        return (
            f"{Path(self.path).name} ({self.what} of {self.variant}) is not the file that run {self.last_run} was made "
            f"with on {self.last_started[:10]}: its digest was {self.before[:12]}, and is {self.now[:12]} now."
        )


def changed_files(logbook: Logbook, plan: Plan, sources: Sources) -> tuple[FileChange, ...]:
    """Hold every file of the plan's variants against what their latest runs were made of, each file once."""
    seen: set[tuple[str, str]] = set()
    found = []
    with DigestCache() as digests:
        for change in _changes(logbook, plan, sources, digests):
            if (change.path, change.before) not in seen:
                seen.add((change.path, change.before))
                found.append(change)
    return tuple(found)


def _changes(logbook: Logbook, plan: Plan, sources: Sources, digests: DigestCache) -> Iterator[FileChange]:
    for variant in plan.variants:
        latest = logbook.latest_made_of(variant.name)
        if latest is None:
            continue
        before = latest.provenance
        modules = logbook.launch(latest.launch).about.modules or {}
        now = {
            **{(WEIGHTS, str(path)): sources.files[path] for path in variant.weights},
            **{(PART, str(path)): sources.files[path] for path in variant.parts.values()},
            **{(SCRIPT, path): digest for path, digest in sources.of_runner(plan.runner_of(variant)).items()},
            **{(MODULE, path): digests.digest(Path(path)) for path in modules if Path(path).is_file()},
        }
        known = {**(before.files or {}), **(before.script or {}), **modules}
        for (what, path), digest in now.items():
            if path in known and (was := known[path]) is not None and was != digest:
                yield FileChange(
                    variant=variant.name, what=what, path=path, before=was, now=digest,
                    last_run=latest.run, last_started=latest.started_at,
                )  # fmt: skip
