"""What only a look at files can tell: replaced weights, outputs that are not what they were, or differ in size."""

from collections.abc import Callable, Iterator

from unvek.core.evidence.evidence import Evidence
from unvek.core.evidence.outputs.pictures import Pictures
from unvek.core.evidence.outputs.source import KeptOutputs, OutputError
from unvek.core.evidence.outputs.sources import changed_outputs
from unvek.core.evidence.poor_outputs import poor_outputs
from unvek.core.findings.audit.confounder import DOUBT, UNFAIR, Confounder
from unvek.core.findings.audit.moving import frame_findings
from unvek.core.findings.audit.put_out import poor_findings
from unvek.core.findings.audit.weights import weights_replaced
from unvek.core.findings.audit.which_runs import MOST_NAMED
from unvek.core.logbook.store import Logbook
from unvek.core.plan.digests import DigestCache
from unvek.core.units import counted, few_of


def file_findings(logbook: Logbook, evidence: Evidence, tell: Callable[[str], None] | None = None) -> list[Confounder]:
    """Look at the files that the variants were made of, and at their outputs; `tell` hears of long readings."""
    with DigestCache(tell) as digests:
        return [
            *weights_replaced(evidence, digests),
            *_changed_outputs(logbook, evidence, digests),
            *_picture_sizes(logbook, evidence),
            *_poor_pictures(logbook, evidence),
            *frame_findings(logbook, evidence),
        ]


def _changed_outputs(logbook: Logbook, evidence: Evidence, digests: DigestCache) -> Iterator[Confounder]:
    """Hold every output against the digest that it was kept with: one that was changed is used by no measure."""
    changed: dict[str, list[int]] = {}
    for run in changed_outputs(logbook, evidence.runs, digests):
        changed.setdefault(evidence.runs.variant_name(run), []).append(run)
    for name, runs in changed.items():
        yield Confounder(
            code="outputs-changed", severity=DOUBT, variants=(name,),
            text=f"Of {name} the outputs of {counted(len(runs), 'run')} are not the files any more that the runs made, "
                 f"or are gone: {few_of(runs, MOST_NAMED)}.",
            why="They are measured and shown nowhere; what was worked out before is of the files as they were.",
            mend="Put the files back; or void those runs with 'unvek void' and run the plan again.",
        )  # fmt: skip


def _picture_sizes(logbook: Logbook, evidence: Evidence) -> Iterator[Confounder]:
    """Hold the sizes of the pictures of each item against the reference's; one a variant and item is looked at."""
    pictures = Pictures(KeptOutputs.of(logbook, with_texts=False))
    sizes: dict[tuple[str, int], tuple[int, int]] = {}
    for run in sorted(run for run in pictures.runs if run in evidence.runs):
        key = (evidence.runs.variant_name(run), evidence.runs.item_of(run))
        if key not in sizes:
            try:
                sizes[key] = pictures.size(run)
            except OutputError:
                continue  # no picture, or one that is not the run's own any more
    for known in evidence.variants:
        for (name, item), size in sizes.items():
            theirs = sizes.get((evidence.reference, item))
            if name == known.name and theirs and size != theirs:
                yield Confounder(
                    code="picture-sizes-differ", severity=UNFAIR, variants=(name,),
                    text=f"{name} makes pictures of {size[0]} x {size[1]}, {evidence.reference} of "
                         f"{theirs[0]} x {theirs[1]}.",
                    why="What makes less is quicker for that alone, and a likeness can't be taken.",
                    mend="Set the size on the tasks, alike for all; or read time.per.megapixel.",
                )  # fmt: skip
                break


def _poor_pictures(logbook: Logbook, evidence: Evidence) -> Iterator[Confounder]:
    """What is known only of pictures that are opened, or of so many outputs that nobody waits for it elsewhere."""
    known = {(one.variant, one.sort, one.what) for one in evidence.poor}
    found = poor_outputs(logbook, evidence, open_pictures=True)
    yield from poor_findings(one for one in found if (one.variant, one.sort, one.what) not in known)
