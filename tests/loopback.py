"""A server on the loopback whose answers the tests choose."""

import socket
import threading
import unittest
from collections.abc import Callable, Iterator, Mapping

# Given how often it was asked for this, and what was sent: the pieces of its answer, headers and all.
Behaviour = Callable[[int, bytes], Iterator[bytes]]


class Loopback:
    """A server whose answer is chosen by the path; what it was asked is kept."""

    def __init__(self, test: unittest.TestCase, behaviours: Mapping[str, Behaviour]):
        self._behaviours = behaviours
        self.asked: list[tuple[str, bytes]] = []
        self.at_once = self.most_at_once = 0
        self._lock = threading.Lock()
        self._listening = socket.create_server(("127.0.0.1", 0), backlog=200)
        self.port = self._listening.getsockname()[1]
        test.addCleanup(self._listening.close)
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self) -> None:
        while True:
            try:
                connection, _ = self._listening.accept()
            except OSError:
                return
            connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            threading.Thread(target=self._answer, args=(connection,), daemon=True).start()

    def _answer(self, connection: socket.socket) -> None:
        with connection:
            try:
                request = b""
                while b"\r\n\r\n" not in request:
                    request += connection.recv(65536)
                head, _, body = request.partition(b"\r\n\r\n")
                length = next(
                    (int(h.split(b":")[1]) for h in head.split(b"\r\n") if h.lower().startswith(b"content-length")), 0
                )
                while len(body) < length:
                    body += connection.recv(65536)
                path = head.split(b" ")[1].decode().strip("/")
                with self._lock:
                    self.asked.append((path, head + b"\n" + body))
                    count = sum(name == path for name, _ in self.asked)
                    self.at_once += 1
                    self.most_at_once = max(self.most_at_once, self.at_once)
                for piece in self._behaviours[path](count, body):
                    connection.sendall(piece)
            except OSError:
                pass  # hung up on
            finally:
                with self._lock:
                    self.at_once -= 1
