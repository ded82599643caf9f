"""Open Pail as it is served: slow clients hold nobody up, a killed worker is followed by one."""

import os
import signal
import socket
import subprocess
import sys
import time
from contextlib import ExitStack, contextmanager
from http.cookiejar import CookieJar
from pathlib import Path
from urllib.error import HTTPError
from urllib.parse import urlencode
from urllib.request import HTTPCookieProcessor, Request, build_opener, urlopen

import pytest

from tests.conftest import SECRET, token_in
from tests.web.test_forms import GOOD

ROOT = Path(__file__).parents[2]
# A busy machine may stall for many seconds; that is no fault of a server.
PATIENCE_S = 120


@contextmanager
def serving(demo_url):
    """A master with its workers; its port and its process. The port is ours before it is theirs, so
    that nobody else on the machine can be given it."""
    with socket.create_server(("127.0.0.1", 0), backlog=256) as ours:
        ours.set_inheritable(True)
        port, number = ours.getsockname()[1], ours.fileno()
        words = [
            *(sys.executable, "-m", "gunicorn", "--workers", "2", "--bind", f"fd://{number}"),
            *("--worker-class", "openpail.web.server.Worker", "--log-level", "warning"),
            *("--preload", "openpail.web.server:served()"),
        ]
        told = {"OPENPAIL_DATABASE_URL": demo_url, "OPENPAIL_SECRET": SECRET}
        env = {**os.environ, **told, "OPENPAIL_MODE": "demo"}
        master = subprocess.Popen(words, cwd=ROOT, env=env, pass_fds=[number])
    until = time.monotonic() + PATIENCE_S
    while health(port) != 200:
        assert master.poll() is None, "the server has ended"
        assert time.monotonic() < until, "the server does not answer"
        time.sleep(0.1)
    yield port, master
    master.terminate()
    master.wait(PATIENCE_S)


@pytest.fixture
def served(demo_url):
    with serving(demo_url) as found:
        yield found


def health(port, within=3.0):
    try:
        return urlopen(f"http://127.0.0.1:{port}/health", timeout=within).status
    except OSError:
        return None


def test_slow_clients_hold_nobody_up(served):
    port, _ = served
    half = (
        b"GET / HTTP/1.1\r\nHost: x\r\n",
        b"POST /sign-in HTTP/1.1\r\nHost: x\r\nContent-Length: 500\r\n\r\nlogin=",
        b"",
    )
    with ExitStack() as open_still:
        for number in range(120):
            slow = socket.create_connection(("127.0.0.1", port))
            open_still.enter_context(slow)
            slow.sendall(half[number % len(half)])
        for _ in range(10):
            assert health(port) == 200


def test_too_much_is_refused_in_words_and_a_dead_worker_is_followed_by_another(served):
    port, master = served
    page = f"http://127.0.0.1:{port}/sign-in"
    with pytest.raises(HTTPError) as refused:
        urlopen(Request(page, b"text=" + b"a" * 8_000_000), timeout=PATIENCE_S)
    assert refused.value.code == 413 and b"At most 2 MB" in refused.value.read()
    children = Path(f"/proc/{master.pid}/task/{master.pid}/children").read_text().split()
    assert len(children) == 2
    for child in children:
        os.kill(int(child), signal.SIGKILL)
    until = time.monotonic() + PATIENCE_S
    while health(port) != 200:
        assert time.monotonic() < until
        time.sleep(0.1)


class Browser:
    """Somebody whose every request goes to the server that is named, with one jar of cookies."""

    def __init__(self, port):
        self.open = build_opener(HTTPCookieProcessor(CookieJar())).open
        self.tell(port, "/demo", "/sign-in")

    def page(self, port, path):
        return self.open(f"http://127.0.0.1:{port}{path}", timeout=PATIENCE_S).read().decode()

    def tell(self, port, address, page, **form):
        form["csrf_token"] = token_in(self.page(port, page))
        return self.open(
            f"http://127.0.0.1:{port}{address}", urlencode(form).encode(), timeout=PATIENCE_S
        ).status


def test_two_servers_before_one_database_and_one_of_them_killed_under_load(demo_url):
    """No state lies in a process: who signed in at one is known at the other, and what one kept
    the other shows; what was answered before the one was killed is all there."""
    with serving(demo_url) as (one, master), serving(demo_url) as (two, _):
        browser = Browser(one)
        assert "House cows" in browser.page(two, "/milk")
        kept = []

        def taken(port, number):
            name = f"pail {port}-{number}"
            browser.tell(port, "/milk", "/milk", **{**GOOD, "name": name})
            kept.append(name)

        for number in range(3):
            taken(one, number)
            taken(two, number)
        for child in Path(f"/proc/{master.pid}/task/{master.pid}/children").read_text().split():
            os.kill(int(child), signal.SIGKILL)
        master.kill()
        master.wait(PATIENCE_S)
        assert health(one, 1.0) is None
        taken(two, 9)
        page = browser.page(two, "/milk")
        assert all(page.count(name) for name in kept), [n for n in kept if n not in page]
