"""How a request goes out through httpx, and its answer's body comes in stamped.

httpx sends the request and reads the head of the answer. The body is taken from the connection itself, as its bytes
arrive: through httpx and the libraries below it each piece costs about 90 us here, so that 64 streams of 200 tokens a
second kept more than one core busy and were stamped 4 to 10 ms late; taken here, in uvloop's loop, 0.2 ms
(benchmarks/bench_streams.py).
"""

import asyncio
import re
import ssl
from collections.abc import AsyncIterator, Callable, Iterable
from functools import cache
from time import monotonic_ns
from typing import Any

import httpcore
import httpx

LARGEST_HEAD_BYTES = 256 * 1024
CONNECT_TIMEOUT_S = 30.0
ARRIVALS = "arrivals"  # under this name a connection's stream gives its Arrivals
HEAD_END = b"\r\n\r\n"
INFORMS = re.compile(rb"HTTP/1\.[01] 1(?!01)\d\d")  # RFC 9110, section 15.2; 101 changes the protocol, and ends it here

Taker = Callable[[bytes, int], None]


class Arrivals(asyncio.Protocol):
    """One connection. It hands on the head of the answer when asked, and then each piece of the body as it comes."""

    def __init__(self) -> None:
        self.transport: Any = None
        self._head = b""
        self._head_bytes = 0
        self._is_whole = False
        self._given = False
        self._waiting: asyncio.Future[None] | None = None
        self._rest: list[tuple[bytes, int]] = []
        self._take: Taker | None = None
        self._over: Callable[[], None] | None = None
        self.closed = False

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self.transport = transport

    def data_received(self, data: bytes) -> None:
        at_ns = monotonic_ns()
        if self._take is not None:
            self._take(data, at_ns)
        elif self._is_whole:
            self._rest.append((data, at_ns))
        else:
            self._take_head(data, at_ns)

    def _take_head(self, data: bytes, at_ns: int) -> None:
        """Take bytes of the head; what comes before it, such as 100 Continue, says nothing and is passed over."""
        self._head += data
        self._head_bytes += len(data)
        head, end, rest = self._head.partition(HEAD_END)
        while end and INFORMS.match(head):
            head, end, rest = rest.partition(HEAD_END)
            self._head = head + end + rest
        if end:
            self._head, self._is_whole = head + end, True
            self._rest = [(rest, at_ns)] if rest else []
            self.transport.pause_reading()
        if end or self._head_bytes > LARGEST_HEAD_BYTES:
            self._wake()

    def connection_lost(self, error: Exception | None) -> None:
        self.closed = True
        self._wake()
        if self._over is not None:
            self._over()

    def _wake(self) -> None:
        if self._waiting is not None and not self._waiting.done():
            self._waiting.set_result(None)

    async def read_head(self) -> bytes:
        """Return bytes of the answer's head; none when the connection was closed before it was whole."""
        while not self.closed and not self._is_whole and self._head_bytes <= LARGEST_HEAD_BYTES:
            self._waiting = asyncio.get_running_loop().create_future()
            await self._waiting
        head, self._head = self._head, b""
        return head

    def take_body(self, take: Taker, over: Callable[[], None]) -> None:
        """Have each piece of the body handed to take(data, at_ns) as it comes; over() when the connection is closed."""
        self._take, self._over = take, over
        for data, at_ns in self._rest:
            take(data, at_ns)
        self._rest = []
        if self.closed:
            over()
        else:
            self.transport.resume_reading()

    def close(self) -> None:
        """Hear no more of it."""
        self._take, self._over = (lambda _, __: None), None
        if self.transport is not None:
            self.transport.abort()


class Stream(httpcore.AsyncNetworkStream):
    """A connection as the library wants it: it reads the head here and nothing else."""

    def __init__(self, arrivals: Arrivals):
        self._arrivals = arrivals

    async def read(self, max_bytes: int, timeout: float | None = None) -> bytes:
        return await self._arrivals.read_head()

    async def write(self, buffer: bytes, timeout: float | None = None) -> None:
        if self._arrivals.closed:
            raise httpcore.WriteError("the connection is closed")
        self._arrivals.transport.write(buffer)

    async def aclose(self) -> None:
        self._arrivals.close()

    async def start_tls(
        self, ssl_context: ssl.SSLContext, server_hostname: str | None = None, timeout: float | None = None
    ) -> httpcore.AsyncNetworkStream:
        loop = asyncio.get_running_loop()
        try:
            self._arrivals.transport = await loop.start_tls(
                self._arrivals.transport, self._arrivals, ssl_context, server_hostname=server_hostname
            )
        except (OSError, ssl.SSLError) as error:
            raise httpcore.ConnectError(str(error)) from error
        return self

    def get_extra_info(self, info: str) -> Any:
        return self._arrivals if info == ARRIVALS else None


class Connections(httpcore.AsyncNetworkBackend):
    """Opens connections for the library."""

    async def connect_tcp(
        self,
        host: str,
        port: int,
        timeout: float | None = None,
        local_address: str | None = None,
        socket_options: Iterable[Any] | None = None,
    ) -> httpcore.AsyncNetworkStream:
        connecting = asyncio.get_running_loop().create_connection(Arrivals, host, port)
        try:
            _, arrivals = await asyncio.wait_for(connecting, CONNECT_TIMEOUT_S)
        except TimeoutError as error:
            raise httpcore.ConnectTimeout(f"no connection within {CONNECT_TIMEOUT_S:g} s") from error
        except OSError as error:
            raise httpcore.ConnectError(error.strerror or str(error)) from error
        return Stream(arrivals)

    async def sleep(self, seconds: float) -> None:
        await asyncio.sleep(seconds)


class Transport(httpx.AsyncBaseTransport):
    """httpx on these connections; each request has one of its own, as each of several users would."""

    def __init__(self) -> None:
        self._pool = httpcore.AsyncConnectionPool(
            ssl_context=_ssl_context(), max_connections=None, network_backend=Connections()
        )

    async def handle_async_request(self, request: httpx.Request) -> httpx.Response:
        url = httpcore.URL(
            scheme=request.url.raw_scheme, host=request.url.raw_host, port=request.url.port, target=request.url.raw_path
        )
        asked = httpcore.Request(
            method=request.method, url=url, headers=request.headers.raw, content=request.stream,
            extensions=request.extensions,
        )  # fmt: skip
        try:
            answer = await self._pool.handle_async_request(asked)
        except (httpcore.NetworkError, httpcore.TimeoutException) as error:
            raise httpx.ConnectError(str(error) or "the connection was closed", request=request) from error
        except httpcore.ProtocolError as error:
            raise httpx.RemoteProtocolError(str(error), request=request) from error
        return httpx.Response(
            answer.status, headers=answer.headers, stream=Unread(answer), extensions=answer.extensions
        )

    async def aclose(self) -> None:
        await self._pool.aclose()


@cache
def _ssl_context() -> ssl.SSLContext:
    """The certificates that are trusted; reading them takes 30 ms, so that it is done once and before any run."""
    return httpx.create_ssl_context()


class Unread(httpx.AsyncByteStream):
    """Stands for a body that is taken from the connection."""

    def __init__(self, answer: httpcore.Response):
        self._answer = answer

    async def __aiter__(self) -> AsyncIterator[bytes]:
        return
        yield b""

    async def aclose(self) -> None:
        await self._answer.aclose()
