"""Weights, drawn: what is in each file, how two differ, and a grid of what fits."""

from collections.abc import Iterator, Mapping, Sequence
from pathlib import PurePath
from typing import Any

from rich.console import Console
from rich.text import Text

from unvek.core.digits import column_scale
from unvek.core.findings.weights.found import Foretold, Need, WeightsFound
from unvek.core.plain_text import clean
from unvek.core.rig.room import Room
from unvek.core.units import bytes_words, counted, few_of
from unvek.core.weights.beside import Beside
from unvek.core.weights.weighing import PrecisionShare, WeighedFile
from unvek.show.terminal.console import faint
from unvek.show.terminal.figures import UNKNOWN, warning_text
from unvek.show.terminal.grid import Column, StripColumn, print_grid, told_of
from unvek.show.terminal.views import View

MOST_NAMED, MOST_METADATA = 4, 12
LONGEST_VALUE = 60
FITS, TIGHT = "fits", "perhaps"


def print_weights(out: Console, found: WeightsFound) -> None:
    if len(found.files) == 1:
        _print_one(out, found.files[0])
    else:
        print_grid(out, weights_columns(found), StripColumn("size", lambda width: _sizes(found.files, width)))
    if len(found.files) == 2:
        _print_beside(out, found.beside[0], found.files[0])
    if found.room is not None and found.needs:
        _print_needs(out, found, found.room)
    if found.foretold:
        _print_foretold(out, found.foretold)
    if found.notes:
        out.print()
        for note in found.notes:
            out.print(faint(clean(note)))


# ---- what is in them ----


def _print_one(out: Console, file: WeighedFile) -> None:
    out.print(Text.assemble((clean(PurePath(file.path).name), "bold"), ": ", _in_words(file)))
    if file.is_quantized and file.whole:
        share = 100 * file.whole_parameters / file.parameters
        out.print(Text(f"Left whole: {share:.2g} % of the weights, in {clean(few_of(file.whole, MOST_NAMED))}."))
    out.print()
    print_grid(out, _precision_columns(file.precisions, file.data_bytes))
    out.print()
    for name, value in _facts(file):
        out.print(Text.assemble((f"{name:<14}", "dim"), clean(value)), no_wrap=True, overflow="ellipsis")


def _in_words(file: WeighedFile) -> str:
    if file.bits_per_weight is None:
        return "no weights are in it."
    counts = ", scales and zero points counted" if file.is_quantized else ""
    return (f"{_parameters(file.parameters)} parameters in {bytes_words(file.data_bytes)}, "
            f"{_bits(file.bits_per_weight)} bits per weight{counts}.")  # fmt: skip


def _facts(file: WeighedFile) -> Iterator[tuple[str, str]]:
    files = f", {counted(file.files, 'file')}" if file.files > 1 else ""
    yield "format", f"{file.format}, {counted(file.tensors, 'tensor')}, {bytes_words(file.bytes)}{files}"
    if file.digest is not None:
        yield "digest", file.digest
    if file.context is not None:
        context = file.context
        longest = f", for {context.longest} tokens at most" if context.longest is not None else ""
        yield "context", (f"{counted(context.layers, 'layer')}, {bytes_words(context.bytes_per_token)} "
                          f"a token{longest}")  # fmt: skip
    for name, value in list(file.metadata.items())[:MOST_METADATA]:
        short = value if len(value) <= LONGEST_VALUE else f"{value[:LONGEST_VALUE]}..."
        yield clean(name), short
    if len(file.metadata) > MOST_METADATA:
        yield "", f"and {len(file.metadata) - MOST_METADATA} more; --as json has them all"


def _precision_columns(shares: Sequence[PrecisionShare], data_bytes: int) -> list[Column]:
    names = Column("precision", numeric=False, keep=10)
    columns = [
        names, Column("parameters"), Column("of all", "%"), Column("matrices", keep=4), Column("size"),
        Column("of all", "%", keep=3), Column("bits", "per weight"),
    ]  # fmt: skip
    parameters = sum(share.parameters for share in shares) or 1
    scale = column_scale("B", ((float(share.bytes), None, None) for share in shares))
    columns[4].unit = scale.unit
    for share in shares:
        cells = (
            clean(share.name), f"{share.parameters:,}", _percent(share.parameters / parameters), str(share.matrices),
            scale.words(share.bytes), _percent(share.bytes / (data_bytes or 1)),
            _bits(8 * share.bytes / share.parameters) if share.parameters else UNKNOWN,
        )  # fmt: skip
        for column, cell in zip(columns, cells, strict=True):
            column.add(cell)
    return columns


def weights_columns(found: WeightsFound) -> list[Column]:
    names = Column("weights", numeric=False, keep=10)
    columns = [
        names, Column("size", keep=8), Column("parameters", keep=6), Column("bits", "per weight", keep=9),
        Column("kept as", numeric=False, keep=5), Column("format", numeric=False, keep=2),
        Column("digest", numeric=False, keep=1),
    ]  # fmt: skip
    scale = column_scale("B", ((float(file.data_bytes), None, None) for file in found.files))
    columns[1].unit = scale.unit
    for path, file in zip(_short_names(found.files), found.files, strict=True):
        cells = (
            clean(path), scale.words(file.data_bytes), f"{file.parameters:,}",
            UNKNOWN if file.bits_per_weight is None else _bits(file.bits_per_weight), _kept_as(file), file.format,
            (file.digest or UNKNOWN)[:12],
        )  # fmt: skip
        for column, cell in zip(columns, cells, strict=True):
            column.add(cell)
    return told_of(columns)


def _short_names(files: Sequence[WeighedFile]) -> list[str]:
    """Return the files' names; with the folder where two have the same name."""
    names = [PurePath(file.path).name for file in files]
    return names if len(set(names)) == len(names) else [file.path for file in files]


def _kept_as(file: WeighedFile) -> str:
    """Word the precisions, the largest share first: "4-bit 82 %, 8-bit 17 %"."""
    if len(file.precisions) == 1:
        return clean(file.precisions[0].name)
    shares = [f"{clean(one.name)} {_percent(one.parameters / (file.parameters or 1))} %" for one in file.precisions[:3]]
    return ", ".join(shares) + (", ..." if len(file.precisions) > 3 else "")


def _sizes(files: Sequence[WeighedFile], width: int) -> tuple[Text, list[Text]]:
    """Draw a bar a file, from nothing on."""
    most = max(file.data_bytes for file in files) or 1
    words = bytes_words(most)
    scale = Text("0" + words.rjust(width - 1), style="dim")
    return scale, [Text("━" * max(1, round(width * file.data_bytes / most))) for file in files]


# ---- beside each other ----


def _print_beside(out: Console, pair: Beside, first: WeighedFile) -> None:
    names = [clean(PurePath(path).name) for path in (pair.second, pair.first)]
    if names[0] == names[1]:
        names = [clean(pair.second), clean(pair.first)]
    saved = abs(pair.saved_bytes)
    share = f" ({100 * saved / first.data_bytes:.0f} %)" if first.data_bytes else ""
    how = "saves" if pair.saved_bytes > 0 else "takes" if pair.saved_bytes < 0 else "takes as much as"
    amount = f" {bytes_words(saved)}{share}{'' if pair.saved_bytes > 0 else ' more'}" if saved else ""
    out.print()
    out.print(Text(f"Beside {names[1]}, {names[0]} {how}{amount or ' it'}."))
    if pair.changes:
        out.print()
        print_grid(out, _change_columns(pair))
    out.print()
    for words in _beside_words(pair, names[1], names[0]):
        out.print(Text(words))


def _beside_words(pair: Beside, first: str, second: str) -> Iterator[str]:
    if pair.same:
        yield f"{_matrices(pair.same)} as before."
    for what, which in (
        (f"in {first} alone", pair.first_alone), (f"in {second} alone", pair.second_alone),
        ("of another size", pair.other_size),
    ):  # fmt: skip
        if which:
            yield f"{_matrices(len(which))} {what}: {clean(few_of(which, MOST_NAMED))}."


def _change_columns(pair: Beside) -> list[Column]:
    columns = [
        Column("from", numeric=False, keep=9), Column("to", numeric=False, keep=10), Column("matrices"),
        Column("parameters"), Column("was"), Column("is", keep=7), Column("saves", keep=8),
        Column("such as", numeric=False, keep=1),
    ]  # fmt: skip
    sizes = (one for change in pair.changes for one in (change.before_bytes, change.now_bytes))
    scale = column_scale("B", ((float(size), None, None) for size in sizes))
    for column in columns[4:7]:
        column.unit = scale.unit
    for change in pair.changes:
        cells = (
            clean(change.before), clean(change.now), str(change.matrices), f"{change.parameters:,}",
            scale.words(change.before_bytes), scale.words(change.now_bytes),
            scale.words(change.before_bytes - change.now_bytes), clean(change.names[0])[:40],
        )  # fmt: skip
        for column, cell in zip(columns, cells, strict=True):
            column.add(cell)
    return columns


# ---- what fits ----


def _print_needs(out: Console, found: WeightsFound, room: Room) -> None:
    """One file at several bits and lengths; of several a row each, or a grid each where bits were asked for."""
    rows = {file.path: found.of_file(file.path) for file in found.files}
    free = "" if room.free_bytes is None else f" ({bytes_words(room.free_bytes)} free now)"
    heading = f"In {clean(room.words)}{free}, by length:"
    out.print()
    out.print(Text(heading))
    names = dict(zip(rows, _short_names(found.files), strict=True))
    out.print()
    print_grid(
        out, needs_columns([(clean(names[path]), need) for path, needs in rows.items() for need in needs.values()])
    )


def needs_columns(rows: Sequence[tuple[str, tuple[Need, ...]]]) -> list[Column]:
    """Return a row for a file's bits, with what is needed at each length."""
    names, bits = Column("weights", numeric=False, keep=10), Column("bits", "per weight", keep=9)
    scale = column_scale("B", ((float(needs[0].weights_bytes), None, None) for _, needs in rows))
    weights, kept = Column("size", scale.unit, keep=5), Column("", numeric=False, keep=4, whole_name="what is supposed")
    lengths = [
        Column("needs" if need.length is None else f"at {need.length:,} tokens", numeric=False, keep=8)
        for need in rows[0][1]
    ]
    before = None
    for name, needs in rows:
        names.add(name if name != before else "")
        before = name
        bits.add(_bits(needs[0].bits))
        kept.add("" if needs[0].is_as_it_is else "supposed")
        weights.add(scale.words(needs[0].weights_bytes))
        for column, need in zip(lengths, needs, strict=True):
            column.add(_need_text(need))
    return told_of([names, bits, kept, weights, *lengths])


def _need_text(need: Need) -> Text:
    needed = bytes_words(need.needed_bytes)
    if need.fits is None:
        return Text(f"{needed}  {TIGHT}")
    if need.fits:
        return Text(f"{needed}  {FITS}")
    layers = f", {counted(need.over_layers, 'layer')}" if need.over_layers is not None else ""
    return Text(f"{needed}  ") + warning_text(f"spills {bytes_words(need.over_bytes)}{layers}")


def _print_foretold(out: Console, found: Sequence[Foretold]) -> None:
    """Say how far the same forecast would have been off for what has run, made from the others' runs alone."""
    off = [abs(one.off) for one in found]
    out.print()
    ran = "1 of these has run. Foretold" if len(found) == 1 else f"{len(found)} of these have run. Foretold"
    most = "it is off by" if len(found) == 1 else "they are off by at most"
    out.print(Text(f"How far off is that? {ran} from the others' runs alone {most} {_percent(max(off))} %:"))
    out.print()
    print_grid(out, _foretold_columns(found))


def _foretold_columns(found: Sequence[Foretold]) -> list[Column]:
    names, off = Column("variant", numeric=False, keep=10), Column("off by", "%", keep=9)
    ends = [(one.foretold_bytes, one.low_bytes, one.high_bytes) for one in found]
    scale = column_scale("B", [*ends, *((one.measured_bytes, None, None) for one in found)])
    foretold, measured = Column("foretold", scale.unit, keep=8), Column(found[0].measure, scale.unit, keep=8)
    reach, inside = Column("from, to", scale.unit, keep=5), Column("", numeric=False, keep=4)
    for one in found:
        names.add(clean(one.variant))
        foretold.add(scale.words(one.foretold_bytes))
        reach.add(f"{scale.words(one.low_bytes)} to {scale.words(one.high_bytes)}")
        measured.add(scale.words(one.measured_bytes))
        off.add(f"{100 * one.off:+.1f}")
        inside.add("" if one.low_bytes <= one.measured_bytes <= one.high_bytes else "outside")
    return told_of([names, foretold, reach, measured, off, inside])


# ---- figures ----


def _parameters(count: int) -> str:
    for size, name in ((10**9, "billion"), (10**6, "million")):
        if count >= size:
            return f"{count / size:.3g} {name}"
    return f"{count:,}"


def _bits(bits: float) -> str:
    return f"{bits:.2f}"


def _percent(share: float) -> str:
    return f"{100 * share:.0f}" if share >= 0.095 else f"{100 * share:.2g}" if share >= 0.0005 else "<0.1"


def _matrices(count: int) -> str:
    return f"{count} {'matrix' if count == 1 else 'matrices'}"


def weights_records(found: WeightsFound) -> list[Mapping[str, Any]]:
    """A row a file; where it was asked what fits a row a file, bits and length."""
    if found.needs:
        return [{
            "path": need.path, "bits_per_weight": need.bits, "as_it_is": need.is_as_it_is, "length": need.length,
            "weights_bytes": need.weights_bytes, "context_bytes": need.context_bytes,
            "working_bytes": need.working_bytes, "program_bytes": need.program_bytes,
            "needed_bytes": need.needed_bytes, "room_bytes": need.room_bytes, "over_bytes": need.over_bytes,
            "fits": need.fits,
        } for need in found.needs]  # fmt: skip
    return [{
        "path": file.path, "format": file.format, "bytes": file.bytes, "data_bytes": file.data_bytes,
        "digest": file.digest, "tensors": file.tensors, "parameters": file.parameters,
        "bits_per_weight": file.bits_per_weight, "kept_as": _kept_as(file),
    } for file in found.files]  # fmt: skip


WEIGHTS = View(print_weights, weights_columns, weights_records)
