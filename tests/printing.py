"""Boards that just print numbers, at a TCP port and at a serial one."""

import os
import pty
import socket
import termios
import threading
import tty

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


class PrintingPort:
    """A board at a pseudo-terminal; at another speed than its own nothing can be read of it.

    serial_number and location are what the system says of the port.
    """

    description = "a board"

    def __init__(self, line, speed=115_200, serial_number=None, location=None):
        self.line, self.serial_number, self.location = line, serial_number, location
        self._speed = getattr(termios, f"B{speed}")
        self._master, self._slave = pty.openpty()
        tty.setraw(self._slave)
        self.device = os.ttyname(self._slave)
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._print, daemon=True)
        self._thread.start()

    def _print(self):
        number = 0
        while not self._over.wait(0.02):
            line = self.line(number).encode() + b"\r\n"
            if termios.tcgetattr(self._master)[5] != self._speed:
                line = bytes((one * 7 + 129) % 256 | 0x80 for one in line)
            os.write(self._master, line)
            number += 1

    def close(self):
        self._over.set()
        self._thread.join()
        os.close(self._master)
        os.close(self._slave)
