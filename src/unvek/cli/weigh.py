"""unvek weigh FILE..."""

from contextlib import ExitStack
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from unvek.cli.options import as_option, logbook_option, tell

if TYPE_CHECKING:
    from unvek.core.evidence.evidence import Evidence
    from unvek.core.rig.room import Room

MOST_LENGTH, MOST_BITS = 10**7, 64.0


def _sized(ctx: click.Context, option: click.Parameter, given: str | None) -> int | None:
    from unvek.core.units import parse_bytes

    if given is None:
        return None
    try:
        size = parse_bytes(given)
    except ValueError as error:
        raise click.BadParameter(f"{given!r}; wanted {error}", ctx, option) from error
    if size <= 0:
        raise click.BadParameter(f"{given!r}; wanted more than nothing", ctx, option)
    return size


def _numbers(ctx: click.Context, option: click.Parameter, given: str | None) -> tuple[Any, ...]:
    """Return the numbers of a list such as 16,8,4; whole ones where the option is of tokens."""
    most = MOST_BITS if option.name == "bits" else MOST_LENGTH
    kind = float if option.name == "bits" else int
    try:
        numbers = tuple(kind(part) for part in given.split(",")) if given is not None else ()
    except ValueError:
        numbers = (0,)
    if not all(0 < number <= most for number in numbers) or len(numbers) > 12:
        raise click.BadParameter(f"{given!r}; wanted up to 12 numbers, such as {_EXAMPLES[kind]}", ctx, option)
    return numbers


_EXAMPLES: dict[type, str] = {float: "16,8,4.5", int: "512,4096"}


@click.command()
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path), metavar="FILE...")
@click.option("--fits", is_flag=True, help="Say what fits this machine, at which bits and lengths.")
@click.option("--room", callback=_sized, metavar="SIZE", help='What fits so much memory instead, such as "12 GiB".')
@click.option("--bits", callback=_numbers, metavar="N,N", help="The bits per weight to try, instead of the usual.")
@click.option("--tokens", callback=_numbers, metavar="N,N", help="The lengths to try, instead of parts of the longest.")
@click.option(
    "--packed", type=click.IntRange(1, 8), metavar="N", help="The bits of a code, where integers hold several untold."
)
@click.option("--no-digest", is_flag=True, help="Read nothing but the headers: large files take no time then.")
@logbook_option
@as_option
def weigh(
    files: tuple[Path, ...], fits: bool, room: int | None, bits: tuple[float, ...], tokens: tuple[int, ...],
    packed: int | None, no_digest: bool, where: str | None, how: str,
) -> None:  # fmt: skip
    """Say what is in weights, without loading them: parameters, precisions, true bits per weight; and what fits.

    FILE is a .safetensors, .gguf, .onnx or .npz file, an index of shards, or a folder with these. Bits per weight count
    every byte: scales and zero points, and what is left whole. Two files are held beside each other.

    --fits adds what the context takes, by layers, heads and length where the file or its folder tells, and the working
    memory that runs of such models took, where there are any in the logbook.

    \b
    Examples, in the demo's folder:
      unvek weigh models/bract-4bit.safetensors
      unvek weigh models/bract-full.safetensors models/bract-4bit.safetensors
      unvek weigh models/sprig-*.safetensors --room "512 MiB" --logbook cards
    """
    from unvek.core.findings.weights.looking import Asked, look_at_weights
    from unvek.core.plan.digests import DigestCache
    from unvek.show.results.weights import WEIGHTS
    from unvek.show.terminal.views import put

    wants_fit = fits or room is not None or bool(bits) or bool(tokens)
    asked = Asked(room=_room(room), bits=bits, lengths=tokens) if wants_fit else None
    with ExitStack() as stack:  # the logbook stays open until all is shown: its damage is told by it
        evidence = _evidence(stack, where) if wants_fit else None
        digests = None if no_digest else stack.enter_context(DigestCache(tell))
        put(look_at_weights(files, digests, packed, asked, evidence), WEIGHTS, how)


def _room(named: int | None) -> "Room":
    from unvek.core.rig.room import Room, machine_room
    from unvek.core.units import bytes_words

    return machine_room() if named is None else Room(words=bytes_words(named), bytes=named, free_bytes=None)


def _evidence(stack: ExitStack, where: str | None) -> "Evidence | None":
    """Return the runs of the logbook that is named or found from here; None where there is none, or no runs in it."""
    from unvek.cli.options import open_logbook
    from unvek.core.errors import InputError, LogbookError
    from unvek.core.evidence.gathering import Selection, gather
    from unvek.core.logbook.place import find_place

    try:
        find_place(Path.cwd())
    except LogbookError:
        if where is None:
            return None
    try:
        return gather(stack.enter_context(open_logbook(where)), Selection(across_rigs=True))
    except InputError:
        return None
