"""What a model's process prints: it goes into a file, is kept within bounds there, and is read back as text."""

from pathlib import Path

from unvek.core.ask.secrets import Secrets

LARGEST_LOG_BYTES = 64 * 2**20
TAIL_BYTES = 8 * 2**10
TAIL_LINES = 40


class PrintedLog:
    """The log of one launch. The process appends to it; the engine only reads, and shortens it where it runs over."""

    def __init__(self, path: Path, secrets: Secrets | None = None):
        self.path = path
        self._secrets = secrets or Secrets(())
        self._start = 0

    def mark(self) -> None:
        """What is printed from here on belongs to the run that begins."""
        self._start = self._size()

    def tail(self) -> str:
        """Return the last lines printed since the mark."""
        size = self._size()
        start = max(min(self._start, size), size - TAIL_BYTES)
        try:
            with open(self.path, "rb") as file:
                file.seek(start)
                text = file.read(TAIL_BYTES).decode("utf-8", "replace")
        except OSError:
            return ""
        return self._secrets.hide_text("\n".join(text.splitlines()[-TAIL_LINES:]))

    def keep_within_bounds(self) -> None:
        """Empty the file if it has grown beyond all use; the process appends, so it simply goes on from the start."""
        if self._size() > LARGEST_LOG_BYTES:
            tail = self.tail()
            with open(self.path, "r+b") as file:
                file.truncate()
                file.write(
                    f"[more than {LARGEST_LOG_BYTES} bytes were printed; these were the last]\n{tail}\n".encode()
                )
            self._start = 0

    def _size(self) -> int:
        try:
            return self.path.stat().st_size
        except OSError:
            return 0
