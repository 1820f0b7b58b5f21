"""Which file is of which format, and which files a folder or an index stands for."""

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import msgspec

from unvek.core.weights.formats.bounded import check_plain
from unvek.core.weights.formats.contents import Contents, WeightsError, check_count
from unvek.core.weights.formats.gguf import MAGIC, read_gguf
from unvek.core.weights.formats.npz import read_npz
from unvek.core.weights.formats.onnx import read_onnx
from unvek.core.weights.formats.safetensors import read_safetensors

INDEX_ENDING = ".index.json"  # of a file that says in which of several files each tensor is
CONFIG = "config.json"  # in a folder that is a model: how it is built
LONGEST_INDEX, LONGEST_CONFIG = 12 * 2**20, 2**20
MOST_FILES = 2000
MOST_OTHER_KEYS = 1000  # of an index, beside those of tensors
ENDINGS: Mapping[str, Callable[[Path], Contents]] = {
    ".safetensors": read_safetensors, ".gguf": read_gguf, ".onnx": read_onnx, ".npz": read_npz,
}  # fmt: skip
PICKLED = (".pt", ".pth", ".bin", ".ckpt", ".pkl")
WANTED = "wanted a .safetensors, .gguf, .onnx or .npz file, an index of shards, or a folder with these"


class _Index(msgspec.Struct):
    weight_map: dict[str, str]


@dataclass(frozen=True, slots=True, kw_only=True)
class Read:
    """What a path stands for: its files with what each holds, as one model; and files in it that are no part of it."""

    path: Path
    parts: Mapping[Path, Contents]
    left_out: tuple[Path, ...] = ()

    @property
    def contents(self) -> Contents:
        """All of it together."""
        parts = list(self.parts.values())
        if len(parts) == 1:
            return parts[0]
        return replace(
            parts[0],
            tensors=tuple(tensor for part in parts for tensor in part.tensors),
            metadata=_merged(part.metadata for part in parts),
            packed=_merged(part.packed for part in parts),
            beside=_merged(part.beside for part in parts),
            settings=_merged(part.settings for part in parts),
        )

    @property
    def files(self) -> tuple[Path, ...]:
        """Every file that the model is in, those with the data of a graph too."""
        return tuple(
            file
            for path, part in self.parts.items()
            for file in (path, *(path.parent / name for name in part.elsewhere))
        )


def _merged(several: Any) -> dict[str, Any]:
    return {key: value for one in several for key, value in one.items()}


def read_model(path: Path) -> Read:
    """Read the headers of what a path stands for. WeightsError names the file and says why it can't be read."""
    try:
        if path.is_dir():
            found = _of_folder(path)
        elif path.name.endswith(INDEX_ENDING):
            found = Read(path=path, parts=_shards(path))
        else:
            found = Read(path=path, parts={path: _read(path)})
    except OSError as error:
        raise WeightsError(f"{error.filename or path}: {error.strerror or error}") from error
    check_count(sum(len(part.tensors) for part in found.parts.values()))
    return _with_config(found, path if path.is_dir() else path.parent)


def _read(path: Path) -> Contents:
    """Read one file by what it begins with; its ending counts where that tells nothing."""
    try:
        check_plain(path)
        with open(path, "rb") as file:
            beginning = file.read(16)
        return _reader_of(path, beginning)(path)
    except WeightsError as error:
        raise WeightsError(f"{path}: {error}") from error


def _reader_of(path: Path, beginning: bytes) -> Callable[[Path], Contents]:
    ending = path.suffix.lower()
    if ending in PICKLED:
        raise WeightsError("opening such a file may run what is in it, so it is not opened; save it as .safetensors")
    if beginning[:4] == MAGIC:
        return read_gguf
    if beginning[:2] == b"PK":
        return read_npz
    if beginning[8:9] == b"{":
        return read_safetensors
    if ending not in ENDINGS:
        raise WeightsError(f"it is no weights file that is known; {WANTED}")
    return ENDINGS[ending]


# ---- several files that are one model ----


def _of_folder(folder: Path) -> Read:
    """Read what weights a folder holds, and the folders in it: by their indices, or files of one format."""
    files = _files_in(folder)
    indices = [path for path in files if path.name.endswith(INDEX_ENDING)]
    parts: dict[Path, Contents] = {}
    for index in indices:
        parts.update(_shards(index))
    indexed = {path.parent for path in indices}
    weights = [path for path in files if path.suffix.lower() in ENDINGS]
    parts.update((path, _read(path)) for path in weights if path.parent not in indexed)
    left_out = tuple(path for path in weights if path not in parts)
    if not parts:
        raise WeightsError(f"{folder}: there are no weights in it; {WANTED}")
    for at in {path.parent for path in parts}:
        _check_one_model(at, {path: part for path, part in parts.items() if path.parent == at})
    return Read(path=folder, parts=_qualified(folder, parts), left_out=left_out)


def _files_in(folder: Path) -> list[Path]:
    from unvek.core.plan.model_folder import FolderError, files_of

    try:
        return list(files_of(folder))
    except FolderError as error:
        raise WeightsError(f"{folder} is {error}") from error


def _check_one_model(folder: Path, parts: Mapping[Path, Contents]) -> None:
    """Refuse files in one folder that are the same model several times over: their sum is no model's."""
    formats = {part.format for part in parts.values()}
    names: dict[str, Path] = {}
    for path, part in parts.items():
        for tensor in part.tensors:
            other = names.setdefault(tensor.name, path)
            if other != path:
                raise WeightsError(f"{folder}: {other.name} and {path.name} both have {tensor.name[:80]!r}, so they "
                                   "are not parts of one model; name the one to be weighed")  # fmt: skip
    if len(formats) > 1:
        raise WeightsError(f"{folder}: it has files of {' and '.join(sorted(formats))}; name the one to be weighed")


def _qualified(folder: Path, parts: Mapping[Path, Contents]) -> dict[Path, Contents]:
    """Put the folder before the names of tensors where a model has several folders: each may have a first layer."""
    if len({path.parent for path in parts}) == 1:
        return dict(parts)
    return {path: _under(str(path.parent.relative_to(folder)), part) for path, part in parts.items()}


def _under(place: str, part: Contents) -> Contents:
    def named(name: str) -> str:
        return f"{place}/{name}"

    return replace(
        part,
        tensors=tuple(replace(tensor, name=named(tensor.name)) for tensor in part.tensors),
        packed={named(name): one for name, one in part.packed.items()},
        beside={named(name): named(one) for name, one in part.beside.items()},
    )


def _shards(index: Path) -> dict[Path, Contents]:
    """Read the files that an index names, and see that each tensor is where it says."""
    told = _index(index)
    if not told:
        raise WeightsError(f"{index}: it says of no tensor in which file it is")
    names = sorted(set(told.values()))
    if len(names) > MOST_FILES:
        raise WeightsError(f"{index}: it names {len(names)} files; at most {MOST_FILES} can be looked at")
    parts = {}
    for name in names:
        if "/" in name or "\\" in name or "\0" in name or name in ("", ".", ".."):
            raise WeightsError(f"{index}: it names {name[:80]!r}, which is no file beside it")
        if not (index.parent / name).is_file():
            raise WeightsError(f"{index}: it names {name[:80]}, which is not there")
        parts[index.parent / name] = _read(index.parent / name)
    there = {tensor.name: path.name for path, part in parts.items() for tensor in part.tensors}
    wrong = next((name for name, file in told.items() if there.get(name) != file), None)
    if wrong is not None:
        raise WeightsError(f"{index}: it says that {wrong[:80]!r} is in {told[wrong][:80]}, and it is not")
    return parts


def _index(path: Path) -> Mapping[str, str]:
    """Return in which file an index says that each tensor is."""
    data = _bytes_of(path, LONGEST_INDEX)
    check_count(data.count(b":") - MOST_OTHER_KEYS)
    try:
        return msgspec.json.decode(data, type=_Index).weight_map
    except (msgspec.MsgspecError, ValueError, RecursionError) as error:
        raise WeightsError(f"{path}: it is no index of shards: {str(error)[:100]}") from error


def _with_config(read: Read, folder: Path) -> Read:
    """Add what a model's folder says of how it is built, unless the file says so itself."""
    path = folder / CONFIG
    if not path.is_file():
        return read
    try:
        config = _json(path, LONGEST_CONFIG)
    except WeightsError:
        return read  # somebody else's, then: weights are weighed without
    parts = {file: replace(part, settings={**config, **part.settings}) for file, part in read.parts.items()}
    return replace(read, parts=parts)


def _bytes_of(path: Path, longest: int) -> bytes:
    check_plain(path)
    with open(path, "rb") as file:
        data = file.read(longest + 1)
    if len(data) > longest:
        raise WeightsError(f"{path}: it is longer than {longest // 2**20} MiB")
    return data


def _json(path: Path, longest: int) -> Mapping[str, Any]:
    try:
        found = json.loads(_bytes_of(path, longest))
    except (ValueError, RecursionError) as error:
        raise WeightsError(f"{path}: it is no JSON: {str(error)[:100]}") from error
    if not isinstance(found, dict):
        raise WeightsError(f"{path}: it is no JSON object")
    return found
