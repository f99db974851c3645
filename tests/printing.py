"""A board that just prints numbers, at a TCP port."""

import socket
import threading

from galena.instruments.address import Address


class Printing:
    """A TCP server that prints what it is told to, so often."""

    def __init__(self, line, every=0.02, greeting=b""):
        self.line, self.every, self.greeting = line, every, greeting
        self.server = socket.create_server(("127.0.0.1", 0))
        self.address = Address("tcp", *self.server.getsockname()[:2])
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._serve, daemon=True)
        self._thread.start()

    def _serve(self):
        while not self._over.is_set():
            try:
                peer, _ = self.server.accept()
            except OSError:
                return
            threading.Thread(target=self._print, args=(peer,), daemon=True).start()

    def _print(self, peer):
        number = 0
        try:
            peer.sendall(self.greeting)
            while not self._over.wait(self.every):
                peer.sendall(self.line(number).encode() + b"\r\n")
                number += 1
        except OSError:
            pass
        peer.close()

    def close(self):
        self._over.set()
        self.server.close()
