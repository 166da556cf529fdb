"""A real nginx before a real server, by the example of the documentation: sign-in, a move, a socket and an upload by HTTPS."""

import asyncio
import http.client
import json
import os
import shutil
import socket
import ssl
import subprocess
import time
from collections.abc import Iterator
from http.cookies import SimpleCookie
from pathlib import Path
from typing import Any

import pytest
from running_server import PASSWORD, RunningServer
from websockets.asyncio.client import connect
from websockets.exceptions import InvalidStatus

EXAMPLE = Path(__file__).parents[2] / "docs" / "proxies" / "nginx.conf"
NAME = "brickseat.example"
OBJ = b"v 0 0 0\nv 1 0 0\nv 0 0 1\nf 1 3 2\n"


def free_port() -> int:
    with socket.socket() as listener:
        listener.bind(("127.0.0.1", 0))
        return int(listener.getsockname()[1])


class Proxied:
    """A visitor's browser on the other side of the proxy: keeps cookies, and sends the origin of the page."""

    def __init__(self, port: int, certificate: Path) -> None:
        self.port = port
        self.tls = ssl.create_default_context(cafile=str(certificate))
        self.cookies: SimpleCookie = SimpleCookie()
        self.host = f"{NAME}:{port}"

    @property
    def cookie(self) -> str:
        return "; ".join(f"{name}={morsel.value}" for name, morsel in self.cookies.items())

    def ask(self, method: str, path: str, body: Any = None, **more: str) -> tuple[int, dict[str, str], bytes]:
        raw = socket.create_connection(("127.0.0.1", self.port), timeout=60)
        line = http.client.HTTPSConnection(NAME, self.port, context=self.tls)
        line.sock = self.tls.wrap_socket(raw, server_hostname=NAME)
        data = body if isinstance(body, bytes) else json.dumps(body).encode() if body is not None else b""
        headers = {
            "Host": self.host,
            "Origin": f"https://{self.host}",
            "Content-Type": "application/json",
            "Cookie": self.cookie,
        }
        if "csrftoken" in self.cookies:
            headers["X-CSRFToken"] = self.cookies["csrftoken"].value
        try:
            line.request(method, path, data, {**headers, **more})
            answer = line.getresponse()
            for name, value in answer.getheaders():
                if name.lower() == "set-cookie":
                    self.cookies.load(value)
            return answer.status, {k.lower(): v for k, v in answer.getheaders()}, answer.read()
        finally:
            line.close()


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[RunningServer]:
    running = RunningServer(
        tmp_path_factory.mktemp("proxied"), "--behind-proxy", BRICKSEAT_HOSTS=f"{NAME},127.0.0.1", BRICKSEAT_DEMO="1"
    )
    yield running
    running.stop()


@pytest.fixture(scope="module")
def visitor(server: RunningServer, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Proxied]:
    folder = tmp_path_factory.mktemp("nginx")
    certificate, key, port = folder / "certificate.pem", folder / "key.pem", free_port()
    subprocess.run(
        ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-subj", f"/CN={NAME}",
         "-addext", f"subjectAltName=DNS:{NAME}", "-keyout", str(key), "-out", str(certificate)],
        check=True, capture_output=True,
    )  # fmt: skip
    site = EXAMPLE.read_text()
    for example, own in {
        "listen 443 ssl": f"listen 127.0.0.1:{port} ssl",
        "/etc/ssl/brickseat.pem": str(certificate),
        "/etc/ssl/brickseat.key": str(key),
        "http://127.0.0.1:8460": f"http://127.0.0.1:{server.port}",
    }.items():
        assert example in site
        site = site.replace(example, own)
    temporary = "".join(
        f"{kind}_temp_path {folder}/{kind};\n" for kind in ("client_body", "proxy", "fastcgi", "uwsgi", "scgi")
    )
    whole = (
        f"pid {folder}/pid;\nerror_log {folder}/error;\nevents {{}}\nhttp {{\naccess_log off;\n{temporary}{site}\n}}\n"
    )
    if os.getuid() == 0:
        whole = f"user root;\n{whole}"
    (folder / "nginx.conf").write_text(whole)
    nginx = shutil.which("nginx") or "/usr/sbin/nginx"
    process = subprocess.Popen(
        [nginx, "-p", str(folder), "-c", str(folder / "nginx.conf"), "-e", str(folder / "error"), "-g", "daemon off;"]
    )
    proxied = Proxied(port, certificate)
    for _ in range(600):
        try:
            proxied.ask("GET", "/")
            break
        except OSError:
            assert process.poll() is None, (folder / "error").read_text()
            time.sleep(0.1)
    yield proxied
    process.terminate()
    process.wait(60)


def test_sign_in_a_move_a_socket_and_an_upload_through_the_proxy(visitor: Proxied) -> None:
    status, headers, _ = visitor.ask("GET", "/")
    assert status == 200
    assert headers["strict-transport-security"] == "max-age=31536000"
    assert headers["x-content-type-options"] == "nosniff"
    assert "frame-ancestors 'none'" in headers["content-security-policy"]
    # The demo's own sign-in is not for what comes through a proxy, though the proxy is on this machine.
    assert visitor.ask("GET", "/api/visitor")[0] == 401
    status, headers, _ = visitor.ask("POST", "/api/sign-in", {"username": "wren", "password": PASSWORD})
    assert status == 200
    assert "Secure" in headers["set-cookie"]
    assert "HttpOnly" in headers["set-cookie"]
    key = json.loads(visitor.ask("POST", "/api/sets", {"name": "yard"})[2])["key"]
    boundary = "a-boundary"
    form = f'--{boundary}\r\nContent-Disposition: form-data; name="files"; filename="leaf.obj"\r\n\r\n'.encode() + OBJ
    form += f"\r\n--{boundary}--\r\n".encode()
    status, _, data = visitor.ask(
        "POST", "/api/props", form, **{"Content-Type": f"multipart/form-data; boundary={boundary}"}
    )
    assert status == 201, data
    move = {
        "kind": "stand",
        "prop": json.loads(data)["prop"]["key"],
        "pose": {"position": [0, 0, 0], "orientation": [0, 0, 0, 1], "scale": [1, 1, 1]},
    }

    async def heard() -> list[Any]:
        headers = {"Cookie": visitor.cookie, "Host": visitor.host}
        async with connect(
            f"wss://{visitor.host}/ws/sets/{key}", host="127.0.0.1", port=visitor.port, ssl=visitor.tls,
            server_hostname=NAME, origin=f"https://{visitor.host}", additional_headers={"Cookie": headers["Cookie"]},
        ) as line:  # fmt: skip
            news = [json.loads(await asyncio.wait_for(line.recv(), 60))]
            status, _, data = await asyncio.to_thread(visitor.ask, "POST", f"/api/sets/{key}/moves", {"move": move})
            assert status == 200, data
            while news[-1]["kind"] != "changed":
                news.append(json.loads(await asyncio.wait_for(line.recv(), 60)))
            return news

    news = asyncio.run(heard())
    assert news[0]["kind"] == "ready"
    assert news[-1]["words"] == "brought leaf"


def test_a_page_of_another_origin_may_neither_write_nor_listen(visitor: Proxied, server: RunningServer) -> None:
    key = server.ask("POST", "/api/sets", b'{"name": "yard"}', Host=NAME, **{"X-Forwarded-Proto": "https"}).json["key"]
    visitor.ask("GET", "/")
    visitor.ask("POST", "/api/sign-in", {"username": "wren", "password": PASSWORD})
    assert visitor.ask("POST", "/api/sets", {"name": "x"}, Origin="https://elsewhere.example")[0] == 403
    assert visitor.ask("POST", "/api/sets", {"name": "x"}, **{"X-CSRFToken": ""})[0] == 403

    async def listen() -> None:
        async with connect(
            f"wss://{visitor.host}/ws/sets/{key}", host="127.0.0.1", port=visitor.port, ssl=visitor.tls,
            server_hostname=NAME, origin="https://elsewhere.example", additional_headers={"Cookie": visitor.cookie},
        ):  # fmt: skip
            pass

    with pytest.raises(InvalidStatus):
        asyncio.run(listen())


def test_what_a_visitor_says_of_the_proxy_is_not_believed(visitor: Proxied) -> None:
    wrong = {"username": "nobody", "password": "wrong"}
    # Another address each time, as the visitor says: the wrong passwords are counted all the same.
    answers = [visitor.ask("POST", "/api/sign-in", wrong, **{"X-Forwarded-For": f"192.0.2.{k}"})[0] for k in range(10)]
    assert answers[0] == 401
    assert answers[-1] == 429
    assert visitor.ask("GET", "/api/visitor", Host="elsewhere.example")[0] == 400


def test_without_the_proxy_a_visitor_is_sent_to_https(server: RunningServer) -> None:
    answer = server.ask("GET", "/api/visitor", Host=NAME)
    assert answer.status == 301
    assert answer.headers["location"].startswith(f"https://{NAME}/")
