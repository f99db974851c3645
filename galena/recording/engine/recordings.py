"""What is recorded now: at most one run of each experiment, an instrument in at most one of them.

All state of the recorder is here, under one lock. The recorder changes it, the writer carries it
on, and the publisher and the pages look at it.
"""

import threading
from collections.abc import Iterator
from contextlib import contextmanager

from galena.instruments.link import Link
from galena.recording.engine.state import Claim, Recording
from galena.recording.errors import AlreadyRecording


class Recordings:
    """The runs that are started, waited for, recorded, or taken step by step."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._by_experiment: dict[int, Recording] = {}
        self._troubles: dict[int, str] = {}

    def all(self) -> list[Recording]:
        """List what is recorded now."""
        with self._lock:
            return list(self._by_experiment.values())

    def of(self, experiment_id: int) -> Recording | None:
        """Give what is recorded of an experiment."""
        with self._lock:
            return self._by_experiment.get(experiment_id)

    @contextmanager
    def claiming(self, claim: Claim) -> Iterator[None]:
        """Hold instruments for a run that is being started; `put` then takes the claim's place.

        Raises AlreadyRecording where the experiment has a run, or another run an instrument.
        """
        with self._lock:
            self._refuse(claim)
            self._by_experiment[claim.experiment_id] = claim
        try:
            yield
        finally:
            self.drop(claim)

    def put(self, recording: Recording) -> None:
        """Have this be what is recorded of its experiment."""
        with self._lock:
            self._by_experiment[recording.experiment_id] = recording

    def drop(self, recording: Recording) -> None:
        """Let go of what is recorded no longer; what has taken its place stays."""
        with self._lock:
            if self._by_experiment.get(recording.experiment_id) is recording:
                del self._by_experiment[recording.experiment_id]

    def is_held(self, recording: Recording) -> bool:
        """Tell whether this is still what is recorded of its experiment."""
        with self._lock:
            return self._by_experiment.get(recording.experiment_id) is recording

    def using(self, link: Link) -> Recording | None:
        """Give the run that an instrument is used by."""
        with self._lock:
            return self._using(link)

    def trouble_of(self, experiment_id: int) -> str:
        """Say why no run of an experiment is waited for any more, where that is so."""
        with self._lock:
            return self._troubles.get(experiment_id, "")

    def set_trouble(self, experiment_id: int, trouble: str) -> None:
        """Keep why no run is waited for any more; an empty text takes it away."""
        with self._lock:
            if trouble:
                self._troubles[experiment_id] = trouble
            else:
                self._troubles.pop(experiment_id, None)

    def clear_troubles(self) -> None:
        """Forget all troubles."""
        with self._lock:
            self._troubles.clear()

    def signature(self) -> tuple:
        """Give what is the same as long as pages need not look anew."""
        with self._lock:
            runs = tuple((key, *one.signature) for key, one in self._by_experiment.items())
            return runs, tuple(self._troubles)

    def _using(self, link: Link) -> Recording | None:
        users = (one for one in self._by_experiment.values() if link in one.links)
        return next(users, None)

    def _refuse(self, claim: Claim) -> None:
        own = self._by_experiment.get(claim.experiment_id)
        if own is not None:
            raise AlreadyRecording(f"{own.sentence()}. {own.advice}")
        for link in claim.links:
            user = self._using(link)
            if user is not None:
                raise AlreadyRecording(f"{user.sentence()}, with {_name_of(link)}. {user.advice}")


def _name_of(link: Link) -> str:
    identity = link.identity
    return link.address.label if identity is None else f"{identity.model} {identity.serial}"
