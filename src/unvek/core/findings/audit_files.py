"""What only a look at files can tell: weights replaced since the runs, and outputs of different sizes."""

from collections.abc import Callable, Iterator, Mapping
from pathlib import Path

from unvek.core.findings.confounder import NOTE, UNFAIR, Confounder
from unvek.core.findings.evidence import Evidence
from unvek.core.findings.kept_outputs import Pictures, picture_size
from unvek.core.logbook.store import Logbook
from unvek.core.plan.digests import DigestCache


def file_findings(logbook: Logbook, evidence: Evidence, tell: Callable[[str], None] | None = None) -> list[Confounder]:
    """Look at the files that the variants were made of, and at their pictures; `tell` hears of long readings."""
    return [*_replaced(evidence, tell), *_picture_sizes(logbook, evidence)]


def _replaced(evidence: Evidence, tell: Callable[[str], None] | None) -> Iterator[Confounder]:
    latest: dict[str, Mapping[str, str]] = {}
    for number, launch in sorted(evidence.launches.items()):
        latest[launch["variant"]] = evidence.made_of.get(number, {}).get("files") or {}
    with DigestCache(tell) as digests:
        for name, files in latest.items():
            for path, digest in files.items():
                if Path(path).is_file() and digests.digest(Path(path)) != digest:
                    yield Confounder(
                        code="weights-replaced", severity=NOTE, variants=(name,),
                        text=f"{Path(path).name} of {name} is not the file any more that these runs were made with.",
                        why="The figures here are of what it was before.",
                        mend="Run the plan again: what the change touches is made anew.",
                    )  # fmt: skip


def _picture_sizes(logbook: Logbook, evidence: Evidence) -> Iterator[Confounder]:
    """Hold the sizes of the pictures of each item against the reference's; one a variant and item is looked at."""
    pictures, sizes = Pictures(logbook), {}
    for row, item in zip(evidence.rows, evidence.item.tolist(), strict=True):
        key = (row["variant"], item)
        path = pictures.path(row["number"]) if key not in sizes else None
        if path is not None:
            sizes[key] = picture_size(path)
    for variant in evidence.variants:
        for (name, item), size in sizes.items():
            theirs = sizes.get((evidence.reference, item))
            if name == variant.name and size and theirs and size != theirs:
                yield Confounder(
                    code="picture-sizes-differ", severity=UNFAIR, variants=(name,),
                    text=f"{name} makes pictures of {size[0]} x {size[1]}, {evidence.reference} of "
                         f"{theirs[0]} x {theirs[1]}.",
                    why="What makes less is quicker for that alone, and a likeness can't be taken.",
                    mend="Set the size on the tasks, alike for all; or read time.per.megapixel.",
                )  # fmt: skip
                break
