"""A small server around sprig that streams its cards: a stand-in for the servers that large models run behind.

    python card_server.py --port 8099 --workers 2 models/sprig-full.safetensors

POST /cards answers with an event stream, POST /lines with one JSON value a line; both take a JSON object:
{"ask": "a care card for Tamberwort: light, water", "most": 200, "seed": 1, "temperature": 0}. Each worker is a process
that answers one request at a time; whoever comes while all are busy waits.

"fault" in the request orders one: "slow" (nothing for two seconds), "cut" (the connection is closed in the middle),
"busy" (429), "busy once" (429, and a card when asked again), "broken" (500), "endless" (the same words for ever).
Standard library and NumPy only.
"""

import argparse
import json
import os
import signal
import socket
import time
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, HTTPServer
from itertools import chain, repeat
from pathlib import Path

import sprig

LARGEST_REQUEST = 64 * 1024
SLOW_S = 2.0
BUSY_FOR_S = 1


class Handler(BaseHTTPRequestHandler):
    """Answers one request."""

    protocol_version = "HTTP/1.1"
    disable_nagle_algorithm = True  # each character is sent when it is there
    model: sprig.Sprig
    refused: set[str]

    def do_GET(self):
        self.reply(200, {"model": "sprig"})

    def do_POST(self):
        self.close_connection = True  # so that another client's turn comes
        try:
            length = int(self.headers.get("Content-Length", "0"))
            wish = json.loads(self.rfile.read(min(length, LARGEST_REQUEST)))
            prompt, seed = str(wish["ask"]), int(wish.get("seed", 0))
            most, temperature = int(wish.get("most", sprig.LONGEST)), float(wish.get("temperature", 0))
            question = sprig.asked(*sprig.parse_prompt(prompt))
        except (ValueError, KeyError, TypeError, AttributeError) as error:
            self.reply(400, {"error": f"this can't be answered: {error}"})
            return
        fault = str(wish.get("fault", ""))
        if fault == "broken":
            self.reply(500, {"error": "the pen broke"})
        elif fault == "busy" or (fault == "busy once" and self.is_first(f"{prompt} {seed}")):
            self.reply(429, {"error": "all pens are busy"}, {"Retry-After": str(BUSY_FOR_S)})
        elif self.path in ("/cards", "/lines"):
            card = self.model.write(prompt, seed, temperature, most)
            self.stream(card if fault != "endless" else chain.from_iterable(repeat("water it. ")), fault, len(question))
        else:
            self.reply(404, {"error": "there are /cards and /lines"})

    def is_first(self, asked: str) -> bool:
        """Whether this was not asked before: a file tells, since workers share no memory."""
        try:
            os.close(os.open(self.server.folder / f"{hash(asked) & 0xFFFFFFFF:08x}", os.O_CREAT | os.O_EXCL))
        except FileExistsError:
            return False
        return True

    def reply(self, status: int, content: dict, headers: dict[str, str] | None = None):
        body = json.dumps(content).encode()
        self.send_response(status)
        for name, value in {
            "Content-Type": "application/json",
            "Content-Length": str(len(body)),
            **(headers or {}),
        }.items():
            self.send_header(name, value)
        self.end_headers()
        self.wfile.write(body)

    def stream(self, card: Iterator[str], fault: str, tokens_in: int):
        if fault == "slow":
            time.sleep(SLOW_S)
        as_events = self.path == "/cards"
        self.send_response(200)
        self.send_header("Content-Type", "text/event-stream" if as_events else "application/x-ndjson")
        self.send_header("Transfer-Encoding", "chunked")
        self.end_headers()
        frame = "data: {}\n\n" if as_events else "{}\n"
        written = 0
        for character in card:
            self.chunk(frame.format(json.dumps({"pieces": [{"text": character}]})))
            written += 1
            if fault == "cut" and written == 20:
                return
        self.chunk(frame.format(json.dumps({"pieces": [], "usage": {"in": tokens_in, "out": written}})))
        if as_events:
            self.chunk(frame.format("that is all"))
        self.wfile.write(b"0\r\n\r\n")

    def chunk(self, text: str):
        data = text.encode()
        self.wfile.write(b"%x\r\n%s\r\n" % (len(data), data))

    def log_message(self, format: str, *arguments: object):
        pass  # a line a request would be in nobody's interest


class Server(HTTPServer):
    request_queue_size = 1024

    def __init__(self, listening: socket.socket, folder: Path):
        super().__init__(listening.getsockname(), Handler, bind_and_activate=False)
        self.socket = listening
        self.folder = folder

    def handle_error(self, request: object, client_address: object):
        pass  # a client that went away in the middle


def main():
    import tempfile

    options = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    options.add_argument("weights", type=Path)
    options.add_argument("--port", type=int, required=True)
    options.add_argument("--workers", type=int, default=2)
    options.add_argument("--start-after", type=float, default=0, metavar="SECONDS", help="a slow start")
    chosen = options.parse_args()
    time.sleep(chosen.start_after)
    Handler.model = sprig.Sprig(chosen.weights)
    listening = socket.create_server(("127.0.0.1", chosen.port), backlog=Server.request_queue_size)
    with tempfile.TemporaryDirectory(prefix="card-server-") as folder:
        workers = [start_worker(listening, Path(folder)) for _ in range(chosen.workers)]
        signal.signal(signal.SIGTERM, lambda *_: end_workers(workers))
        for worker in workers:
            os.waitpid(worker, 0)


def end_workers(workers: list[int]):
    for worker in workers:
        try:
            os.kill(worker, signal.SIGTERM)
        except ProcessLookupError:
            pass  # ended already


def start_worker(listening: socket.socket, folder: Path) -> int:
    """Start a process that shares the socket; return its number. It ends with the signal that it was born to."""
    number = os.fork()
    if number == 0:
        signal.signal(signal.SIGTERM, signal.SIG_DFL)
        Server(listening, folder).serve_forever()
        os._exit(0)
    return number


if __name__ == "__main__":
    main()
