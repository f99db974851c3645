"""Kinds of run: each states once, in a file of its own, what is the same for all of them.

`KINDS` holds them by the value of `Run.plan`. The models look a run's kind up here, so that this
file imports none of them; each kind registers itself when Galena starts.
"""

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from galena.experiments.runs.kind import RunKind

KINDS: "dict[str, RunKind]" = {}


def register(*kinds: "RunKind") -> None:
    """Have further kinds of run."""
    for kind in kinds:
        KINDS[kind.key] = kind
