"""A place for outputs that a team shares, a folder or an object store: files by their digests, through fsspec.

Credentials are the store's own business: its library takes them from the environment, and nothing of them is kept.
"""

import os
import re
from collections.abc import Iterator
from contextlib import contextmanager
from hashlib import sha256
from pathlib import Path
from typing import Any
from uuid import uuid4

from unvek.core.errors import InputError, LogbookUnreachableError
from unvek.core.held_folder import open_plain
from unvek.core.plain_text import clean

DIGEST = re.compile(r"[0-9a-f]{64}")
PIECE = 2**20
LONGEST_WORDS = 300


class OutputStore:
    """The files at an address such as file:///srv/unvek or s3://bucket/prefix."""

    def __init__(self, url: str):
        """InputError where what it takes is not installed."""
        self.url = url
        self._files, self._root = _opened(url)

    def put(self, path: Path, digest: str, size: int) -> None:
        """Have a file be in the store when this returns; LogbookUnreachableError where it can't be."""
        key = self._key(digest)
        with self._telling("written to", ()):
            if self._size(key) == size:
                return
            if self._is_folder:
                Path(key).parent.mkdir(parents=True, exist_ok=True)
                _put_in_folder(path, Path(key))
            else:
                self._files.put_file(str(path), key)
            if self._size(key) != size:
                raise OSError(f"{key} is not of the size that was written")

    def fetch(self, digest: str, size: int, to: Path) -> None:
        """Put a file of the store in a place here, once it is known to be the one.

        FileNotFoundError where it is not there or not the one; LogbookUnreachableError where nobody can tell.
        """
        key, whole, left = self._key(digest), sha256(), size + 1
        to.parent.mkdir(parents=True, exist_ok=True)
        making = to.with_name(f".{uuid4().hex}")
        try:
            with self._telling("read"), self._files.open(key, "rb") as source, open(making, "xb") as target:
                while left > 0 and (piece := source.read(min(left, PIECE))):
                    target.write(piece)
                    whole.update(piece)
                    left -= len(piece)
            if whole.hexdigest() != digest:
                raise FileNotFoundError(f"{key} is not the output that was put there")
            making.replace(to)
        finally:
            making.unlink(missing_ok=True)

    def _key(self, digest: str) -> str:
        if not DIGEST.fullmatch(digest):
            raise FileNotFoundError("no digest of an output")
        return f"{self._root}/{digest[:2]}/{digest}"

    def _size(self, key: str) -> int | None:
        try:
            return int(self._files.info(key)["size"])
        except FileNotFoundError:
            return None

    @property
    def _is_folder(self) -> bool:
        return self.url.startswith("file://")

    @contextmanager
    def _telling(self, done: str, but: tuple[type[Exception], ...] = (FileNotFoundError,)) -> Iterator[None]:
        try:
            yield
        except but:
            raise
        except Exception as error:  # each store's library has errors of its own
            said = clean(f"{type(error).__name__}: {error}", LONGEST_WORDS)
            raise LogbookUnreachableError(f"the outputs' place {self.url} can't be {done} ({said})") from error


def _opened(url: str) -> tuple[Any, str]:
    try:
        import fsspec

        files, root = fsspec.url_to_fs(url, skip_instance_cache=True)
    except (ImportError, ValueError) as error:
        raise InputError(
            f"outputs at {url} want what their place takes: pip install 'unvek[team]', for s3:// 's3fs' too ({error})"
        ) from error
    return files, root.rstrip("/")


def _put_in_folder(path: Path, to: Path) -> None:
    """Copy a file, so that it is there whole or not at all, and on the disk."""
    making = to.with_name(f".{uuid4().hex}")
    try:
        with os.fdopen(open_plain(path), "rb") as source, open(making, "xb") as target:
            while piece := source.read(PIECE):
                target.write(piece)
            target.flush()
            os.fsync(target.fileno())
        making.replace(to)
    finally:
        making.unlink(missing_ok=True)
