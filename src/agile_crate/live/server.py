"""A small server on 127.0.0.1, behind a random token. It serves content from memory, and reads no file.

Only GET and HEAD are answered, and only where the request names 127.0.0.1 and the port as its host, so that a page of
another site that found out the port, or gave its own name our address, gets nothing (DNS rebinding); the token keeps
out other programs and users of this machine. News go out as server-sent events (HTML, section 9.2).
"""

from __future__ import annotations

import contextlib
import hmac
import queue
import secrets
import threading
from collections.abc import Callable, Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any, NamedTuple

ADDRESS = "127.0.0.1"

SEND_TIMEOUT_S = 20
"""Seconds that a request may take to arrive, and after which a silent stream of news gives a sign of life."""

MOST_STREAMS = 24
"""Pages that hear news at a time."""

MOST_WAITING = 200
"""News that wait for a page that does not take them; it is let go then, and comes back by itself."""


class Answer(NamedTuple):
    """The response to a request: content type, content and, for a page, a policy in addition to its own."""

    kind: str
    body: bytes
    policy: str = ""


class News(NamedTuple):
    """One event: its kind, and its contents as one line of text."""

    kind: str
    line: str


Answerer = Callable[[str], Answer | None]
"""Answer a path below the token, or None for an unknown one."""

Greeter = Callable[[str], News | None]
"""The greeting of a stream of news, by path; None for paths without news."""


class Server:
    """A running server: its address, and its streams of news."""

    def __init__(self, answer: Answerer, greet: Greeter) -> None:
        self._token = secrets.token_urlsafe(16)
        self._streams: list[tuple[str, queue.SimpleQueue[News | None]]] = []
        self._lock = threading.Lock()
        self._server = _Server((ADDRESS, 0), _Handler)
        self._server.handlers = _Handlers(self, answer, greet)
        self._thread = threading.Thread(target=self._server.serve_forever, args=(0.1,), daemon=True)
        self._thread.start()

    @property
    def host(self) -> str:
        """The host and port that browsers must name."""
        return f"{ADDRESS}:{self._server.server_address[1]}"

    @property
    def address(self) -> str:
        """Return where it begins, with the token."""
        return f"http://{self.host}/{self._token}/"

    def below(self, path: str) -> str | None:
        """A request's path below the token; None if it does not know the token."""
        _, token, *rest = [*path.split("/", 2), "", ""][:3]
        return rest[0] if hmac.compare_digest(token.encode(), self._token.encode()) else None

    def tell(self, path: str, news: News) -> None:
        """Send news to all pages that listen at a path."""
        with self._lock:
            for place, stream in self._streams:
                if place == path:
                    stream.put(news)
            self._streams = [(place, stream) for place, stream in self._streams if stream.qsize() < MOST_WAITING]

    @contextlib.contextmanager
    def hearing(
        self, path: str, greeting: Callable[[], News | None]
    ) -> Iterator[queue.SimpleQueue[News | None] | None]:
        """A stream of events that begins with a greeting; None if too many are open."""
        stream: queue.SimpleQueue[News | None] = queue.SimpleQueue()
        with self._lock:
            fits = len(self._streams) < MOST_STREAMS
            first = greeting()
            if fits and first:
                stream.put(first)
                self._streams.append((path, stream))
        try:
            yield stream if fits else None
        finally:
            with self._lock:
                self._streams = [other for other in self._streams if other[1] is not stream]

    def hears(self, stream: queue.SimpleQueue[News | None]) -> bool:
        """Return True if a stream is still open."""
        with self._lock:
            return any(other[1] is stream for other in self._streams)

    def close(self) -> None:
        """End all streams and the server."""
        with self._lock:
            for _, stream in self._streams:
                stream.put(None)
        self._server.shutdown()
        self._server.server_close()


class _Handlers(NamedTuple):
    server: Server
    answer: Answerer
    greet: Greeter


class _Server(ThreadingHTTPServer):
    daemon_threads = True
    allow_reuse_address = False
    handlers: _Handlers

    def handle_error(self, request: Any, client_address: Any) -> None:
        """Ignore a page that closes its connection early."""


class _Handler(BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"
    server_version = "agile-crate"
    sys_version = ""
    timeout = SEND_TIMEOUT_S
    server: _Server

    def do_GET(self) -> None:
        self._respond(with_body=True)

    def do_HEAD(self) -> None:
        self._respond(with_body=False)

    def _respond(self, with_body: bool) -> None:
        handlers = self.server.handlers
        hosts, origins = self.headers.get_all("Host", []), self.headers.get_all("Origin", [])
        below = handlers.server.below(self.path)
        own = f"http://{handlers.server.host}"
        sites, pages = self.headers.get_all("Sec-Fetch-Site", []), self.headers.get_all("Referer", [])
        is_foreign = any(value not in ("same-origin", "none") for value in sites)
        is_foreign |= any(value != own and not value.startswith(f"{own}/") for value in pages)
        if hosts != [handlers.server.host] or any(value != own for value in origins) or is_foreign:
            self._refuse(403, "this page is for this machine alone")
        elif below is None:
            self._refuse(404, "there is nothing here; open the address that agile-crate printed")
        elif with_body and handlers.greet(below):
            self._stream(below)
        elif answer := handlers.answer(below):
            self._send(200, answer, with_body)
        else:
            self._refuse(404, "there is nothing here")

    def _refuse(self, status: int, sentence: str) -> None:
        self.close_connection = True
        self._send(status, Answer("text/plain; charset=utf-8", f"{sentence}\n".encode()), self.command != "HEAD")

    def send_error(self, code: int, *_: object) -> None:
        """Answer what the standard library refuses: other methods, and malformed requests."""
        self._refuse(code, "only GET and HEAD are answered here")

    def _send(self, status: int, answer: Answer, with_body: bool) -> None:
        self.send_response(status)
        self._head(answer.kind, answer.policy or "default-src 'none'")
        self.send_header("Content-Length", str(len(answer.body)))
        self.end_headers()
        if with_body:
            self.wfile.write(answer.body)

    def _head(self, kind: str, policy: str) -> None:
        headers = {
            "Content-Type": kind,
            "Content-Security-Policy": f"{policy}; frame-ancestors 'none'",
            "X-Content-Type-Options": "nosniff",
            "Referrer-Policy": "no-referrer",
            "Cross-Origin-Resource-Policy": "same-origin",
            "Cache-Control": "no-store",
        }
        for name, value in headers.items():
            self.send_header(name, value)
        if self.close_connection:
            self.send_header("Connection", "close")

    def _stream(self, path: str) -> None:
        handlers = self.server.handlers
        self.close_connection = True
        with handlers.server.hearing(path, lambda: handlers.greet(path)) as stream:
            if stream is None:
                self._refuse(503, f"{MOST_STREAMS} pages are open already; close one")
                return
            self.send_response(200)
            self._head("text/event-stream", "default-src 'none'")
            self.end_headers()
            while handlers.server.hears(stream):
                try:
                    news = stream.get(timeout=SEND_TIMEOUT_S / 2)
                except queue.Empty:
                    self.wfile.write(b": here\n\n")
                    continue
                if news is None:
                    return
                self.wfile.write(f"event: {news.kind}\ndata: {news.line}\n\n".encode())

    def log_message(self, format: str, *args: Any) -> None:
        """Log nothing: requests are private."""
