"""From a curve to a straight line, and from the line back to the law."""

from galena.core.straightening.both_ways import BothWays, both_ways
from galena.core.straightening.claims import Claim, claim
from galena.core.straightening.relation import Constant, Relation, Straightened
from galena.core.straightening.relations import RELATIONS, turning_point
from galena.core.straightening.shapes import SHAPES, Course, Shape, against, course

__all__ = [
    "RELATIONS", "SHAPES", "BothWays", "Claim", "Constant", "Course", "Relation", "Shape",
    "Straightened", "against", "both_ways", "claim", "course", "turning_point",
]  # fmt: skip
