"""A board on a TCP port that speaks the line protocol, but for what a test has it do wrong."""

import json
import socket
import threading
import time

CHANNEL = {"id": "T", "quantity": "temperature", "symbol": "T", "unit": "degC", "min": -40.0,
           "max": 125.0, "resolution": 0.1, "max_rate": 50.0}  # fmt: skip


class Board:
    """answers: by request; `data` is the form of data lines, `first` their first number, `slow` how
    many times slower they come than asked, `goes on` that they do after STREAM OFF."""

    def __init__(self, answers):
        self.wrong = answers
        self.rate, self.streaming = 20.0, False
        self.listening = socket.create_server(("127.0.0.1", 0))
        self.address = f"tcp://127.0.0.1:{self.listening.getsockname()[1]}"
        self.thread = threading.Thread(target=self.serve, daemon=True)

    def __enter__(self):
        self.thread.start()
        return self

    def __exit__(self, *_):
        self.listening.close()
        self.thread.join(10)

    def serve(self):
        try:
            visitor, _ = self.listening.accept()
        except OSError:
            return
        with visitor:
            visitor.settimeout(0.005)
            waiting = b""
            while True:
                try:
                    data = visitor.recv(1000)
                    if not data:
                        return
                    waiting += data
                except TimeoutError:
                    pass
                except OSError:
                    return
                *requests, waiting = waiting.split(b"\n")
                try:
                    for request in requests:
                        visitor.sendall(self.answer(request.decode()).encode() + b"\n")
                    if self.streaming:
                        visitor.sendall(self.due())
                except OSError:
                    return

    def answer(self, request):
        word, _, rest = request.partition(" ")
        if word in self.wrong:
            return self.wrong[word]
        if word == "*IDN?":
            return "Skerry Works,Test board TB-1,0400,1.0"
        if word == "CHAN:LIST?":
            return json.dumps([CHANNEL])
        if word == "CLOCK?":
            return str(time.monotonic_ns() // 1000)
        if word == "RATE":
            self.rate = float(rest)
            return "OK"
        if word == "STREAM":
            if rest == "ON":
                self.streaming, self.number, self.began = True, 0, time.monotonic()
            elif not self.wrong.get("goes on"):
                self.streaming = False
            return "OK"
        return "ERR unknown request"

    def due(self):
        rate = self.rate / self.wrong.get("slow", 1.0)
        lines = b""
        while self.began + self.number / rate <= time.monotonic():
            stamp = round((self.began + self.number / rate) * 1e6)
            number = self.number + self.wrong.get("first", 0)
            lines += self.line(number, stamp).encode() + b"\n"
            self.number += 1
        return lines

    def line(self, number, stamp):
        form = self.wrong.get("data")
        if form is not None:
            return form % (number, stamp) if "%" in form else form
        content = f"{number},{stamp},21.5"
        checksum = 0
        for octet in content.encode():
            checksum ^= octet
        return f"#{content}*{checksum:02X}"
