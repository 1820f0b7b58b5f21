""".npz: a zip archive of arrays, each with a header of its own; well-known libraries read both, within our bounds."""

import zipfile
import zlib
from pathlib import Path
from typing import IO, Any

from unvek.core.weights.formats.contents import Contents, Tensor, WeightsError, check_count, checked_shape

FORMAT = "npz"
LONGEST_LIST = 2 * 2**20  # bytes of what an archive says of its members: 20,000 arrays and more
LONGEST_HEADER = 10_000  # of an array
ENDING = ".npy"
ARRAYS = {1: "read_array_header_1_0", 2: "read_array_header_2_0"}


class _Bounded:
    """A file that gives no more at once than what is told of an archive, or of an array, may be long."""

    def __init__(self, file: IO[bytes], most_bytes: int):
        self._file, self._most_bytes = file, most_bytes

    def read(self, count: int = -1) -> bytes:
        if count > self._most_bytes:
            raise WeightsError(f"it says of itself that what it holds takes {count} bytes to tell")
        return self._file.read(count if count >= 0 else self._most_bytes)

    def __getattr__(self, name: str) -> Any:
        return getattr(self._file, name)


def read_npz(path: Path) -> Contents:
    """Read an archive's arrays' headers. WeightsError says why it is none; OSError where it can't be opened."""
    try:
        with open(path, "rb") as file, zipfile.ZipFile(_Bounded(file, LONGEST_LIST)) as archive:
            members = archive.infolist()
            check_count(len(members))
            tensors = tuple(_tensor(archive, member) for member in members if member.filename.endswith(ENDING))
    except (zipfile.BadZipFile, zipfile.LargeZipFile, NotImplementedError, RuntimeError, EOFError) as error:
        raise WeightsError(f"it is no archive that can be read: {error}") from error
    except (ValueError, OverflowError, zlib.error) as error:
        raise WeightsError(f"an array in it can't be read: {error}") from error
    if not tensors:
        raise WeightsError("there is no array in it")
    if len({tensor.name for tensor in tensors}) < len(tensors):
        raise WeightsError("an array is in it twice")
    return Contents(format=FORMAT, tensors=tensors)


def _header(name: str, file: _Bounded) -> tuple[Any, Any]:
    """Return an array's shape and type. Its header is a piece of Python, of which anything may go wrong to parse."""
    import warnings

    from numpy.lib import format as arrays  # here: who weighs other files needs no numbers

    with warnings.catch_warnings():
        warnings.simplefilter("error")  # what is read with a doubt is not read
        version = arrays.read_magic(file)
        if version[0] not in ARRAYS:
            raise WeightsError(f"the array {name[:80]!r} is of version {version[0]}; wanted 1 or 2")
        try:
            shape, _, dtype = getattr(arrays, ARRAYS[version[0]])(file, max_header_size=LONGEST_HEADER)
        except (WeightsError, OSError):
            raise
        except Exception as error:
            raise WeightsError(f"the array {name[:80]!r} has a header that can't be read: {str(error)[:80]}") from error
    return shape, dtype


def _tensor(archive: zipfile.ZipFile, member: zipfile.ZipInfo) -> Tensor:
    name = member.filename.removesuffix(ENDING)
    if member.compress_type not in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED):
        raise WeightsError(f"the array {name[:80]!r} is compressed in a way that arrays are not")
    with archive.open(member) as opened:
        file = _Bounded(opened, LONGEST_HEADER)
        shape, dtype = _header(name, file)
        header_bytes = file.tell()
    if dtype.hasobject or dtype.fields is not None:
        raise WeightsError(f"the array {name[:80]!r} holds objects, not numbers")
    tensor = Tensor(name, dtype.name, 8 * dtype.itemsize, checked_shape(name, shape), 0)
    size_bytes = tensor.elements * dtype.itemsize
    if member.file_size != header_bytes + size_bytes:
        raise WeightsError(
            f"the array {name[:80]!r} is not whole: {member.file_size - header_bytes} bytes of {size_bytes}"
        )
    return Tensor(name, tensor.precision, tensor.bits, tensor.shape, size_bytes)
