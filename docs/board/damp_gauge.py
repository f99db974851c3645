# A board with one analogue sensor as an instrument of Galena, in MicroPython.
#
# Copy it to the board as main.py, set the pin of the sensor and what it measures, and plug the
# board in by USB. It speaks the line protocol of docs/protocol.md.

import json
import select
import sys
import time

import machine

IDENTITY = "Skerry Works,Damp gauge DG-1,0301,1.0"  # maker, model, serial, firmware
PIN = 26
VOLTS = 3.3  # at full scale
CHANNEL = {
    "id": "U", "quantity": "sensor voltage", "symbol": "U", "unit": "V",
    "min": 0.0, "max": VOLTS, "resolution": 0.001, "max_rate": 200.0,
}  # fmt: skip

sensor = machine.ADC(PIN)
waiting = select.poll()
waiting.register(sys.stdin, select.POLLIN)


class Clock:
    """Microseconds since the start; the board's own counter goes round every few minutes."""

    def __init__(self):
        self.seen = time.ticks_us()
        self.total = 0

    def now(self):
        seen = time.ticks_us()
        self.total += time.ticks_diff(seen, self.seen)
        self.seen = seen
        return self.total


class Board:
    def __init__(self):
        self.clock = Clock()
        self.rate = 20.0
        self.streaming = False
        self.sequence = 0
        self.due = 0

    def answer(self, request):
        word, _, rest = request.partition(" ")
        word = word.upper()
        if word == "*IDN?":
            return IDENTITY
        if word == "CHAN:LIST?":
            return json.dumps([CHANNEL])
        if word == "CLOCK?":
            return str(self.clock.now())
        if word == "RATE":
            return self.set_rate(rest)
        if word == "STREAM":
            self.streaming = rest.strip().upper() == "ON"
            self.sequence = 0
            self.due = self.clock.now()
            return "OK"
        return "ERR unknown request " + word

    def set_rate(self, text):
        try:
            rate = float(text)
        except ValueError:
            return "ERR the rate is no number"
        if self.streaming:
            return "ERR stop the stream before changing its rate"
        if not 0 < rate <= CHANNEL["max_rate"]:
            return "ERR rate must be above 0 and at most 200"
        self.rate = rate
        return "OK"

    def send_reading(self):
        stamp = self.clock.now()
        interval = int(1000000 / self.rate)
        missed = (stamp - self.due) // interval  # their time went by: they count as lost
        self.sequence += missed
        volts = sensor.read_u16() * VOLTS / 65535
        content = f"{self.sequence},{stamp},{volts:.3f}"
        checksum = 0
        for character in content:
            checksum ^= ord(character)
        sys.stdout.write(f"#{content}*{checksum:02X}\n")
        self.sequence += 1
        self.due += (missed + 1) * interval

    def run(self):
        request = ""
        while True:
            if waiting.poll(0):
                character = sys.stdin.read(1)
                if not character:  # the computer is gone
                    return
                if character == "\n":
                    sys.stdout.write(self.answer(request.strip()) + "\n")
                    request = ""
                elif len(request) < 100:
                    request += character
            elif self.streaming and self.clock.now() >= self.due:
                self.send_reading()
            else:
                time.sleep_us(200)


if __name__ == "__main__":
    Board().run()
