"""The other side: a broker and a web server of a test's own, which are stopped and started in the middle."""

from __future__ import annotations

import http.server
import shutil
import subprocess
import threading
import time
from pathlib import Path

import paho.mqtt.client as mqtt
import pytest
from paho.mqtt.enums import CallbackAPIVersion

from tests.live.sockets import free_port

BROKER = shutil.which("mosquitto", path="/usr/sbin:/usr/local/sbin:/usr/bin")
needs_broker = pytest.mark.skipif(BROKER is None, reason="there is no broker here (package mosquitto)")


class Web:
    """A web server that notes what is posted to it.

    Attributes
    ----------
    bodies
        (path, body, headers) of each POST that was taken.
    refusals
        Statuses that the next requests are answered with instead.
    """

    def __init__(self) -> None:
        self.port = free_port()
        self.bodies: list[tuple[str, bytes, dict[str, str]]] = []
        self.refusals: list[int] = []
        self._server: http.server.ThreadingHTTPServer | None = None

    def start(self) -> None:
        web = self

        class Handler(http.server.BaseHTTPRequestHandler):
            protocol_version = "HTTP/1.1"

            def do_POST(self):
                body = self.rfile.read(int(self.headers["Content-Length"]))
                status = web.refusals.pop(0) if web.refusals else 204
                if status == 204:
                    web.bodies.append((self.path, body, dict(self.headers)))
                self.send_response(status)
                self.send_header("Content-Length", "0")
                self.end_headers()

            def log_message(self, *_words):
                pass

        self._server = http.server.ThreadingHTTPServer(("127.0.0.1", self.port), Handler)
        self._server.daemon_threads = True
        threading.Thread(target=self._server.serve_forever, daemon=True).start()

    def stop(self) -> None:
        if self._server is not None:
            self._server.shutdown()
            self._server.server_close()
            self._server = None


class Broker:
    """A broker that keeps what it has, and somebody who listens to everything.

    Attributes
    ----------
    heard
        (topic, payload, quality of service) of each message.
    """

    def __init__(self, folder: Path, *, password: str = "", version: int = 5) -> None:
        self.port = free_port()
        self.heard: list[tuple[str, bytes, int]] = []
        self._password = password
        lines = [f"listener {self.port} 127.0.0.1", "persistence true", f"persistence_location {folder}/", "user root"]
        if password:
            (folder / "passwords").write_text(f"tug:{password}\n")
            subprocess.run(["mosquitto_passwd", "-U", str(folder / "passwords")], check=True)
            lines += ["allow_anonymous false", f"password_file {folder / 'passwords'}"]
        else:
            lines.append("allow_anonymous true")
        self._file = folder / "broker.conf"
        self._file.write_text("\n".join(lines) + "\n")
        self._process: subprocess.Popen[bytes] | None = None
        self._listener: mqtt.Client | None = None

    def start(self) -> None:
        assert BROKER is not None, "the tests that need it ask"
        self._process = subprocess.Popen([BROKER, "-c", str(self._file)], stdout=subprocess.DEVNULL,
                                         stderr=subprocess.DEVNULL)  # fmt: skip
        self._listener = mqtt.Client(CallbackAPIVersion.VERSION2, "listener", clean_session=False)
        if self._password:
            self._listener.username_pw_set("tug", self._password)
        ready = threading.Event()
        self._listener.on_message = lambda _c, _d, one: self.heard.append((one.topic, one.payload, one.qos))
        self._listener.on_subscribe = lambda *_: ready.set()
        end = time.monotonic() + 20
        while True:
            try:
                self._listener.connect("127.0.0.1", self.port)
                break
            except OSError:
                assert time.monotonic() < end, "the broker does not start"
                time.sleep(0.05)
        self._listener.subscribe("#", qos=1)
        self._listener.loop_start()
        assert ready.wait(10), "nobody listens"

    def stop(self) -> None:
        if self._listener is not None:
            self._listener.disconnect()
            self._listener.loop_stop()
            self._listener = None
        if self._process is not None:
            self._process.kill()
            self._process.wait()
            self._process = None
