"""Every form and the deeds' door with one thing wrong at a time; then every main page again."""

import json
import random
import re
import time
import uuid
from urllib.parse import urlsplit

from tests.support.pages import MAIN, Form, crawl, read

ODD = (
    *("", " ", "x", "-1", "0", "1e308", "nan", "inf", "-inf", "9" * 30, "1" * 9000, "1/0"),
    *(
        "1" + " " * 1000 + ".",
        "1,500",
        "(" * 5000,
        "½",
        "٣",
        "1 1/2",
        "25:99",
        "true",
        "[]",
        "{}",
        "null",
    ),
    *(
        "9999-12-31",
        "0001-01-01",
        "2026-02-30",
        "9999-12-31T23:59",
        "0001-01-01T00:00",
        "1989-12-31",
    ),
    *("a" * 9000, "milk\x00", "\r\nX: y", "\u202e=1+1", "＝1+1", "<script>alert(1)</script>"),
    *("'; drop table make; --", "../..", "a/b", "..", "😀" * 50, "\ud800", "{{ 7 * 7 }}", "%s"),
    *("00000000-0000-0000-0000-000000000000", "on", "50", "1000000", "0.0000001", "-0"),
)
SLOW_S = 5.0
_LEFT_ALONE = frozenset({"csrf_token", "once"})
_NOT_SENT = frozenset({"/sign-out", "/you/everywhere", "/sign-in", "/set-up", "/demo"})
_DEEDS = (
    {"deed": "step_done", "payload": {"step": "set"}},
    {"deed": "reading", "payload": {"celsius": 32.0, "ph": 6.5, "note": "calm"}},
    {"deed": "flocks", "payload": {"word": "", "counts": True}},
    {"deed": "whey_kept", "payload": {"litres": 2.0}},
    {"deed": "weighed", "payload": {"pieces_kg": [2.1, 2.2], "word": "light"}},
    {"deed": "amend", "payload": {"change": {"celsius": 31}}, "amends": "x"},
    {"deed": "undo", "payload": {}, "amends": "x"},
    {"deed": "counted", "payload": {"counts": False}},
    {"deed": "moulded", "payload": {"step": "mould", "count": 2, "mould": "tall mould"}},
    {"deed": "in_brine", "payload": {"step": "brine", "tub": "x", "until": "2026-05-05T09:00Z"}},
    {"deed": "timer", "payload": {"minutes": 5, "words": "stir"}},
    {"deed": "felt", "payload": {"step": "cut", "of": "curd", "sign": "soft"}},
)


class Broken(AssertionError):
    """Something answered with a fault of ours, or too late; what was sent before it."""


class Fuzz:
    """A signed-in client, a run of chance that can be run again, and what was sent."""

    def __init__(self, app, client, seed):
        self.app, self.client = app, client
        self.chance = random.Random(seed)
        self.sent, self.requests = [], 0

    def run(self, rounds=1, each=4, between=4):
        """Every form so many times wrong, the main pages after every few forms."""
        for _ in range(rounds):
            forms = self._forms()
            self.chance.shuffle(forms)
            for number, form in enumerate(forms):
                for _ in range(each):
                    self._send(form)
                if number % between == 0:
                    self.look()
            self.look()

    def look(self):
        """Every main page is there, and soon."""
        for address in MAIN:
            get = lambda to=address: self.client.get(to, follow_redirects=True)  # noqa: E731
            self._answered(get, address, whole=True)
        self.sent.clear()

    def _forms(self):
        """The forms that there are now, one of each kind."""
        found = {}
        for address, page in crawl(self.app, self.client).items():
            for form in read(address, page)[1]:
                path = urlsplit(form.action).path
                if path not in _NOT_SENT:
                    names = tuple(sorted({name for name, _ in form.fields}))
                    endpoint, _ = self.app.url_map.bind("").match(path, method=form.method.upper())
                    found[endpoint, names] = form
        return list(found.values())

    def _send(self, form: Form):
        fields = list(form.fields)
        open_to = [i for i, (name, _) in enumerate(fields) if name not in _LEFT_ALONE]
        if open_to:
            at = self.chance.choice(open_to)
            name = fields[at][0]
            odd = (name, self.chance.choice(ODD))
            fields[at : at + 1] = [odd, odd] if self.chance.random() < 0.1 else [odd]
        if self.chance.random() < 0.1 and open_to:
            fields.pop(self.chance.choice(open_to))
        fields = [(name, str(uuid.uuid4()) if name == "once" else value) for name, value in fields]
        data = {}
        for name, value in fields:
            plain = value.encode("utf-8", "surrogatepass").decode("utf-8", "replace")
            data.setdefault(name, []).append(plain)
        data.pop("csrf_token", None)
        self.sent.append((form.method, form.action, data))
        if form.method == "get":
            path = urlsplit(form.action).path
            self._answered(lambda: self.client.get(path, query_string=data), form.action)
        else:
            self._answered(lambda: self.client.post(form.action, data=data), form.action)

    def deeds(self, make, times):
        """The deeds' door of a make, with one thing wrong in each deed."""
        for _ in range(times):
            deed = json.loads(json.dumps(self.chance.choice(_DEEDS)))
            deed |= {"id": str(uuid.uuid4()), "happened": "2026-05-04T09:20:00+00:00", "counter": 1}
            part = deed if self.chance.random() < 0.5 or not deed["payload"] else deed["payload"]
            odd = (*ODD, None, [], {}, 1e400, -1, 10**30, True, ["a"] * 2000, {"a": {"b": []}})
            part[self.chance.choice(list(part))] = self.chance.choice(odd)
            body = {"deeds": [deed]}
            if self.chance.random() < 0.1:
                body[self.chance.choice(["sent", "device", "deeds"])] = self.chance.choice(odd)
            self.sent.append(("deed", make, body))
            text = json.dumps(body)
            self._answered(
                lambda text=text: self.client.post(
                    f"/makes/{make}/deeds", data=text, content_type="application/json"
                ),
                "deeds",
            )

    def _answered(self, ask, what, *, whole=False):
        begun = time.monotonic()
        answer = ask()
        took = time.monotonic() - begun
        self.requests += 1
        inside = answer.status_code == 200 and answer.request.path != "/sign-in"
        fine = answer.status_code < 500 and (inside or not whole)
        if not fine or took > SLOW_S:
            says = re.search(r'class="lead">([^<]*)', answer.text)
            told = "\n".join(f"  {each}"[:600] for each in self.sent[-12:])
            raise Broken(
                f"{what}: {answer.status_code} after {took:.1f} s, {says and says[1]}\n{told}"
            )
