"""The page's server: one host, one token, two methods, and nothing but what it is told to serve."""

import http.client
import re
import socket
import time
from collections.abc import Iterator

import pytest

from agile_crate.live import server as live
from agile_crate.live.server import Answer, News, Server

PAGES = {"": Answer("text/html", b"<p>otter</p>", "default-src 'self'"), "1/0.png": Answer("image/png", b"\x89PNG")}


@pytest.fixture
def server() -> Iterator[Server]:
    server = Server(PAGES.get, lambda path: News("hello", "3") if path == "1/events" else None)
    yield server
    server.close()


def asked(server: Server, path: str, method: str = "GET", **headers: str) -> tuple[int, str, bytes, dict[str, str]]:
    connection = http.client.HTTPConnection(server.host, timeout=10)
    host = headers.pop("Host", server.host)
    connection.putrequest(method, path, skip_host=True)
    for name, value in ({"Host": host} if host else {}).items() | headers.items():
        connection.putheader(name, value)
    connection.endheaders()
    response = connection.getresponse()
    body = response.read()
    connection.close()
    return response.status, response.headers["Content-Type"], body, dict(response.headers)


def token(server: Server) -> str:
    return server.address.removeprefix(f"http://{server.host}/").rstrip("/")


def test_what_is_served_is_served_with_care(server: Server) -> None:
    status, kind, body, headers = asked(server, f"/{token(server)}/")
    assert (status, kind, body) == (200, "text/html", b"<p>otter</p>")
    assert headers["Content-Security-Policy"] == "default-src 'self'; frame-ancestors 'none'"
    said = {"X-Content-Type-Options": "nosniff", "Referrer-Policy": "no-referrer", "Cache-Control": "no-store"}
    assert said.items() <= headers.items()
    assert headers["Cross-Origin-Resource-Policy"] == "same-origin"
    assert not re.search("python|http.server", str(headers), re.IGNORECASE)
    assert asked(server, f"/{token(server)}/1/0.png")[:3] == (200, "image/png", b"\x89PNG")
    head = asked(server, f"/{token(server)}/1/0.png", "HEAD")
    assert (head[0], head[2], head[3]["Content-Length"]) == (200, b"", "4")


def test_addresses_are_of_this_machine_and_cannot_be_guessed(server: Server) -> None:
    assert server.host.startswith("127.0.0.1:")
    assert len(token(server)) >= 22
    other = Server(PAGES.get, {}.get)
    assert token(other) != token(server)
    other.close()


HOSTS = (
    "localhost:PORT", "otter.example:PORT", "127.0.0.1", "127.0.0.1:1", "127.0.0.1.otter.example:PORT", "",
    "[::1]:PORT",
)  # fmt: skip
ORIGINS = ("https://otter.example", "null", "https://127.0.0.1:PORT")


@pytest.mark.parametrize(
    "headers", [{"Host": host} for host in HOSTS] + [{"Origin": origin} for origin in ORIGINS]
    + [{"Sec-Fetch-Site": site} for site in ("cross-site", "same-site", "odd")] + [{"Referer": page} for page in (*ORIGINS, "http://127.0.0.1:PORT.otter.example/", "")], ids=str
)  # fmt: skip
def test_no_other_host_and_no_other_site_is_answered(server: Server, headers: dict[str, str]) -> None:
    port, path = server.host.partition(":")[2], f"/{token(server)}/"
    said = {name: value.replace("PORT", port) for name, value in headers.items()}
    assert asked(server, path, **said)[::2][:2] == (403, b"this page is for this machine alone\n")
    assert asked(server, path, Origin=f"http://{server.host}")[0] == 200
    for site in ("same-origin", "none"):
        assert asked(server, path, **{"Sec-Fetch-Site": site, "Referer": f"http://{server.host}{path}"})[0] == 200


@pytest.mark.parametrize(
    "path", ["/", "/1/0.png", "//", "/TOKEN", "/x/", "/TOKEN/1/../../etc/passwd", "/TOKEN/..%2f..%2fetc/passwd", "/TOKEN/1/0.png?x", "/TOKEN//etc/passwd", "/TOKEN/1/0.png/", "http://127.0.0.1/TOKEN/", "/TOKEN/\xe4"]
)  # fmt: skip
def test_no_other_path_is_answered(server: Server, path: str) -> None:
    status, kind, body, _ = asked(
        server, path.replace("TOKEN", token(server)).encode("latin-1").decode("latin-1").replace("\xe4", "%e4")
    )
    expected = 200 if path == "/TOKEN" else 404
    assert status == expected, body
    if status == 404:
        assert kind == "text/plain; charset=utf-8"
        assert body.startswith(b"there is nothing here")


@pytest.mark.parametrize("method", ["POST", "PUT", "DELETE", "OPTIONS", "PATCH", "TRACE", "CONNECT", "GETT"])
def test_no_other_method_is_answered(server: Server, method: str) -> None:
    status, _, body, _ = asked(server, f"/{token(server)}/", method)
    assert (status, body) == (501, b"only GET and HEAD are answered here\n")


@pytest.mark.parametrize(
    "sent", [b"\x00\x01\x02\r\n\r\n", b"GET\r\n\r\n", b"GET / HTTP/9.9\r\n\r\n", b"GET /" + b"a" * 70_000 + b" HTTP/1.1\r\n\r\n", b"GET / HTTP/1.1\r\n" + b"A: b\r\n" * 200 + b"\r\n", b"GET / HTTP/1.1\r\nHost: a\r\nHost: b\r\n\r\n"]
)  # fmt: skip
def test_what_is_no_request_is_refused(server: Server, sent: bytes) -> None:
    host, _, port = server.host.partition(":")
    with socket.create_connection((host, int(port)), timeout=10) as connection:
        connection.sendall(sent)
        said = connection.recv(65536)
    assert b"otter</p>" not in said
    assert re.match(rb"HTTP/1.1 [45]\d\d ", said) or said in (b"", b"only GET and HEAD are answered here\n")
    assert asked(server, f"/{token(server)}/")[0] == 200  # and it goes on


def events(server: Server, path: str = "1/events") -> tuple[http.client.HTTPConnection, http.client.HTTPResponse]:
    connection = http.client.HTTPConnection(server.host, timeout=10)
    connection.request("GET", f"/{token(server)}/{path}")
    return connection, connection.getresponse()


def test_news_reach_all_that_listen(server: Server) -> None:
    listening = [events(server) for _ in range(3)]
    for _, response in listening:
        assert response.headers["Content-Type"] == "text/event-stream"
        assert [response.readline() for _ in range(3)] == [b"event: hello\n", b"data: 3\n", b"\n"]
    server.tell("2/events", News("built", "other"))
    server.tell("1/events", News("built", '{"a":1}'))
    for _, response in listening:
        assert [response.readline() for _ in range(3)] == [b"event: built\n", b'data: {"a":1}\n', b"\n"]
    server.close()
    assert [response.read() for _, response in listening] == [b""] * 3


def test_too_many_pages_are_told_so_and_those_that_left_make_room(
    server: Server, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(live, "MOST_STREAMS", 2)
    monkeypatch.setattr(live, "SEND_TIMEOUT_S", 0.1)
    listening = [events(server) for _ in range(2)]
    for _, response in listening:
        response.readline()
    connection, refused = events(server)
    assert (refused.status, refused.read()) == (503, b"2 pages are open already; close one\n")
    connection.close()
    listening[0][1].close()
    listening[0][0].close()
    for _ in range(200):  # the next sign of life finds out that it is gone
        connection, response = events(server)
        if response.status == 200:
            break
        connection.close()
        time.sleep(0.05)
    assert response.status == 200


def test_who_does_not_listen_is_let_go(server: Server, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(live, "MOST_WAITING", 3)
    _, response = events(server)
    response.readline()
    for _ in range(60):
        server.tell("1/events", News("built", "x" * 300_000))
    assert server._streams == []
