"""The dairy's own https: papers that a client believes, of private names alone, and its page."""

import http.client
import ssl
import threading
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from http.server import BaseHTTPRequestHandler, HTTPServer

import pytest

from openpail.web.authority import LASTS, RENEWED_BEFORE, fingerprint, own_names, papers
from tests.conftest import NOW

NAMES = ["localhost", "127.0.0.1", "dairy.local"]


class Answer(BaseHTTPRequestHandler):
    def do_GET(self):
        self.send_response(204)
        self.end_headers()

    def log_message(self, *_):
        pass


@pytest.fixture
def now():
    return datetime.now(UTC)


def believed(made, host, trusted):
    """Whether a client that trusts an authority believes a server with these papers."""
    server = HTTPServer(("127.0.0.1", 0), Answer)
    wrap = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    wrap.load_cert_chain(made.certificate, made.key)
    server.socket = wrap.wrap_socket(server.socket, server_side=True)
    threading.Thread(target=server.handle_request, daemon=True).start()
    client = ssl.create_default_context(cafile=trusted.authority)
    asked = http.client.HTTPSConnection("127.0.0.1", server.server_port, context=client, timeout=9)
    asked._create_connection = lambda address, *rest: http.client.socket.create_connection(
        ("127.0.0.1", server.server_port), *rest
    )
    asked.host = host
    try:
        asked.request("GET", "/")
        return asked.getresponse().status == 204
    except ssl.SSLCertVerificationError:
        return False
    finally:
        asked.close()
        server.server_close()


def test_a_client_that_trusts_the_dairy_believes_it_and_nobody_else(tmp_path, now):
    made = papers(tmp_path / "ours", NAMES, now)
    other = papers(tmp_path / "theirs", NAMES, now)
    for name in NAMES:
        assert believed(made, name, made), name
    assert not believed(made, "localhost", other)
    assert not believed(made, "bank.local", made)  # a name that it was not made for
    for file, mode in ((made.key, 0o600), (tmp_path / "ours" / "authority.key", 0o600)):
        assert file.stat().st_mode & 0o777 == mode
    assert len(fingerprint(made.authority)) == 95


def test_papers_stay_until_they_will_not_do_and_the_authority_stays_for_all_of_them(tmp_path, now):
    made = papers(tmp_path, NAMES, now)
    authority, first = made.authority.read_bytes(), made.certificate.read_bytes()
    assert papers(tmp_path, NAMES[:2], now).certificate.read_bytes() == first
    later = papers(tmp_path, NAMES, now + LASTS - RENEWED_BEFORE + timedelta(days=1))
    assert later.certificate.read_bytes() != first
    moved = papers(tmp_path, [*NAMES, "192.168.7.20"], now)
    assert believed(moved, "192.168.7.20", moved)
    assert made.authority.read_bytes() == authority
    for strange in ("bank.example", "8.8.8.8"):
        with pytest.raises(ValueError, match="no private name"):
            papers(tmp_path, [strange], now)
    assert set(own_names("192.168.7.20")) >= {"localhost", "127.0.0.1", "192.168.7.20"}
    assert "8.8.8.8" not in own_names("8.8.8.8")


def test_the_page_has_five_steps_the_paper_and_what_it_is_known_by(app, client, tmp_path):
    assert "not served by its own https" in client.get("/trust").text
    assert client.get("/trust/dairy.crt").status_code == 404
    made = papers(tmp_path, NAMES, NOW)
    config = app.extensions["config"]
    app.extensions["config"] = replace(config, authority=str(made.authority))
    page = client.get("/trust").text
    assert page.count("<li>") == 5 and fingerprint(made.authority) in page and "<svg" in page
    paper = client.get("/trust/dairy.crt")
    assert paper.data == made.authority.read_bytes()
    assert paper.mimetype == "application/x-x509-ca-cert"
