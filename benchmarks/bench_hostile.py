"""Does a hostile server make the process that reads it grow? Each answer is tried, and the most that was held is shown.

The promise is 64 MiB on top of what the process holds when it has read an ordinary answer.
"""

import os
import socket
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import psutil
from common import UNVEK, result

PROMISED_BYTES = 64 * 2**20
LASTS_S = 4
HEAD = b"HTTP/1.1 200 OK\r\nContent-Type: text/event-stream\r\n"
MESSAGE = b'data: {"pieces": [{"text": "%s"}]}\n\n'


def for_a_while(piece: bytes) -> Iterator[bytes]:
    until_s = time.monotonic() + 2 * LASTS_S
    while time.monotonic() < until_s:
        yield piece


ANSWERS = {
    "ordinary": lambda: [HEAD + b"\r\n", MESSAGE % b"a card"],
    "a line without end": lambda: for_a_while_after(HEAD + b"\r\n", b"x" * 2**20),
    "10 MB in one event": lambda: [HEAD + b"\r\n", MESSAGE % (b"z" * 10_000_000)],
    "an event of endless lines": lambda: for_a_while_after(HEAD + b"\r\n", b"data: x\n" * 2**16),
    "tokens without end": lambda: for_a_while_after(HEAD + b"\r\n", MESSAGE % b"on and on " * 1000),
    "comments without end": lambda: for_a_while_after(HEAD + b"\r\n", b": still here\n" * 2**15),
    "large texts without end": lambda: for_a_while_after(HEAD + b"\r\n", MESSAGE % (b"z" * 900_000)),
    "headers without end": lambda: for_a_while_after(HEAD, b"X-Y: " + b"y" * 60_000 + b"\r\n"),
    "nested a million deep": lambda: [HEAD + b"\r\n", b"data: " + b"[" * 1_000_000 + b"\n\n", MESSAGE % b"ok"],
    "a chunk of 2**59 bytes": lambda: for_a_while_after(
        HEAD + b"Transfer-Encoding: chunked\r\n\r\n800000000000000\r\n", b"x" * 2**20
    ),
    "a refusal without end": lambda: for_a_while_after(b"HTTP/1.1 500 No\r\n\r\n", b"x" * 2**20),
}
PLAN = """
[schedule]
rounds = 1
repeats = 1
warmups = 0
[limits]
run = "{limit} s"
stall = "2 s"
[runners.server]
kind = "stream"
url = "http://127.0.0.1:{port}/"
text = "/pieces/0/text"
[[variants]]
name = "v"
[[tasks]]
name = "t"
prompt = "p"
"""


def for_a_while_after(head: bytes, piece: bytes) -> Iterator[bytes]:
    yield head
    yield from for_a_while(piece)


def main() -> None:
    print(
        f"the most that the reading process held, beyond an ordinary answer; promised: {PROMISED_BYTES / 2**20:.0f} MiB"
    )
    usual, worst = 0, 0
    for name, answer in ANSWERS.items():
        with tempfile.TemporaryDirectory() as folder:
            held, row, took_s = measure(Path(folder), answer)
        usual = usual or held
        worst = max(worst, held - usual)
        print(f"   {name:<28} {max(0, held - usual) / 2**20:6.1f} MiB   {row['status']} after {took_s:.1f} s")
    sys.exit(worst > PROMISED_BYTES)


def measure(folder: Path, answer) -> tuple[int, dict, float]:
    with socket.create_server(("127.0.0.1", 0)) as listening:
        threading.Thread(target=serve, args=(listening, answer), daemon=True).start()
        port = listening.getsockname()[1]
        (folder / "plan.toml").write_text(PLAN.format(port=port, limit=LASTS_S))
        began_s = time.monotonic()
        running = subprocess.Popen([*UNVEK, "run", "--plain"], cwd=folder, stderr=subprocess.DEVNULL)
        held = 0
        while running.poll() is None:
            try:
                held = max(
                    [held, *(child.memory_info().rss for child in psutil.Process(running.pid).children(recursive=True))]
                )
            except psutil.Error:
                pass
            time.sleep(0.005)
        took_s = time.monotonic() - began_s
    return held, result(folder, "log")["rows"][0], took_s


def serve(listening: socket.socket, answer) -> None:
    connection, _ = listening.accept()
    with connection:
        try:
            connection.recv(65536)
            for piece in answer():
                connection.sendall(piece)
        except OSError:
            pass  # hung up on


if __name__ == "__main__":
    os.environ["NO_COLOR"] = "1"
    main()
