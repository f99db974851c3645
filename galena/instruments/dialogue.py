"""Requests to a device and its answers, told apart though one comes late or never."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Callable, Iterator

from galena.instruments.address import Transport
from galena.instruments.errors import NoAnswer, RequestRefused
from galena.instruments.protocols.line_v1 import refuse_unprintable

MOST_ANSWERS = 100
WHO = "*IDN?"
_WAIT = 0.1
_LAST_READS = 128  # of 64 kB: more than what a socket holds back for a reader that was held up


class Dialogue:
    """The requests of one session, each with the answer that belongs to it.

    Answers bear no number, so after one that did not come in time the next line may be that one.
    Then the device is asked who it is: what comes before the name that it gave is older. `take` is
    given all bytes that come meanwhile, and tells `heard` of the answers among them. `patience`
    is how many seconds an answer may take.
    """

    def __init__(
        self, transport: Transport, take: Callable[[bytes], None], patience: float
    ) -> None:
        self._transport, self._take, self._patience = transport, take, patience
        self._answers: deque[str] = deque(maxlen=MOST_ANSWERS)  # the last of what nobody asked for
        self._name = ""
        self._names_due = 0
        self.in_doubt = False

    def heard(self, line: str) -> None:
        """Take a line that is no reading."""
        self._answers.append(line)

    def ask(self, text: str) -> str:
        """Send a request and give its answer.

        Raises LinkLost, NoAnswer or RequestRefused, and InstrumentError for a request that is no
        line.
        """
        refuse_unprintable(text)
        if self.in_doubt and self._name:
            self._put_late_answers_away()
        answer = self._asked(text)
        if answer.startswith("ERR"):
            raise RequestRefused(answer[3:].strip() or f"it refused {text}")
        return answer

    def ask_who(self) -> str:
        """Give the answer to `*IDN?`, by which late answers are told apart from then on."""
        self._name = self.ask(WHO)
        return self._name

    def _asked(self, text: str) -> str:
        self._answers.clear()
        self._send(text)
        for answer in self._answers_in_time():
            return answer
        self.in_doubt = True
        raise NoAnswer(f"no answer within {self._patience:.0f} s")

    def _put_late_answers_away(self) -> None:
        self._answers.clear()
        self._send(WHO)
        self._names_due += 1
        names = 0
        for answer in self._answers_in_time():
            names += answer == self._name
            if names == self._names_due:
                break
        if not names:
            raise NoAnswer(f"no answer within {self._patience:.0f} s")
        self._names_due, self.in_doubt = 0, False

    def _send(self, text: str) -> None:
        self._transport.write(text.encode("ascii") + b"\n")

    def _answers_in_time(self) -> Iterator[str]:
        """Give the answers as they come. What has come by the deadline counts, though it is read
        later: this computer may have been asleep, or had no time."""
        deadline = time.monotonic() + self._patience
        last_reads = 0
        while True:
            while self._answers:
                yield self._answers.popleft()
            left = deadline - time.monotonic()
            data = self._transport.read(min(max(left, 0.0), _WAIT))
            if left <= 0:
                last_reads += 1
                if not data or last_reads > _LAST_READS:
                    return
            self._take(data)
