"""How Open Pail is served: gunicorn keeps the workers alive, uvicorn talks with the clients, and a
thread is given to a request only when all of it is here, so that a slow client holds none."""

from __future__ import annotations

import asyncio
import gc
from typing import Any

from a2wsgi import WSGIMiddleware
from uvicorn_worker import UvicornWorker  # type: ignore[import-untyped]

from openpail.web.app import create_app
from openpail.web.ui.sent import MOST_SENT_BYTES

_ALLOCATIONS_BETWEEN_LOOKS = 20_000
_THREADS = 8
_SLOWEST_S = 60.0  # a request of 7 MB over a farm's radio link


class Worker(UvicornWorker):
    """A worker as gunicorn starts it."""

    CONFIG_KWARGS = {  # noqa: RUF012 (as its base has it)
        "loop": "asyncio",
        "http": "h11",
        "ws": "none",
        "lifespan": "off",
        "proxy_headers": False,  # who is in front of us is said by OPENPAIL_SECURE_COOKIES alone
        "server_header": False,
        "timeout_graceful_shutdown": 10,
    }


class Whole:
    """Hands a request on when the whole of it has come."""

    def __init__(self, app: Any) -> None:
        self._app = WSGIMiddleware(app, workers=_THREADS, send_queue_size=0)

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        """One request, as ASGI has it."""
        try:
            async with asyncio.timeout(_SLOWEST_S):
                body = await _body(receive)
        except TimeoutError:
            headers = [(b"content-type", b"text/plain"), (b"connection", b"close")]
            await send({"type": "http.response.start", "status": 408, "headers": headers})
            await send({"type": "http.response.body", "body": b"That took too long to arrive.\n"})
            return
        if body is None:
            return
        length = (b"content-length", str(len(body)).encode())
        kept = [
            pair
            for pair in scope["headers"]
            if pair[0] not in (b"content-length", b"transfer-encoding")
        ]
        whole: Any = {**scope, "headers": [*kept, length] if body else kept}
        left = [{"type": "http.request", "body": body, "more_body": False}]

        async def here() -> Any:
            return left.pop() if left else await receive()

        await self._app(whole, here, send)


async def _body(receive: Any) -> bytes | None:
    """All that a client sends, or so much that it is seen to be too much; None when it left."""
    body = bytearray()
    while True:
        message = await receive()
        if message["type"] == "http.disconnect":
            return None
        body += message.get("body", b"")
        if not message.get("more_body") or len(body) > MOST_SENT_BYTES:
            return bytes(body)


def served() -> Whole:
    """The application as the workers serve it: built once, before they are forked, so that what
    none of them changes lies in memory once."""
    app = Whole(create_app())
    settle()
    return app


def settle() -> None:
    """Let the collector look seldom, and never again at what lives as long as the process.

    Its looks at the loaded code were a quarter of the slowest pages' time.
    """
    gc.collect()
    gc.freeze()
    gc.set_threshold(_ALLOCATIONS_BETWEEN_LOOKS, 20, 50)
