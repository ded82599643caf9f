"""A network that can be cut: a proxy on loopback between the browser and the server."""

import socket
import socketserver
import threading
from contextlib import suppress

WHOLE, CUT, REPLY_LOST = "whole", "cut", "reply lost"


class Network(socketserver.ThreadingTCPServer):
    """Everything goes through while it is whole; nothing while it is cut; while replies are lost
    the server hears all, and nobody hears the server."""

    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, to):
        super().__init__(("127.0.0.1", 0), _Wire)
        self.to, self.state, self.open = to, WHOLE, set()
        self.lost = threading.Event()
        threading.Thread(target=self.serve_forever, daemon=True).start()

    @property
    def address(self):
        return f"http://127.0.0.1:{self.server_address[1]}"

    def become(self, state):
        """Change the network; what is under way on it is torn."""
        self.state = state
        self.lost.clear()
        for each in list(self.open):
            _shut(each)

    def close(self):
        self.shutdown()
        self.server_close()


def _shut(sock):
    with suppress(OSError):  # it was shut by the other side
        sock.shutdown(socket.SHUT_RDWR)


class _Wire(socketserver.BaseRequestHandler):
    def handle(self):
        network = self.server
        if network.state == CUT:
            return
        with socket.create_connection(("127.0.0.1", network.to)) as server:
            network.open |= {self.request, server}
            asks = threading.Thread(target=self._carry, args=(self.request, server), daemon=True)
            asks.start()
            self._carry(server, self.request, is_reply=True)
            network.open -= {self.request, server}

    def _carry(self, source, target, is_reply=False):
        with suppress(OSError):  # torn
            while more := source.recv(65536):
                if is_reply and self.server.state == REPLY_LOST:
                    self.server.lost.set()
                    break
                target.sendall(more)
        _shut(source)
        _shut(target)
