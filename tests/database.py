"""A PostgreSQL server of the tests' own: a cluster in a temporary folder, under a user without rights."""

import atexit
import contextlib
import os
import pwd
import shutil
import signal
import socket
import subprocess
import tempfile
import time
import unittest
from collections.abc import Iterator
from contextlib import contextmanager
from itertools import count
from pathlib import Path

import psutil

NO_SERVER = "no PostgreSQL server on this machine (Debian: postgresql)"
_number = count(1)


def _programs() -> Path | None:
    """Return the folder of the server's programs: of the newest version that is installed."""
    found = [path.parent for path in Path("/usr/lib/postgresql").glob("*/bin/initdb")]
    on_path = shutil.which("initdb")
    found += [Path(os.path.realpath(on_path)).parent] if on_path else []
    return max(
        found, key=lambda path: [int(part) for part in path.parent.name.split(".") if part.isdecimal()], default=None
    )


def _user() -> str | None:
    """Return who the server is to run as: it refuses to run as root."""
    if os.geteuid() != 0:
        return None
    names = {entry.pw_name for entry in pwd.getpwall()}
    return next(name for name in ("postgres", "nobody") if name in names)


class Server:
    """A server that listens on a socket in its folder, and on a port of the loopback."""

    def __init__(self) -> None:
        programs = _programs()
        if programs is None:
            raise unittest.SkipTest(NO_SERVER)
        self._programs, self._as = programs, _user()
        self.folder = Path(tempfile.mkdtemp(prefix="unvek-server-", dir="/tmp"))
        atexit.register(self.remove)
        if self._as is not None:
            shutil.chown(self.folder, self._as)
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port: int = free.getsockname()[1]
        self._run(
            "initdb",
            "--pgdata=data",
            "--no-sync",
            "--auth=trust",
            "--username=unvek",
            "--encoding=UTF8",
            "--locale=C.UTF-8",
        )
        self.start()

    def start(self) -> None:
        settings = [
            "-k",
            str(self.folder),
            "-p",
            str(self.port),
            "-c",
            "listen_addresses=127.0.0.1",
            "-c",
            "shared_buffers=64MB",
            "-c",
            "fsync=off",
            "-c",
            "full_page_writes=off",
        ]
        with open(self.folder / "said.log", "ab") as said:
            self._process = subprocess.Popen(
                [self._programs / "postgres", "-D", "data", *settings], cwd=self.folder, user=self._as, stdout=said,
                stderr=subprocess.STDOUT, extra_groups=[] if self._as else None,
            )  # fmt: skip
        for _ in range(600):
            if self._run("pg_isready", "-h", str(self.folder), "-p", str(self.port), check=False) == 0:
                return
            if self._process.poll() is not None:
                break
            time.sleep(0.05)
        raise RuntimeError((self.folder / "said.log").read_text(errors="replace"))

    def stop(self) -> None:
        """Stop at once, as a server does that is shut down: whoever is connected is cut off."""
        self._process.send_signal(signal.SIGINT)
        self._process.wait(60)

    def freeze(self) -> None:
        """Have it stop without a word, with all its processes."""
        for process in self._family():
            process.suspend()

    def thaw(self) -> None:
        for process in self._family():
            process.resume()

    def _family(self) -> list[psutil.Process]:
        whole = psutil.Process(self._process.pid)
        return [whole, *whole.children(recursive=True)]

    def remove(self) -> None:
        with contextlib.suppress(AttributeError, ProcessLookupError):
            self._process.send_signal(signal.SIGQUIT)
            self._process.wait(60)
        shutil.rmtree(self.folder, ignore_errors=True)

    def new_database(self) -> str:
        """Make an empty database and return its name."""
        name = f"nursery{next(_number)}"
        self.sql("postgres", f"CREATE DATABASE {name}")
        return name

    def address(self, database: str, role: str = "unvek") -> str:
        return f"postgresql://{role}@127.0.0.1:{self.port}/{database}"

    def small_disk(self, size: str) -> Path:
        """Return a disk of that size that the server can write to; the test is skipped where none can be made."""
        disk = self.folder / "disk"
        disk.mkdir()
        mounted = subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={size}", "tmpfs", disk], capture_output=True)
        if mounted.returncode:
            raise unittest.SkipTest("no small disk can be mounted here")
        if self._as is not None:
            shutil.chown(disk, self._as)
        return disk

    def sql(self, database: str, *statements: str) -> str:
        """Run statements as the server's owner, and return what they give."""
        words = [part for statement in statements for part in ("-c", statement)]
        command = [
            "psql",
            "-X",
            "-q",
            "-A",
            "-t",
            "-v",
            "ON_ERROR_STOP=1",
            "-h",
            str(self.folder),
            "-p",
            str(self.port),
        ]
        found = subprocess.run(
            [self._programs / command[0], *command[1:], "-U", "unvek", "-d", database, *words],
            check=True, capture_output=True, text=True,
        )  # fmt: skip
        return found.stdout.strip()

    def tool(self, program: str, *words: str) -> None:
        """Run one of the server's own programs, as whoever runs the tests."""
        subprocess.run([self._programs / program, *words], check=True, capture_output=True)

    def _run(self, program: str, *words: str, check: bool = True) -> int:
        done = subprocess.run(
            [self._programs / program, *words], cwd=self.folder, user=self._as, capture_output=True, text=True,
            extra_groups=[] if self._as else None,
        )  # fmt: skip
        if check and done.returncode:
            raise RuntimeError(done.stdout + done.stderr)
        return done.returncode


_server: list[Server] = []


def server() -> Server:
    """Return this process's server, started when it is asked for first; the test is skipped where there is none."""
    if not _server:
        _server.append(Server())
    return _server[0]


@contextmanager
def stopped(which: Server) -> Iterator[None]:
    """Have the server down meanwhile."""
    which.stop()
    try:
        yield
    finally:
        which.start()
