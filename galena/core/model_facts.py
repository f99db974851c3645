"""What is known of a model besides its function."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Facts:
    """What is known of a model besides its function.

    is_line: a straight line that depends on x; is_straight: also one that does not. offset: the
    parameter that is zero unless something adds to every reading. counts_x: x is taken as a
    number, counted in its unit. powers_tie: far from x = 0 its parameters can hardly be told
    apart, whatever the readings.
    """

    is_line: bool = False
    is_straight: bool = False
    offset: str = ""
    counts_x: bool = False
    powers_tie: bool = False


NO_FACTS = Facts()
