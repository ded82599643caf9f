"""What the stand-ins share: they end with whoever started them, and say where they answer."""

from __future__ import annotations

import argparse
import os
import socketserver
import sys
import threading
import time
from collections.abc import Callable


def end_with(server: socketserver.BaseServer, parent: int) -> None:
    """Stop serving once the process that started it is gone."""
    while os.getppid() == parent:
        time.sleep(1)
    server.shutdown()


def parser_of(what: str, port: int) -> argparse.ArgumentParser:
    """The options that every stand-in has."""
    parser = argparse.ArgumentParser(description=f"A stand-in for a {what}, on loopback.")
    parser.add_argument("--port", type=int, default=port)
    parser.add_argument("--seed", type=int)
    parser.add_argument("--while-parent", action="store_true", help="end with whoever started it")
    return parser


def serve(
    what: str, told: argparse.Namespace, make: Callable[[], socketserver.ThreadingTCPServer]
) -> None:
    """Serve until stopped; a port that is taken is told, and is no fault of a demo."""
    try:
        server = make()
    except OSError:  # the one of another ./pail, as a rule: it speaks the same, and is used
        sys.stdout.write(
            f"· 127.0.0.1:{told.port} is taken already, by the stand-in of another ./pail most "
            "likely; give --port another number for one more.\n"
        )
        raise SystemExit(0 if told.while_parent else 1) from None
    with server:
        if told.while_parent:
            threading.Thread(target=end_with, args=(server, os.getppid()), daemon=True).start()
        sys.stdout.write(f"· the stand-in {what} answers on 127.0.0.1:{server.server_address[1]}\n")
        sys.stdout.flush()
        server.serve_forever()
