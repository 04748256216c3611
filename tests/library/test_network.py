"""A server on another host, across a network that is encrypted, and that is cut: hosts are network namespaces."""

from __future__ import annotations

import datetime
import ipaddress
import os
import shutil
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec

from tests.library.test_store import pod
from zesty_abacus.core.library.errors import LibraryError
from zesty_abacus.core.library.local_server import LocalServer
from zesty_abacus.core.library.roles import make_roles
from zesty_abacus.core.library.store import Library

CUTS = int(os.environ.get("CUTS", "1"))
HERE = Path(__file__).parent


def ip(*words: str) -> None:
    subprocess.run(["ip", *words], check=True, capture_output=True)


class OtherHost:
    """A host with a cable of its own to this one.

    Attributes
    ----------
    address
        Of this host, as the other one sees it.
    """

    def __init__(self) -> None:
        number = os.getpid() % 200 + 20
        self.name, self._near, self._far = f"zesty{number}", f"zn{number}", f"zf{number}"
        self.address, far = f"10.213.{number}.1", f"10.213.{number}.2"
        ip("netns", "add", self.name)
        ip("link", "add", self._near, "type", "veth", "peer", "name", self._far, "netns", self.name)
        ip("addr", "add", f"{self.address}/30", "dev", self._near)
        ip("link", "set", self._near, "up")
        ip("-n", self.name, "addr", "add", f"{far}/30", "dev", self._far)
        self.plug(yes=True)

    def plug(self, *, yes: bool) -> None:
        """Put the cable in or out; nobody is told."""
        ip("-n", self.name, "link", "set", self._far, "up" if yes else "down")

    def start(self, *words: str, **environment: str) -> subprocess.Popen[str]:
        """Run a program on the other host."""
        return subprocess.Popen(
            ["ip", "netns", "exec", self.name, sys.executable, *words], stdout=subprocess.PIPE, text=True,
            env=os.environ | environment, cwd=HERE.parent.parent,
        )  # fmt: skip

    def close(self) -> None:
        subprocess.run(["ip", "netns", "del", self.name], check=False)
        subprocess.run(["ip", "link", "del", self._near], check=False, capture_output=True)


@pytest.fixture
def other_host():
    if shutil.which("ip") is None or os.geteuid() != 0:
        pytest.skip("network namespaces need root and the program ip")
    try:
        made = OtherHost()
    except subprocess.CalledProcessError as error:
        pytest.skip(f"no network namespace can be made here ({error.stderr.decode().strip()})")
    yield made
    made.close()


def make_certificates(folder: Path, address: str) -> None:
    """Write a certificate authority, a certificate of the server by it, and an authority that nobody asked."""
    now = datetime.datetime.now(datetime.UTC)

    def certificate(name, key, issuer, issuer_key, *extensions):
        builder = x509.CertificateBuilder(
            x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, issuer)]),
            x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, name)]), key.public_key(),
            x509.random_serial_number(), now - datetime.timedelta(hours=1), now + datetime.timedelta(hours=9),
        )  # fmt: skip
        for extension in extensions:
            builder = builder.add_extension(extension, critical=False)
        return builder.sign(issuer_key, hashes.SHA256()).public_bytes(serialization.Encoding.PEM)

    keys = {name: ec.generate_private_key(ec.SECP256R1()) for name in ("harbour", "stranger", "server")}
    for name in ("harbour", "stranger"):
        root = certificate(name, keys[name], name, keys[name], x509.BasicConstraints(ca=True, path_length=0))
        (folder / f"{name}.pem").write_bytes(root)
    host = x509.SubjectAlternativeName([x509.IPAddress(ipaddress.ip_address(address))])
    (folder / "server.pem").write_bytes(certificate("server", keys["server"], "harbour", keys["harbour"], host))
    secret = keys["server"].private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
    (folder / "server.key").write_bytes(secret)


@pytest.fixture
def served(other_host):
    """A server with a certificate that the other host reaches by the cable; a library with one layout in it."""
    folder = Path(tempfile.mkdtemp(prefix="zesty-net-"))
    folder.chmod(0o755)
    make_certificates(folder, other_host.address)
    files = {"ssl_cert_file": folder / "server.pem", "ssl_key_file": folder / "server.key"}
    server = LocalServer(
        folder / "pg", settings={"listen_addresses": f"127.0.0.1,{other_host.address}", "ssl": "on", **files}
    )
    server.make()
    for path in files.values():
        shutil.chown(path, "postgres", "postgres")
    files["ssl_key_file"].chmod(0o600)
    with (server.folder / "data" / "pg_hba.conf").open("a") as rules:
        rules.write(f"hostssl all all {other_host.address}/30 scram-sha-256\n")
    server.start()
    server.execute("postgres", "CREATE DATABASE library")
    library = Library.create(server.address("library"), "harbour")
    library.layouts.commit(pod(), parent=None, author="quay")
    make_roles(library)
    server.execute("library", "CREATE ROLE sailor LOGIN PASSWORD 'aye-aye'")
    server.execute("library", "GRANT zesty_writer TO sailor")
    yield server, library, folder
    library.close()
    server.stop()
    shutil.rmtree(folder)


def start_client(other_host, server, seconds, options="", **environment):
    where = f"postgresql://sailor@{other_host.address}:{server.port}/library{options}"
    return other_host.start("-m", "tests.library.network_client", where, str(seconds), **environment)


def test_only_the_right_server_is_talked_to(other_host, served):
    server, _, folder = served
    right, stranger = str(folder / "harbour.pem"), str(folder / "stranger.pem")

    def said(options="", **environment):
        client = start_client(other_host, server, 0.2, options, **environment)
        words, _ = client.communicate(timeout=60)
        return words

    assert said(PGSSLROOTCERT=right, PGPASSWORD="aye-aye").startswith("open")
    assert "refused" in said(PGSSLROOTCERT=stranger, PGPASSWORD="aye-aye")
    assert "refused" in said(PGSSLROOTCERT=str(folder / "none.pem"), PGPASSWORD="aye-aye")
    assert "refused RefusedError" in said(PGSSLROOTCERT=right, PGPASSWORD="arr")
    assert "refused PasswordNeededError" in said(PGSSLROOTCERT=right)
    assert "sslmode=disable would talk" in said("?sslmode=disable", PGPASSWORD="aye-aye")
    with pytest.raises(LibraryError, match="would talk"):
        Library.open(f"postgresql://sailor@{other_host.address}/library?sslmode=prefer")


def test_a_cable_that_is_pulled_costs_nothing(other_host, served):
    """The cable is out for longer than the patience of the connection; nobody is told."""
    server, library, folder = served
    client = start_client(
        other_host, server, 5 + 20 * CUTS, PGSSLROOTCERT=str(folder / "harbour.pem"), PGPASSWORD="aye-aye"
    )
    lines: list[str] = []
    reader = threading.Thread(target=lambda: lines.extend(client.stdout), daemon=True)
    reader.start()

    def wait(holds, seconds=40.0):
        end = time.monotonic() + seconds
        while not holds():
            assert time.monotonic() < end, lines[-3:]
            time.sleep(0.05)

    wait(lambda: sum(line.startswith("kept") for line in lines) > 5)
    for _cut in range(CUTS):
        other_host.plug(yes=False)
        told = sum(line.startswith("no answer") for line in lines)
        wait(lambda told=told: sum(line.startswith("no answer") for line in lines) > told)
        other_host.plug(yes=True)
        kept = sum(line.startswith("kept") for line in lines)
        wait(lambda kept=kept: sum(line.startswith("kept") for line in lines) > kept + 3)
    assert client.wait(60 + 20 * CUTS) == 0
    reader.join(5)
    acknowledged = [int(line.split()[1]) for line in lines if line.startswith("kept")]
    assert acknowledged == list(range(1, len(acknowledged) + 1))
    notes = [library.layouts.state_at(change.id).note for change, _ in reversed(library.layouts.log(100_000))]
    assert notes[0] == "" and notes[1:] == [str(number) for number in acknowledged], "each once, and in order"
