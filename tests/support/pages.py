"""The pages of a dairy as a visitor finds them: by following links; and the forms on them."""

from dataclasses import dataclass, field
from html.parser import HTMLParser
from urllib.parse import urlsplit

MAIN = (
    *("/", "/milk", "/milk/herds", "/bench", "/sheet", "/vat", "/cave", "/table", "/which"),
    *("/days", "/recipes", "/stock", "/dairy", "/dairy/house"),
)


@dataclass
class Form:
    """A form to be sent: where to, and what each of its fields holds."""

    action: str
    method: str
    fields: list[tuple[str, str]] = field(default_factory=list)
    files: list[str] = field(default_factory=list)


class _Reader(HTMLParser):
    def __init__(self, address):
        super().__init__()
        self.links, self.forms, self.address = [], [], address
        self._form = self._area = self._select = None

    def handle_starttag(self, tag, pairs):
        given = dict(pairs)
        if tag == "a" and given.get("href", "").startswith("/"):
            self.links.append(given["href"])
        if tag == "form":
            method = given.get("method", "get").lower()
            self._form = Form(given.get("action") or self.address, method)
            if method != "dialog":
                self.forms.append(self._form)
        if self._form is None or "disabled" in given:
            return
        name, kind, value = given.get("name"), given.get("type", "text"), given.get("value") or ""
        if tag == "input" and name:
            if kind == "file":
                self._form.files.append(name)
            elif kind not in ("checkbox", "radio") or "checked" in given:
                self._form.fields.append((name, value or ("on" if kind == "checkbox" else "")))
        elif tag == "button" and name:
            self._form.fields.append((name, value))
        elif tag == "textarea" and name:
            self._area = [name, ""]
        elif tag == "select" and name:
            self._select = [name, None]
        elif tag == "option" and self._select and ("selected" in given or self._select[1] is None):
            self._select[1] = value

    def handle_data(self, data):
        if self._area:
            self._area[1] += data

    def handle_endtag(self, tag):
        if tag == "form":
            self._form = None
        if tag == "textarea" and self._area:
            self._form.fields.append(tuple(self._area))
            self._area = None
        if tag == "select" and self._select:
            self._form.fields.append((self._select[0], self._select[1] or ""))
            self._select = None


def read(address, html):
    """The links and the forms of a page."""
    reader = _Reader(address)
    reader.feed(html)
    return reader.links, reader.forms


def crawl(app, client, each=2, *, strict=True):
    """The pages found by following links from the main ones, at most so many of an endpoint;
    their text by address."""
    adapter, seen, pages, waiting = app.url_map.bind(""), {}, {}, list(MAIN)
    while waiting:
        address = waiting.pop(0)
        path = urlsplit(address).path
        endpoint, _ = adapter.match(path)
        if address in pages or endpoint == "assets.file" or seen.get(endpoint, 0) >= each:
            continue
        answer = client.get(address, follow_redirects=True)
        if not strict and answer.status_code == 403:  # a link that is not for this role
            continue
        assert answer.status_code == 200, (address, answer.status_code)
        seen[endpoint] = seen.get(endpoint, 0) + 1
        if answer.mimetype != "text/html":
            continue
        pages[address] = answer.text
        links, forms = read(address, answer.text)
        waiting += [link for link in links if link not in pages]
        waiting += [form.action for form in forms if form.method == "get"]
    return pages
