"""Runs a model script beside the engine: python worker.py REQUESTS_FD WAKE_FD RING_FD SCRIPT.

Requests come as JSON lines on a pipe, events go as JSON lines through shared memory; what the script prints goes
where this process's standard output and error go, the launch's log. Standard library only, Python 3.8 and later.
"""

import ctypes
import faulthandler
import importlib.util
import json
import os
import platform
import signal
import sys
import traceback
from pathlib import Path
from time import monotonic_ns, process_time
from types import ModuleType, SimpleNamespace

EVENTS_VERSION = 1
LONGEST_ERROR = 2000
LONGEST_LINE = 120


def main() -> None:
    requests_fd, wake_fd, ring_fd = (int(argument) for argument in sys.argv[1:4])
    script = Path(sys.argv[4])
    die_with_parent()
    for fd in (requests_fd, wake_fd, ring_fd):
        os.set_inheritable(fd, False)  # what the script starts must not hold the pipes open
    faulthandler.enable()  # a crash in C leaves its Python stack in the log
    for stream in (sys.stdout, sys.stderr):
        stream.reconfigure(line_buffering=True, errors="backslashreplace")
    probe_module = imported(Path(__file__).with_name("probe.py"), "_unvek_probe")
    own_folder = str(Path(__file__).parent)
    sys.path[:] = [str(script.parent)] + [entry for entry in sys.path if entry != own_folder]
    sys.argv[:] = [str(script)]
    libraries = imported(Path(__file__).with_name("libraries.py"), "_unvek_libraries").ThreadsOfLibraries()
    packages = imported(Path(__file__).with_name("packages.py"), "_unvek_packages").LoadedPackages(script, libraries)
    Worker(requests_fd, probe_module.EventRing(ring_fd, wake_fd), probe_module.Probe, packages, script).serve()


class Worker:
    def __init__(self, requests_fd, ring, probe_class, packages, script: Path):
        self._requests = os.fdopen(requests_fd, "rb")
        self._ring = ring
        self._probe_class = probe_class
        self._packages = packages
        self._script = script
        self._module = None
        self._model = None

    def serve(self) -> None:
        self._tell(
            {
                "event": "ready",
                "at_ns": monotonic_ns(),
                "version": EVENTS_VERSION,
                "pid": os.getpid(),
                "python": platform.python_version(),
                "implementation": platform.python_implementation(),
            }
        )
        for line in iter(self._requests.readline, b""):
            request = json.loads(line)
            if request["do"] == "load":
                self._load(request["variant"])
            elif request["do"] == "run":
                self._run(request["job"])
            else:
                return

    def _load(self, variant: dict) -> None:
        began_ns = monotonic_ns()
        before_bytes = None
        try:
            self._module = imported(self._script, self._script.stem)
            for name in ("load", "run"):
                if not callable(getattr(self._module, name, None)):
                    raise AttributeError("%s has no function %s()" % (self._script.name, name))
            variant["weights"] = [Path(path) for path in variant["weights"]]
            variant["parts"] = {name: Path(path) for name, path in variant["parts"].items()}
            before_bytes = memory_bytes("VmRSS:")
            self._model = self._module.load(SimpleNamespace(**variant))
            error, out_of_memory = None, False
        except BaseException as caught:  # the script may raise anything, SystemExit too
            error, out_of_memory = told(caught, self._script.parent), is_want_of_memory(caught)
        ended_ns = monotonic_ns()
        flush_prints()
        self._tell_packages()
        self._tell(
            {
                "event": "loaded",
                "at_ns": ended_ns,
                "began_ns": began_ns,
                "error": error,
                "out_of_memory": out_of_memory,
                "memory_before_bytes": before_bytes,
            }
        )

    def _run(self, job: dict) -> None:
        job["inputs"] = [Path(path) for path in job["inputs"]]
        job["out"] = Path(job["out"])
        probe = self._probe_class(self._ring, job["out"], job.pop("keeps_previews", False))
        forget_peak_memory()
        cpu_s = cpu_time_s()
        error, status = None, "finished"
        self._tell({"event": "began", "at_ns": monotonic_ns()})
        try:
            self._module.run(self._model, SimpleNamespace(**job), probe)
            if probe.sync is not None:
                probe.sync()
        except BaseException as caught:
            error = told(caught, self._script.parent)
            status = "out-of-memory" if is_want_of_memory(caught) else "failed"
        ended_ns = monotonic_ns()
        flush_prints()
        self._tell_packages()
        self._tell(
            {
                "event": "ended",
                "at_ns": ended_ns,
                "status": status,
                "error": error,
                "cpu_s": round(cpu_time_s() - cpu_s, 6),
                "memory_peak_bytes": peak_memory_bytes(),
            }
        )

    def _tell_packages(self) -> None:
        """Say what has been imported, where that is more than was said before."""
        found = self._packages.news()
        if found is not None:
            self._tell(dict(found, event="packages", at_ns=monotonic_ns()))

    def _tell(self, event: dict) -> None:
        self._ring.put((json.dumps(event) + "\n").encode())
        if event["event"] not in ("began", "packages"):
            self._ring.wake()


def imported(path: Path, name: str) -> ModuleType:
    """Import a file as a module of this name, so that nothing of the user's can stand in its way."""
    spec = importlib.util.spec_from_file_location(name, str(path))
    module = importlib.util.module_from_spec(spec)
    sys.modules[name] = module
    spec.loader.exec_module(module)
    return module


def told(error: BaseException, folder: Path) -> str:
    """Leave the traceback in the log, and return one line for the record: where in the script's folder, and what."""
    try:
        traceback.print_exception(type(error), error, error.__traceback__)
        said = ("%s: %s" % (type(error).__name__, error)).splitlines()[0][:LONGEST_ERROR]
        return in_its_place(said, error, folder)
    except Exception:  # an exception whose own text raises
        return type(error).__name__


def in_its_place(said: str, error: BaseException, folder: Path) -> str:
    """Put the place in the user's own files that led to an error around its words: file, line and the line itself."""
    if isinstance(error, SyntaxError) and error.filename is not None and Path(error.filename).parent == folder:
        return "%s:%s: %s" % (Path(error.filename).name, error.lineno, said)
    own = [frame for frame in traceback.extract_tb(error.__traceback__) if Path(frame.filename).parent == folder]
    if not own:
        return said
    line = own[-1].line or ""  # what the script raises itself says all that there is
    line = "" if not line or line.startswith("raise ") else "  in: %s" % line[:LONGEST_LINE]
    return "%s:%s: %s%s" % (Path(own[-1].filename).name, own[-1].lineno, said, line)


def is_want_of_memory(error: BaseException) -> bool:
    """Whether memory ran out, the processor's or an accelerator's: libraries for these name theirs like this."""
    return isinstance(error, MemoryError) or type(error).__name__ == "OutOfMemoryError"


def flush_prints() -> None:
    """Bring what was printed, from Python and from C, into the log before the run is over."""
    try:
        sys.stdout.flush()
        sys.stderr.flush()
        ctypes.CDLL(None).fflush(None)
    except (OSError, ValueError, AttributeError):
        pass  # the script closed its streams, or this C library has no such call: the log is then later, not wrong


def die_with_parent() -> None:
    """On Linux, end at once if the engine is killed, even in the middle of a run."""
    if sys.platform == "linux":
        PR_SET_PDEATHSIG = 1
        ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGKILL)


def forget_peak_memory() -> None:
    """Start the kernel's high-water mark of resident memory anew (proc(5), clear_refs, since Linux 4.0)."""
    try:
        with open("/proc/self/clear_refs", "w") as file:
            file.write("5")
    except OSError:
        pass  # elsewhere the mark stands for the whole process


def memory_bytes(which: str):
    """What the system says that this process holds, "VmRSS:" now or "VmHWM:" at most; None where it doesn't."""
    try:
        with open("/proc/self/status") as file:
            return next((int(line.split()[1]) * 1024 for line in file if line.startswith(which)), None)
    except OSError:
        return None


def peak_memory_bytes():
    peak = memory_bytes("VmHWM:")
    if peak is not None:
        return peak
    try:
        import resource
    except ImportError:
        return None
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    return peak if sys.platform == "darwin" else peak * 1024


def cpu_time_s() -> float:
    children = os.times()
    return process_time() + children.children_user + children.children_system


if __name__ == "__main__":
    main()
